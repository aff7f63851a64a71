"""Designing links: reach, changes and openings, grain, hierarchies, the matrix, the star's places; against slow, obvious readings."""

import itertools
import unittest
from dataclasses import replace
from pathlib import Path

from nexorem.core.design.change import doubles, switched_off, yielding
from nexorem.core.design.matrix import probe_gaps
from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.language.binder import Binder
from nexorem.core.model.check import check_model
from nexorem.core.model.edits import apply
from nexorem.core.model.paths import doubled_paths
from nexorem.core.model.specs import Hierarchy
from nexorem.core.plan.reach import NO_WAY, carrying_edits, carrying_ways, reached_tables, reaches
from nexorem.package.read import open_package
from tests.core.small import LINKS, STAR, STRIPPED, TABLES, edited, keeping, make_star
from tests.oracle.random_models import Maker
from tests.plain import (
    bus_matrix,
    complete,
    findings,
    first_stop,
    grain_test,
    held_given,
    held_measure,
    hierarchy_faults,
    opening,
    reach_after,
    reach_change,
    reach_of,
)

DEMO = open_package(Path(__file__).parents[2] / "demo" / "lantern_isles")
SEEDS = 60


def chains(star, source, target):
    """Every chain of links from one table to another that meets no table twice, as its links and the number that do not carry."""
    found = []

    def walk(at, seen, links, stops):
        if at == target:
            found.append((stops, links))
            return
        for link in star.model.links:
            other = link.other(at)
            if at in link.tables and other not in seen:
                walk(other, {*seen, other}, [*links, link.name], stops + (not star.state.carries(link, other)))

    walk(source, {source}, [], 0)
    return found


def changes(star, source, links):
    """How many edits of a formula open a chain of links: each that is off is switched on, each that runs the other way is turned."""
    edits, at = 0, source
    for name in links:
        link = star.model.link(name)
        at = link.other(at)
        edits += (not link.active) + (link.flow == "one-way" and at != link.from_table)
    return edits


def cost(edits):
    """What an opening costs: turning a link both ways counts for two."""
    return sum(1 + ("flow" in e.get("set", {})) for e in edits)


class Reach(unittest.TestCase):
    def test_the_nearest_chain_is_found_among_all(self):
        ways = choices = 0
        for seed in range(SEEDS):
            star = Maker(seed).star
            names = [t.name for t in star.model.tables]
            for a, b in itertools.permutations(names, 2):
                every, found = chains(star, a, b), reaches(star, star.state, a).get(b)
                if not every:
                    self.assertIsNone(found)
                    continue
                stops = min(s for s, _ in every)
                length = min(len(k) for s, k in every if s == stops)
                links = found.path or found.chain
                self.assertEqual((len(found.stops), len(links)), (stops, length), (seed, a, b))
                nearest = [changes(star, a, k) for s, k in every if (s, len(k)) == (stops, length)]
                self.assertEqual(changes(star, a, links), min(nearest), (seed, a, b))
                choices += len({*nearest}) > 1
                self.assertEqual(
                    bool(found.path),
                    b in {f.table for f in star.inflow(b, star.state).walk()} and a in {f.table for f in star.inflow(b, star.state).walk()},
                )
                ways += 1
        self.assertGreater(ways, 300)
        self.assertGreater(choices, 5)

    def test_edits_that_are_to_carry_a_filter_carry_it(self):
        carried = 0
        for seed in range(SEEDS * 3):
            star = Maker(seed).star
            for a, b in itertools.permutations([t.name for t in star.model.tables], 2):
                for edits in carrying_ways(star, a, b):
                    if any(e.startswith("match") for e in edits):
                        continue
                    pairs = reach_after(star, ", ".join(edits))["pairs"]
                    self.assertIn("path", next(p for p in pairs if (p["from"], p["to"]) == (a, b)), (seed, a, b, edits))
                    stop = first_stop(star, star.state, a, b)
                    self.assertIn(stop["from"], {a, *reached_tables(star, star.state, [a])}, (seed, a, b))
                    self.assertNotIn(b, reached_tables(star, star.state, [a]))
                    carried += 1
        self.assertGreater(carried, 600)

    def test_links_with_the_same_ends_are_named(self):
        twice = [
            {"name": "port", "from": "Booking.port", "to": "Port.code"},
            {"name": 'the "other"', "from": "Booking.port", "to": "Port.code", "active": False},
        ]
        star = make_star(links=[*twice, {"name": "day", "from": "Booking.day", "to": "Cal.day"}], measures={})
        self.assertEqual(
            [star.model.link_text(k) for k in star.model.links], ['link "port"', 'link "the ""other"""', "Booking.day = Cal.day"]
        )
        self.assertEqual(carrying_edits(star, star.state, "Cal", "Port"), ['flow link "port" two-way'])
        found = [i["insert"] for i in complete(star, "rows(Booking) given (via ", 25)["items"]]
        self.assertEqual(found, ['link "the ""other"""'])
        Binder(star, {"x": f"rows(Booking) given (via {found[0]})"}).measure("x")

    def test_a_change_is_told_by_pairs(self):
        then = edited(
            STAR,
            [
                {"kind": "change_link", "name": "day", "set": {"active": False}},
                {"kind": "change_link", "name": "refund", "set": {"active": True}},
                {"kind": "change_link", "name": "crew", "set": {"flow": "one-way"}},
            ],
        )
        told = reach_change(STAR, then)
        self.assertEqual([(p["from"], p["to"], p["was"], p["path"]) for p in told["moved"]], [("Cal", "Booking", ["day"], ["refund"])])
        self.assertEqual({(p["from"], p["to"]) for p in told["no_longer"]}, {("Crew", "Port"), ("Crew", "Booking")})
        self.assertEqual(told["newly"], [])

    def test_doubled_paths_and_who_can_yield(self):
        model = replace(STAR.model, links=tuple(replace(k, active=True) for k in STAR.model.links))
        self.assertEqual({d.target for d in doubles(model)}, {"Booking"})
        self.assertEqual(yielding(model, ["refund"]), ["day"])
        self.assertEqual(yielding(model, ["refund", "day"]), [])
        self.assertEqual(doubles(switched_off(model, ["day"])), [])
        self.assertEqual(yielding(STAR.model, []), [])


