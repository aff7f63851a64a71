"""Links that the data suggest: what is found and what is not, in which order, and how often it is looked for."""

import random
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from nexorem.core.design.overlap import names_alike
from nexorem.core.design.suggest import MOST, suggestions
from nexorem.core.model.check import check_model
from nexorem.core.model.model import link_from_json
from nexorem.package.read import open_package
from tests.core.small import STRIPPED, edited, make_star

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
        aside = star.with_model(
            replace(star.model, accepted=({"code": "suggestion", "about": "Sale.shop_code = Shop.code", "key": "", "reason": "not meant"},))
        )
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
        with mock.patch("nexorem.core.design.suggest._found", side_effect=AssertionError("looked for again")):
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
        for one, key, column, least, most in (("Vessel", "code", "vessel_code", 1, 1), ("Customers", "number", "customer_no", 1, 1), ("Island", "code", "home_island", 0.5, 0.5),
                                              ("Port", "id", "from_port", 0.5, 0.5), ("Agent", "code", "island", 0, 0), ("Day", "id", "ID", 0.3, 0.3), ("X", "code", "code", 0.3, 0.3)):  # fmt: skip
            self.assertTrue(least <= names_alike(one, key, column) <= most, (one, key, column, names_alike(one, key, column)))


if __name__ == "__main__":
    unittest.main()
