"""Links that the data suggest: what is found and what is not, in which order, and how often it is looked for."""

import datetime as dt
import random
import unittest
from dataclasses import replace
from itertools import product
from pathlib import Path
from unittest import mock

from nexorem.core.design.overlap import names_alike
from nexorem.core.design.suggest import MOST, role_name
from nexorem.core.diagnostics import OverLimit
from nexorem.core.engine import candidates
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_model
from nexorem.core.model.model import link_from_json
from nexorem.package.read import open_package
from tests.core.small import STRIPPED, edited, keeping, make_star
from tests.plain import suggestions

DEMO = open_package(Path(__file__).parents[2] / "demo" / "lantern_isles")


class Suggested(unittest.TestCase):
    def test_links_are_found_from_names_values_and_uniqueness(self):
        star = make_star(STRIPPED, [], {})
        found = {s["text"]: s for s in suggestions(star)}
        self.assertEqual(
            set(found),
            {
                "Sale.shop_code = Shop.code",
                "Sale.sold_on = Cal.day",
                "Sale.paid_on = Cal.day",
                "(Sale.class, Sale.size) = (Price.class, Price.size)",
            },
        )
        shop = found["Sale.shop_code = Shop.code"]
        facts = star.facts(link_from_json(star.model, shop["link"]))
        self.assertEqual(
            (shop["evidence"]["matched"], shop["evidence"]["empty"], shop["evidence"]["orphans"]),
            (facts.matched, facts.empty, facts.orphans),
        )
        self.assertEqual((shop["evidence"]["rows"], shop["link"]["cardinality"], shop["link"]["active"]), (40, "many-to-one", True))
        # Two days of one calendar: which of them counts is asked, and none is active before that.
        for column in ("sold_on", "paid_on"):
            told = found[f"Sale.{column} = Cal.day"]
            self.assertEqual((told["link"]["active"], told["choice"]), (False, "Sale and Cal"))
        chosen = edited(star, [{"kind": "add_link", "link": found["Sale.sold_on = Cal.day"]["link"] | {"active": True}}])
        self.assertNotIn("Sale.paid_on = Cal.day", {s["text"] for s in suggestions(chosen)})  # left alone on purpose
        aside = keeping(star, accepted=[{"code": "suggestion", "about": "Sale.shop_code = Shop.code", "reason": "not meant"}])
        self.assertNotIn("Sale.shop_code = Shop.code", {s["text"] for s in suggestions(aside)})

    def test_the_demo_without_its_links_gets_them_back(self):
        bare = DEMO.with_model(replace(DEMO.model, links=(), measures=(), probes=(), hierarchies=()))
        found = {s["text"] for s in suggestions(bare)}
        lost = {k.ends_text for k in DEMO.model.links} - found
        self.assertEqual(lost, {"Booking.route_code = Community.route_code"})  # both of its sides are many
        self.assertLessEqual(len(found - {k.ends_text for k in DEMO.model.links}), 3)
        self.assertFalse({k.ends_text for k in DEMO.model.links} & {s["text"] for s in suggestions(DEMO)})

    def test_any_of_them_can_be_taken_together(self):
        bare = DEMO.with_model(replace(DEMO.model, links=(), measures=(), probes=(), hierarchies=()))
        found = suggestions(bare)
        for seed in range(30):
            taken = [s for s in found if random.Random(f"{seed} {s['text']}").random() < 0.6]
            self.assertEqual(check_model(edited(bare, [{"kind": "add_link", "link": s["link"]} for s in taken])), [])

    def test_they_are_found_once_for_rows_and_links(self):
        star = make_star(STRIPPED, [], {})
        first = suggestions(star)
        with mock.patch("nexorem.core.design.suggest._candidates", side_effect=AssertionError("looked for again")):
            self.assertEqual(suggestions(star.with_model(replace(star.model, title="another", measures=()))), first)
        with mock.patch("nexorem.core.design.suggest.overlaps", side_effect=AssertionError("compared again")):
            link = next(s["link"] for s in first if s["text"] == "Sale.shop_code = Shop.code")
            left = suggestions(edited(star, [{"kind": "add_link", "link": link}]))
        self.assertEqual({s["text"] for s in left}, {s["text"] for s in first} - {"Sale.shop_code = Shop.code"})

    def test_what_a_database_declares_comes_first_under_the_names_of_now(self):
        sales = [(n, at, shop) for n, (at, shop) in enumerate(zip(["a", "a", None, "zz", "zy", "zx"], "abcdef", strict=True))]
        data = {
            "Sale": ("no:integer sold_at:text shop:text", sales),
            "Shop": ("shop:text place:text", list(zip("abcdef", "uvwxyz", strict=True))),
        }
        star = make_star(data, [], {})
        named = {"Sale": ("sale", {"at": "sold_at"}), "Shop": ("shops", {"code": "shop"})}
        declared = {"columns": ["at"], "table_schema": "public", "table": "shops", "key": ["code"]}

        def loaded(table, database):
            origin = {"kind": "database", "connection": database, "table": named[table.name][0], "references": [declared]}
            return replace(table, origin=origin, steps=({"kind": "rename", "names": named[table.name][1]},))

        for databases, first in ((("desk", "desk"), "Sale.sold_at = Shop.shop"), (("desk", "other"), "Sale.shop = Shop.shop")):
            tables = tuple(loaded(t, d) for t, d in zip(star.model.tables, databases, strict=True))
            told = suggestions(star.with_model(replace(star.model, tables=tables)))
            self.assertEqual(told[0]["text"], first)
        # Two of the five rows that name something match: without the declaration it would not be offered at all.
        self.assertNotIn("Sale.sold_at = Shop.shop", {s["text"] for s in told})

    def test_many_tables_are_a_screenful_and_their_comparisons_few(self):
        things = {
            f"Thing{i}": (
                f"thing{i}_id:integer thing{(i * 7 + 1) % 40}_id:integer word:text",
                [(n, n % 30, f"w{n % 9}") for n in range(60)],
            )
            for i in range(40)
        }
        star = make_star(things, [], {})
        with mock.patch("nexorem.core.design.overlap.Values.share", autospec=True, return_value=1.0) as compared:
            found = suggestions(star)
        self.assertLessEqual(len(found), MOST)
        self.assertLess(compared.call_count, 3 * 40)  # not 40 tables times 40
        usual = {s["text"] for s in suggestions(make_star(things, [], {}))}
        self.assertTrue(usual and all(s.split(" = ")[0].split(".")[1] == s.split(".")[-1] for s in usual), usual)

    def test_roles_and_long_keys(self):
        """Trips from few of many harbours, to many of them; tides by harbour and hour, told apart by two columns or by five."""
        r = random.Random(3)
        harbours = [f"H{i:02}" for i in range(60)]
        hours = [dt.datetime(2031, 1, 1) + dt.timedelta(hours=h) for h in range(48)]
        tides = [(h, t, t.year, t.month, t.day, t.hour, r.randint(0, 9)) for h in harbours[:3] for t in hours]
        trips = [
            (n, r.choice(harbours[:3]), r.choice(harbours), t, t.year, t.month, t.day, t.hour)
            for n in range(200)
            for t in [r.choice(hours[1:])]
        ]
        trip = "no:integer from_harbour:text bound:text at:datetime year:integer month:integer day:integer hour:integer"
        tables = {"Trip": (trip, trips), "Harbour": ("mark:text name:text", [(h, f"Place {h}") for h in harbours])}
        wide = {
            **tables,
            "Tide": ("from_harbour:text at:datetime year:integer month:integer day:integer hour:integer level:integer", tides),
        }
        found = {s["text"]: s for s in suggestions(make_star(wide, [], {}))}
        hourly = "(Trip.from_harbour, Trip.at) = (Tide.from_harbour, Tide.at)"
        self.assertEqual(next(iter(found)), hourly)
        self.assertEqual(
            {t: (s["choice"], s["link"]["active"]) for t, s in found.items()},
            {
                hourly: ("", True),
                "Trip.from_harbour = Harbour.mark": ("Trip and Harbour", False),
                "Trip.bound = Harbour.mark": ("Trip and Harbour", False),
                "Tide.from_harbour = Harbour.mark": ("", False),  # Harbour is to filter Trip by one of its own columns
            },
        )
        five = {
            **tables,
            "Tide": (
                "from_harbour:text year:integer month:integer day:integer hour:integer level:integer",
                [(h, *x) for h, _, *x in tides],
            ),
        }
        star = make_star(five, [], {})
        self.assertEqual(candidate_keys(star, "Tide"), [("from_harbour", "day", "hour")])
        hourly = "(Trip.from_harbour, Trip.day, Trip.hour) = (Tide.from_harbour, Tide.day, Tide.hour)"
        self.assertIn(hourly, {s["text"] for s in suggestions(star)})
        # The same key in another order, or with more columns, is not offered again.
        for columns in (("hour", "from_harbour", "day"), ("from_harbour", "day", "hour", "year", "month")):
            link = {"name": "k", "from": [f"Trip.{c}" for c in columns], "to": [f"Tide.{c}" for c in columns]}
            self.assertFalse([s["text"] for s in suggestions(make_star(five, [link], {})) if "Trip" in s["text"] and "Tide" in s["text"]])

    def test_a_role_is_not_linked_with_what_it_shares_rows_with(self):
        rows = [(f"H{i:02}", f"Place {i}", "NS"[i % 2]) for i in range(40)]
        trips = [(n, f"H{n % 40:02}", f"H{n * 7 % 40:02}") for n in range(200)]
        harbour = "mark:text name:text coast:text"
        tables = {"Trip": ("no:integer leaves:text bound:text", trips), "Harbour": (harbour, rows), "Bound harbour": (harbour, rows)}
        links = [
            {"name": "leaves", "from": "Trip.leaves", "to": "Harbour.mark"},
            {"name": "bound", "from": "Trip.bound", "to": '"Bound harbour".mark'},
        ]
        star = make_star(tables, links, {})
        self.assertTrue(suggestions(star))  # by rows alone, each leads to the other
        made = [replace(t, origin={"kind": "role", "table": "Harbour"}) if t.name == "Bound harbour" else t for t in star.model.tables]
        self.assertEqual(suggestions(star.with_model(replace(star.model, tables=tuple(made)))), [])

    def test_a_role_is_named_after_its_column_or_its_table(self):
        nation = ("n_nationkey:integer n_name:text", [(1, "a")])
        tables = {"Supplier": ("s_nationkey:integer s_made_in:integer s_name:text", [(1, 1, "x")]), "Nation": nation}
        for column, name in (("s_nationkey", "Supplier nation"), ("s_made_in", "Made in nation")):
            star = make_star(tables, [{"name": "k", "from": f"Supplier.{column}", "to": "Nation.n_nationkey"}], {})
            self.assertEqual(role_name(star.model, star.model.links[0]), name)

    def test_five_columns_together_are_a_key(self):
        rows = list(product("ab", range(2), range(3), range(2), range(4)))
        star = make_star({"T": ("a:text b:integer c:integer d:integer e:integer same:integer", [(*x, 1) for x in rows])}, [], {})
        self.assertEqual(candidate_keys(star, "T"), [("a", "b", "c", "d", "e")])
        self.assertEqual(candidate_keys(make_star({"T": ("a:text b:integer", [("x", 1), ("x", 1)])}, [], {}), "T"), [])

    def test_keys_are_right_on_random_tables_however_few_rows_are_looked_at(self):
        for seed in range(150):
            r = random.Random(seed)
            width, size = r.randint(1, 5), r.choice([1, 5, 20, 60])
            rows = [
                tuple(r.choice([None] * r.choice([0, 0, 1]) + list(range(r.choice([2, 5, 80])))) for _ in range(width)) for _ in range(size)
            ]
            star = make_star({"T": (" ".join(f"c{i}:integer" for i in range(width)), rows)}, [], {})
            with mock.patch.object(candidates, "LOOKS", (3, 10)):
                found = candidate_keys(star, "T")
            for key in found:
                picked = [tuple(row[int(c[1:])] for c in key) for row in rows]
                self.assertTrue(None not in {x for p in picked for x in p} and len(set(picked)) == size, (seed, key))
            singles = [(f"c{i}",) for i in range(width) if len({row[i] for row in rows} - {None}) == size]
            self.assertEqual([k for k in found if len(k) == 1], singles, seed)

    def test_marks_before_columns_are_no_words_and_direct_ways_come_last(self):
        tables = {
            "Line": ("l_ord:integer l_partkey:integer l_suppkey:integer", [(i, i % 6, (i * 7) % 4) for i in range(48)]),
            "Offer": ("o_partkey:integer o_suppkey:integer", [(p, s) for p in range(6) for s in range(4)]),
            "Part": ("p_partkey:integer p_name:text", [(i, "x") for i in range(6)]),
            "Supplier": ("s_suppkey:integer s_name:text", [(i, "x") for i in range(4)]),
        }
        found = [(s["text"].split(" ", 1)[0], s["link"]["to"], s["link"]["active"]) for s in suggestions(make_star(tables, [], {}))]
        self.assertEqual([f[2] for f in found], [True, True, True, False, False])
        self.assertEqual({tuple(f[1]) if isinstance(f[1], list) else f[1] for f in found[3:]}, {"Part.p_partkey", "Supplier.s_suppkey"})
        lost = {**tables, "Line": (tables["Line"][0], [*tables["Line"][1], (99, 3, 77)])}  # a row without an offer still has a part
        direct = {s["text"]: s["link"]["active"] for s in suggestions(make_star(lost, [], {}))}
        self.assertTrue(direct["Line.l_partkey = Part.p_partkey"])

    def test_they_end_with_their_caller(self):
        star, budget = make_star(STRIPPED, [], {}), Budget()
        budget.cancel()
        with self.assertRaises(OverLimit):
            suggestions(star, budget)
        self.assertTrue(suggestions(star))

    def test_no_nonsense(self):
        hotel = {
            "Room": ("room_id:integer floor:integer", [(i, i // 4) for i in range(1, 30)]),
            "RoomHire": ("hire_id:integer room_id:integer guest_no:integer", [(i, i % 29 + 1, i % 12) for i in range(1, 60)]),
            "Guest": ("guest_no:integer name:text", [(i, f"g{i}") for i in range(12)]),
        }
        self.assertEqual(
            {s["text"] for s in suggestions(make_star(hotel, [], {}))},
            {"RoomHire.room_id = Room.room_id", "RoomHire.guest_no = Guest.guest_no"},
        )

    def test_chance_is_no_evidence(self):
        nasty = {
            "A": ("id:integer n:integer flag:text", [(i, i % 5, "yn"[i % 2]) for i in range(30)]),
            "B": ("id:integer m:integer", [(i, i) for i in range(30)]),
            "Sign": ("letter:text", [("y",), ("n",)]),
            "Empty": ("id:integer a_id:integer", []),
            "Blank": ("code:text", [(None,), (None,)]),
        }
        self.assertEqual(suggestions(make_star(nasty, [], {})), [])

    def test_names(self):
        for one, key, column, least, most in (
            ("Vessel", "code", "vessel_code", 1, 1),
            ("Customers", "number", "customer_no", 1, 1),
            ("Island", "code", "home_island", 0.5, 0.5),
            ("Port", "id", "from_port", 0.5, 0.5),
            ("Agent", "code", "island", 0, 0),
            ("Day", "id", "ID", 0.3, 0.3),
            ("X", "code", "code", 0.3, 0.3),
        ):
            self.assertTrue(least <= names_alike(one, key, column) <= most, (one, key, column, names_alike(one, key, column)))


if __name__ == "__main__":
    unittest.main()