class Openings(unittest.TestCase):
    def test_every_opening_opens(self):
        opened = given = 0
        for seed in range(SEEDS):
            star = Maker(seed).star
            names = [t.name for t in star.model.tables]
            for a, b in itertools.permutations(names, 2):
                if reaches(star, star.state, a).get(b, NO_WAY).path:
                    continue
                told = opening(star, a, b)
                if told["edits"]:
                    opened += 1
                    then = edited(star, told["edits"])
                    self.assertEqual(doubled_paths(then.model, then.state), [], (seed, a, b))
                    self.assertTrue(reaches(then, then.state, a).get(b, NO_WAY).path, (seed, a, b, told))
                    self.assertTrue(told["title"])
                    # The smallest: no single edit of a link does it at less.
                    for link, change in itertools.product(
                        star.model.links, ({"active": True}, {"flow": "two-way"}, {"active": True, "flow": "two-way"})
                    ):
                        alone = (
                            edited(star, [{"kind": "change_link", "name": link.name, "set": change}])
                            if link.from_table != link.to_table
                            else star
                        )
                        if not doubled_paths(alone.model, alone.state) and reaches(alone, alone.state, a).get(b, NO_WAY).path:
                            self.assertLessEqual(cost(told["edits"]), 1 + ("flow" in change), (seed, a, b, told, link.name, change))
                if told["given"]:
                    given += 1
                    pairs = reach_after(star, told["given"][len("given (") : -1])["pairs"]
                    self.assertIn("path", next(p for p in pairs if (p["from"], p["to"]) == (a, b)), (seed, a, b, told["given"]))
        self.assertGreater(opened, 60)
        self.assertGreater(given, 60)

    def test_a_way_that_doubles_lets_others_yield_or_goes_into_a_formula(self):
        told = opening(DEMO, "Vessel", "Booking")
        self.assertEqual(told["title"], "switch sailing on; route and sails on yield")
        self.assertEqual(
            told["given"],
            "given (via Booking.sailing_no = Sailing.number, flow Sailing.sails_on = Calendar.date off, flow Sailing.route_code = Route.code off)",
        )
        self.assertEqual(check_model(edited(DEMO, told["edits"])), [])

    def test_a_new_link_opens_where_none_leads(self):
        star = make_star(STRIPPED, [], {})
        told = opening(star, "Shop", "Sale")
        self.assertEqual((told["edits"][0]["kind"], told["title"]), ("add_link", "link Sale.shop_code = Shop.code"))
        self.assertEqual(opening(star, "Number", "Sale")["edits"], [])

    def test_what_filters_and_what_is_filtered(self):
        told = reach_of(STAR, "Port")
        told |= told["scans"][0]
        self.assertEqual({f["table"] for f in told["filters"]}, {"Booking", "Crew"})
        self.assertEqual({f["table"] for f in told["filtered_by"]}, {"Crew"})
        blocked = {b["table"]: [s["reason"] for s in b["stops"]] for b in told["blocked"]}
        self.assertEqual(blocked, {"Cal": ["one-way"], "Tag": ["inactive"], "Nobody": []})


class Tables(unittest.TestCase):
    def test_roles_are_found_and_corrected(self):
        found = {t.name: role(DEMO, t) for t in DEMO.model.tables}
        self.assertEqual({n for n, r in found.items() if r == "fact"}, {"Booking", "Sailing", "Target", "Ledger"})
        self.assertEqual(
            {n: r for n, r in found.items() if r not in ("fact", "dimension")},
            {
                "Crew vessel": "bridge",
                "Calendar": "calendar",
                "Port": "outrigger",
                "Island": "outrigger",
                "Delay band": "disconnected",
                "Price band": "disconnected",
            },
        )
        table = replace(STAR.model.table("Port"), role="bridge")
        self.assertEqual(role(STAR, table), "bridge")
        with self.assertRaises(Refused):
            apply(STAR.model, {"kind": "change_table", "name": "Port", "set": {"role": "cube"}})

    def test_grain_against_counting_rows(self):
        for seed in range(SEEDS):
            maker = Maker(seed)
            for table in maker.model.tables:
                rows = maker.tables[table.name]
                for columns in (["f1"], ["g", "b"], ["id"], ["c1", "c2"]):
                    if any(table.column(c) is None for c in columns):
                        continue
                    keys = [tuple(r[c] for c in columns) for r in rows]
                    told = grain_test(maker.star, table.name, columns)
                    self.assertEqual(told["repeated"], sum(keys.count(k) > 1 for k in keys), (seed, table.name, columns))
                    self.assertEqual(told["empty"], sum(None in k for k in keys))
                    for example in told["examples"]:
                        self.assertEqual(example["rows"], sum([_iso(x) for x in k] == example["key"] for k in keys))

    def test_hierarchies_against_counting_parents(self):
        wrong = right = 0
        for seed in range(SEEDS):
            maker = Maker(seed)
            table = maker.model.tables[0].name
            for above, level in (("g", "f1"), ("f1", "id"), ("b", "g")):
                if any(maker.model.table(table).column(c) is None for c in (above, level)):
                    continue
                parents = {}
                for row in maker.tables[table]:
                    if row[level] is not None:
                        parents.setdefault(row[level], set()).add(row[above])
                several = {k: v for k, v in parents.items() if len(v) > 1}
                told = hierarchy_faults(maker.star, Hierarchy("h", (f"{table}.{above}", f"{table}.{level}")))
                self.assertEqual(sum(f["count"] for f in told), len(several), (seed, above, level))
                wrong, right = wrong + bool(several), right + (not several)
                for example in (e for f in told for e in f["examples"]):
                    self.assertEqual(set(example["parents"]), several[example["member"]])
        self.assertGreater(min(wrong, right), 10)

    def test_hierarchies_over_chains(self):
        for levels, faults in (
            (["Island.group", "Port.name"], 0),
            (["Port.name", "Island.group"], 1),
            (["Agent.district", "Port.name"], 1),
            (["Nope.x", "Port.name"], 1),
            (["Calendar.year", "Calendar.season"], 1),
            (["Island.group", "Island.name", "Port.name"], 0),
        ):
            told = hierarchy_faults(DEMO, Hierarchy("h", tuple(levels)))
            self.assertEqual(len(told), faults, (levels, told))
        orphans = make_star(TABLES, LINKS, {})
        told = hierarchy_faults(orphans, Hierarchy("h", ("Port.region", "Booking.port")))
        self.assertEqual(told, [])

    def test_findings_of_design(self):
        model = replace(
            STAR.model,
            hierarchies=(Hierarchy("Where", ("Port.name", "Port.region")),),
            tables=tuple(
                replace(t, grain="one port", grain_columns=("region",))
                if t.name == "Port"
                else replace(t, grain_columns=("gone",))
                if t.name == "Tag"
                else t
                for t in STAR.model.tables
            ),
        )
        told = {
            f["code"]: f["sentence"]
            for f in findings(STAR.with_model(model))
            if f["code"] in ("grain_repeated", "lost_grain", "two_parents")
        }
        self.assertEqual(told["grain_repeated"], "2 rows of Port share Port.region with another: South.")
        self.assertEqual(told["lost_grain"], "The grain of Tag names gone, which it does not have.")
        self.assertIn("South under Birch, Dogwood", told["two_parents"])


def _iso(value):
    return value.isoformat() if hasattr(value, "isoformat") else value


class Matrix(unittest.TestCase):
    def test_cells(self):
        star = DEMO
        found = bus_matrix(star)
        self.assertEqual(
            (found["facts"], found["apart"]), (["Booking", "Sailing", "Target", "Ledger", "Crew vessel"], ["Delay band", "Price band"])
        )
        for fact, other, kind, via, links, two_way in (
            ("Booking", "Calendar", "direct", [], 3, False),
            ("Booking", "Island", "through", ["Port", "Route"], 0, False),
            ("Booking", "Vessel", "none", [], 0, False),
            ("Booking", "Community", "loose", [], 1, False),
            ("Crew vessel", "Vessel", "direct", [], 1, True),
            ("Sailing", "Crew", "through", ["Crew vessel", "Vessel"], 0, False),
        ):
            cell = found["cells"][fact].get(other, {"kind": "none", "via": [], "links": [], "two_way": False})
            self.assertEqual((cell["kind"], cell["via"], len(cell["links"]), cell["two_way"]), (kind, via, links, two_way), (fact, other))
        for fact in found["facts"]:
            for other in found["dimensions"]:
                path = reaches(star, star.state, other).get(fact, NO_WAY).path
                kind = found["cells"][fact].get(other, {"kind": "none"})["kind"]
                self.assertEqual(kind in ("direct", "through", "loose"), bool(path), (fact, other))

    def test_gaps_are_what_a_probe_runs_into(self):
        probe = {
            "name": "both",
            "rows": ["Port.name"],
            "columns": ["Cal.year"],
            "measures": ["seats", "tags"],
            "picks": [{"column": "Crew.name", "in": ["Bo"]}],
        }
        star = make_star(measures={"seats": "sum(Booking.seats)", "tags": "rows(Tag)"})
        star = keeping(star, probes=[probe, {"name": "broken", "measures": ["nope"]}])
        self.assertEqual(probe_gaps(star), {("Tag", "Port"): ["both"], ("Tag", "Cal"): ["both"], ("Tag", "Crew"): ["both"]})
        self.assertIn("Tag does not know", next(f["sentence"] for f in findings(star) if f["code"] == "gap"))


class Held(unittest.TestCase):
    def test_a_measure_over_the_star(self):
        star = make_star(
            measures={
                "later": "rows(Booking) given (via Booking.refunded = Cal.day, clear Port)",
                "crews": "count(distinct Crew.name) given (flow Booking.port = Port.code two-way)",
            }
        )
        told = held_measure(star, "later")
        (scan,) = told["scans"]
        self.assertEqual((scan["grain"], {k["link"]: k["change"] for k in scan["links"]}), ("Booking", {"day": "inactive", "refund": "on"}))
        self.assertEqual(
            {(r["link"], r["from"], r["to"]) for r in scan["runs"]},
            {("port", "Port", "Booking"), ("refund", "Cal", "Booking"), ("crew", "Crew", "Port")},
        )
        self.assertEqual({f["table"]: {c["kind"] for c in f["columns"]} for f in told["filters"]}, {"Port": {"cleared"}})
        self.assertEqual(held_measure(star, "crews")["scans"][0]["links"], [{"link": "port", "change": "two-way"}])

    def test_a_given_over_a_fact(self):
        told = held_given(STAR, "match Tag.tag to Booking.note, flow Booking.day = Cal.day off, set Port.region = 'North'", "Booking")
        (scan,) = told["scans"]
        self.assertEqual([(a["from"], a["to"]) for a in scan["added"]], [("Tag", "Booking")])
        self.assertEqual(scan["links"], [{"link": "day", "change": "off"}])
        self.assertIn("Port", [f["table"] for f in told["filters"]])
        with self.assertRaises(Refused) as caught:
            held_given(STAR, "via Booking.nope = Cal.day", "Booking")
        self.assertEqual(caught.exception.diagnostics[0].text, "Booking.nope")


if __name__ == "__main__":
    unittest.main()
