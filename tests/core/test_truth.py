"""Marks of truth say what is so: totals that are no sums, filters that reach nothing, shares that are the whole; and nothing else."""

import itertools
import math
import random
import unittest
from dataclasses import replace

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from tests.core.small import LINKS, MEASURES, STAR, TABLES, grid, make_star
from tests.oracle.agreement import same
from tests.oracle.random_models import Maker
from tests.plain import marks, unmatched_marks

LOOSE = make_star(
    links=[k | {"active": k["name"] not in ("crew", "refund")} for k in LINKS],
    measures=MEASURES
    | {"part": "seats / seats given (clear wide Booking)", "depths": "sum(Port.depth)", "ports": "count(distinct Port.code)"},
)


def asked(star=STAR, measures=("seats",), totals="all", **probe):
    return answer(star, probe_of(star, {"measures": list(measures), "totals": totals, **probe}), Budget())


def told(found, measure=0):
    return {m["kind"]: m for m in marks(found)[measure]}


def parts_of(lines, i):
    """The lines one level below a line, found by hand."""
    head = [c for c in lines[i] if c != -1]
    below = [j for j, x in enumerate(lines) if x[: len(head)] == head and sum(c != -1 for c in x) == len(head) + 1]
    leaves = [j for j, x in enumerate(lines) if x[: len(head)] == head and -1 not in x]
    any_level = any(sum(c != -1 for c in x) == len(head) + 1 for x in lines)
    return below if any_level else leaves


class Marks(unittest.TestCase):
    def test_what_does_not_reach(self):
        found = told(asked(measures=["seats"], rows=["Crew.name"], columns=["Cal.week"]))
        self.assertNotIn("unreached", found)
        crews = told(asked(measures=["x"], define={"x": "rows(Crew)"}, rows=["Cal.week"], picks=[{"column": "Cal.year", "in": [2031]}]))
        self.assertEqual((crews["unreached"]["tables"], crews["unreached"]["columns"]), (["Cal"], ["Cal.week", "Cal.year"]))
        self.assertIn("The axis and the pick on Cal reach no row", crews["unreached"]["sentence"])

    def test_a_mend_of_what_does_not_reach_makes_it_reach(self):
        star = make_star(measures=MEASURES | {"ports": "count(distinct Port.code)"})
        mend = told(asked(star, ["ports"], rows=["Cal.week"]))["unreached"]["mends"][0]
        self.assertEqual((mend["measure"], mend["label"]), ("ports", "given (flow Booking.port = Port.code two-way)"))
        mended = make_star(measures=MEASURES | {"ports": mend["formula"]})
        self.assertNotIn("unreached", told(asked(mended, ["ports"], rows=["Cal.week"])))

    def test_a_mend_of_a_formula_of_the_probe_s_own_is_told_as_its_own(self):
        define = {"ports": "count(distinct Port.code)", "half": "ports / 2", "depth": "sum(Port.depth)"}
        marks_of = lambda name, **p: told(asked(measures=[name], define=define, **p))["unreached"]["mends"]  # noqa: E731
        for name, owner in (("ports", "ports"), ("half", "half")):
            mend = marks_of(name, rows=["Cal.week"])[0]
            self.assertEqual((mend["measure"], mend["own"]), (owner, True))
            self.assertNotIn("unreached", told(asked(measures=[name], define=define | {name: mend["formula"]}, rows=["Cal.week"])))
        saved = make_star(measures=MEASURES | {"ports": "count(distinct Port.code)"})
        self.assertFalse(told(asked(saved, ["ports"], rows=["Cal.week"]))["unreached"]["mends"][0]["own"])

    def test_what_a_formula_asks_beside_its_rows_is_reached(self):
        asks = {
            "seats * CASE WHEN the(Tag.tag) = 'big' THEN 2 ELSE 1 END": "Tag.tag",
            "CASE WHEN single(Tag.tag) THEN seats END": "Tag.tag",
            "CASE WHEN filtered(Tag.tag) THEN seats END": "Tag.tag",
            "sum(1 for each Tag) + seats": "Tag.tag",
            "seats given (set Port.name in (Tag.tag))": "Tag.tag",
            "rank(seats among Tag.tag)": "Tag.tag",
        }
        for formula, column in asks.items():
            with self.subTest(formula):
                found = told(asked(measures=["x"], define={"x": formula}, rows=[column]))
                self.assertNotIn("unreached", found)
        for formula in ("sum(1 for each every Tag) + seats", "seats given (set Port.name in every Tag.tag)", "seats + 1"):
            with self.subTest(formula):
                self.assertIn("unreached", told(asked(measures=["x"], define={"x": formula}, rows=["Tag.tag"])))

    def test_a_filter_that_is_told_not_to_reach_changes_nothing(self):
        met = 0
        for seed in range(500):
            maker = Maker(seed)
            maker.with_measures(2)
            star, name = maker.star, maker.model.measures[-1].name
            probe = maker.probe(["x"]) | {"define": {"x": name}, "empty_lines": True, "totals": "none"}
            try:
                found = answer(star, probe_of(star, probe), Budget())
            except Refused:
                continue
            if found.values[0].failed is not None:
                continue
            axes = probe["rows"] + probe["columns"]
            cells = {tuple(str(c[a]) for a in axes): c["x"] for c in found.tidy()}
            for mark in (m for m in marks(found)[0] if m["kind"] == "unreached"):
                (table,) = mark["tables"]
                own = [i for i, a in enumerate(axes) if a.startswith(f"{table}.")]
                lines = {}
                for place, value in cells.items():
                    lines.setdefault(tuple(x for i, x in enumerate(place) if i not in own), []).append(value)
                self.assertTrue(all(same(v, vs[0]) for vs in lines.values() for v in vs), (seed, mark["sentence"]))
                kept = [p for p in probe["picks"] if f"{table}." not in p.get("column", "") + p.get("where", "")]
                freely = answer(star, probe_of(star, probe | {"picks": kept}), Budget()).tidy()
                free = {tuple(str(c[a]) for a in axes): c["x"] for c in freely}
                self.assertTrue(all(same(v, free[place]) for place, v in cells.items()), (seed, mark["sentence"]))
                met += 1
        self.assertGreater(met, 100)

    def test_a_mend_that_is_offered_mends(self):
        met = 0
        for seed in range(400):
            maker = Maker(seed)
            maker.with_measures(2)
            probe = maker.probe([maker.model.measures[-1].name])
            try:
                found = marks(answer(maker.star, probe_of(maker.star, probe), Budget()))[0]
            except Refused:
                continue
            for mark, mend in ((m, x) for m in found if m["kind"] in ("unreached", "whole") for x in m["mends"]):
                kept = tuple(replace(x, formula=mend["formula"]) if x.name == mend["measure"] else x for x in maker.model.measures)
                star = maker.star.with_model(replace(maker.model, measures=kept))
                after = marks(answer(star, probe_of(star, probe), Budget()))[0]
                self.assertNotIn((mark["kind"], mark["tables"]), [(m["kind"], m["tables"]) for m in after], (seed, mend["formula"]))
                met += 1
        self.assertGreater(met, 80)

    def test_what_reaches_some_of_the_facts_alone(self):
        links = [k for k in LINKS if k["name"] not in ("tag", "crew")]
        pay = ("port:text hours:number", [("a", 2.0), ("b", 3.5), (None, 1.0)])
        star = make_star(TABLES | {"Pay": pay}, [*links, {"name": "pay", "from": "Pay.port", "to": "Port.code"}])
        define = {"x": "seats / sum(Pay.hours)"}
        probe = {"rows": ["Cal.week", "Port.name"], "picks": [{"where": "Cal.year = 2031"}], "define": define}
        found = told(asked(star, ["x"], **probe))
        self.assertEqual((found["partly"]["tables"], found["partly"]["columns"]), (["Cal"], ["Cal.week", "Cal.year"]))
        self.assertIn("The axis and the pick on Cal filter sum(Booking.seats) and not sum(Pay.hours)", found["partly"]["sentence"])
        self.assertNotIn("unreached", found)
        less = told(asked(star, ["x"], rows=["Cal.week"], define={"x": "seats - sum(Pay.hours)"}))
        self.assertEqual(
            (less["apart"]["why"], less["apart"]["sentence"]),
            ("unreached", "sum(Pay.hours) in x is not reached by Cal: its whole stands on every line."),
        )
        # What is alike for both facts, reaches none, or is the least or the largest of another table is not part of a whole.
        for formula, rows in (
            ("seats / sum(Pay.hours)", ["Port.name"]),
            ("seats / sum(Pay.hours)", ["Tag.tag"]),
            ("seats / max(Pay.hours)", ["Cal.week"]),
            ("seats / rows(Port)", ["Cal.week"]),
            ("seats / sum(Pay.hours) given (match Cal.week to Pay.hours)", ["Cal.week"]),
        ):
            with self.subTest(formula, rows=rows):
                self.assertNotIn("partly", told(asked(star, ["x"], rows=rows, define={"x": formula})))

    def test_overridden_coordinates(self):
        found = told(asked(measures=["share"], rows=["Port.region", "Cal.week"]))
        self.assertEqual(found["overridden"]["columns"], ["Port.region"])
        self.assertEqual(list(told(asked(measures=["share"], rows=["Cal.week"]))), ["whole"])

    def test_a_share_that_is_the_whole_everywhere_and_its_mend(self):
        found = told(asked(LOOSE, ["part"], rows=["Tag.tag"]))["whole"]
        self.assertEqual((found["columns"], found["mends"][0]["label"]), (["Tag.tag"], "write clear into Booking"))
        mended = make_star(
            links=[k | {"active": k["name"] not in ("crew", "refund")} for k in LINKS],
            measures=MEASURES | {"part": found["mends"][0]["formula"]},
        )
        shares = [c["part"] for c in asked(mended, ["part"], rows=["Tag.tag"], totals="none").tidy()]
        self.assertTrue(all(s < 1 for s in shares), shares)
        self.assertNotIn("whole", told(asked(LOOSE, ["part"], rows=["Port.region"])))

    def test_a_denominator_that_goes_with_the_picks(self):
        week = [{"column": "Cal.week", "in": [1]}]
        self.assertEqual(told(asked(measures=["share"], rows=["Port.region"], picks=week))["denominator"]["columns"], ["Cal.week"])
        north = [{"column": "Port.region", "in": ["North"]}]
        self.assertNotIn("denominator", told(asked(measures=["share"], rows=["Cal.week"], picks=north)))
        reset = {"x": "seats / seats given (reset Port)"}
        self.assertIn("denominator", told(asked(measures=["x"], define=reset, rows=["Port.name"], picks=north)))

    def test_rows_of_a_dimension_added_up(self):
        found = told(asked(LOOSE, ["depths"], rows=["Cal.week"]))["dimension_side"]
        self.assertEqual((found["tables"], found["mends"][0]["formula"]), (["Port", "Booking"], "sum(Port.depth for each Booking)"))
        by_hand = {1: 8, 2: 8}  # alder and birch in either week
        cells = grid("sum(Port.depth for each Booking)", LOOSE, rows=["Cal.week"])
        self.assertEqual({c["Cal.week"]: c["x"] for c in cells if c["Cal.week"] in by_hand}, by_hand)
        self.assertNotIn("dimension_side", told(asked(LOOSE, ["depths"], rows=["Port.region"])))

    def test_why_parts_do_not_add_up(self):
        for formula, probe, why in (
            ("count(distinct Booking.note)", {"rows": ["Port.region"]}, "distinct"),
            ("seats", {"rows": ["Tag.tag"]}, "overlap"),
            ("0 - seats", {"rows": ["Tag.tag"]}, "overlap"),
            ("seats", {"rows": ["Tag.tag"], "picks": [{"column": "Port.name", "in": ["Birch", "Cedar"]}]}, "leak"),
            ("seats", {"rows": ["Tag.tag"], "picks": [{"column": "Port.name", "in": ["Alder"]}]}, "overlap"),
            ("seats given (set Port.region = 'North')", {"rows": ["Port.region"]}, "edit"),
            ("sum(Booking.seats)", {"rows": ["Port.name"], "top": {"count": 1, "by": "x"}}, "cut"),
        ):
            with self.subTest(formula):
                found = told(asked(LOOSE, ["x"], define={"x": formula}, **probe))
                self.assertEqual(found["apart"]["why"], why)
        for formula in ("seats", "max(Booking.seats)", "seats / trips", "seats * 2 - trips"):
            self.assertNotIn(
                "apart", told(asked(LOOSE, ["x"], define={"x": formula}, rows=["Port.region", "Port.name"], columns=["Cal.week"]))
            )

    def test_unmatched_rows_are_counted(self):
        found = unmatched_marks(asked(rows=["Port.region"]))
        self.assertEqual([m["links"] for m in found], [["port", "crew"]])
        self.assertIn("1 of Booking with an empty Booking.port and 1 with a Booking.port that is not in Port", found[0]["sentence"])
        self.assertEqual(unmatched_marks(asked(rows=["Port.region"], picks=[{"column": "Port.region", "in": ["North"]}])), [])

    def test_every_marked_total_is_apart_and_every_other_is_a_sum(self):
        met = 0
        for seed in range(60):
            maker = Maker(seed)
            star = maker.star
            columns = [f"{x.name}.{c.name}" for x in star.model.tables for c in x.columns]
            r = random.Random(seed)
            axes = r.sample(columns, min(3, len(columns)))
            facts = [f"rows({x.name})" for x in star.model.tables]
            try:
                found = asked(star, ["x"], r.choice(["all", "grand"]), define={"x": r.choice(facts)}, rows=axes[:2], columns=axes[2:])
                mark = next((m for m in marks(found)[0] if m["kind"] == "apart"), None)
            except Refused:
                continue
            every = [tuple(c) for m in marks(found)[0] if m["kind"] == "apart" for c in m["cells"]]
            if found.values[0].failed is not None:
                continue
            rows, across = found.rows.lines.tolist(), found.columns.lines.tolist()
            values = {(i, j): found.value(0, i, j) for i in range(len(rows)) for j in range(len(across))}
            for (i, j), value in values.items():
                if value is None:
                    continue
                down, right = parts_of(rows, i) if -1 in rows[i] else [], parts_of(across, j) if -1 in across[j] else []
                sums = [sum(values[k, j] or 0 for k in down)] if down else []
                sums += [sum(values[i, k] or 0 for k in right)] if right else []
                apart = any(not math.isclose(s, value) for s in sums)
                self.assertEqual((i, j) in every, apart, (seed, i, j))
                met += apart
            self.assertTrue(mark is None or mark["sentence"])
        self.assertGreater(met, 20)


class Order(unittest.TestCase):
    def test_top_lines_keep_ties_and_totals(self):
        star = make_star(tables=TIED)
        for count, asc, names in (
            (1, False, ["a", "b"]),
            (2, False, ["a", "b"]),
            (3, False, ["a", "b", "c"]),
            (1, True, ["c"]),
            (9, False, ["a", "b", "c"]),
        ):
            found = asked(
                star, ["seats"], rows=["Port.code"], top={"count": count, "by": "seats", "asc": asc}, picks=[{"where": "Port.code < 'd'"}]
            )
            lines = [c.get("Port.code", "all") for c in found.tidy()]
            self.assertEqual(lines, [*names, "all"], (count, asc))
            self.assertEqual(list(found.tidy())[-1]["seats"], 12)
            self.assertEqual(found.left_out, 3 - len(names))

    def test_lines_are_ordered_by_a_measure_at_one_column(self):
        # On the first day Alder sells 1 and the unmatched port 8; Birch and Cedar have nothing there and stand last either way.
        for desc, want in ((True, ["(unmatched)", "Alder", "Birch", "Cedar"]), (False, ["Alder", "(unmatched)", "Birch", "Cedar"])):
            order = [{"by": "seats", "desc": desc, "at": {"Cal.day": "2031-01-01"}}]
            found = asked(rows=["Port.name"], columns=["Cal.day"], totals="grand", sort=order)
            names = dict.fromkeys(c["Port.name"] for c in found.tidy() if "Port.name" in c)
            self.assertEqual(list(names), want)
        for bad in ({"by": "seats", "at": {"Port.name": "Alder"}}, {"by": "seats", "at": 3}, {"by": "seats", "at": {"Cal.day": "no"}}):
            self.assertRaises(Refused, asked, rows=["Port.name"], columns=["Cal.day"], sort=[bad])
        for bad in ({"count": 0, "by": "seats"}, {"count": 3, "by": "nope"}, {"count": True, "by": "seats"}, 5):
            self.assertRaises(Refused, asked, rows=["Port.name"], top=bad)

    def test_lines_are_ordered_by_a_column_that_stands_on_no_axis(self):
        bands = [("fine", "late", 30), ("fine", "early", None), ("rough", "late", 5), ("fine", "late", 9), ("rough", "early", 1)]
        star = make_star({"B": ("size:text label:text low:integer", bands)}, [], {})
        nested = {"rows": ["B.size", "B.label"], "define": {"x": "rows(B)"}}
        for desc, want in (
            (False, ["rough early", "rough late", "rough", "fine late", "fine early", "fine", ""]),
            (True, ["fine late", "fine early", "fine", "rough late", "rough early", "rough", ""]),
        ):
            found = asked(star, ["x"], **nested, sort=[{"by": "B.low", "desc": desc}])
            self.assertEqual([" ".join(v for k, v in c.items() if k != "x") for c in found.tidy()], want)
        self.assertRaises(Refused, asked, rows=["Port.name"], sort=[{"by": "Cal.year"}])
        for seed in range(40):
            maker, r = Maker(seed), random.Random(seed)
            table = r.choice([t for t in maker.star.model.tables if len(t.columns) > 1])
            one, by = r.sample([c.name for c in table.columns], 2)
            rows = [[maker.star.column(table.name, c).at(i) for c in (one, by)] for i in range(maker.star.size(table.name))]
            best = max if seed % 2 else min
            keys = {str(m): best([b for a, b in rows if a == m and b is not None], default=None) for m, _ in rows}
            probe = {"rows": [f"{table.name}.{one}"], "define": {"x": "1"}, "empty_lines": True, "totals": "none"}
            found = asked(maker.star, ["x"], **probe, sort=[{"by": f"{table.name}.{by}", "desc": bool(seed % 2)}])
            codes = found.rows.lines[:, 0]
            domain = maker.star.domain(table.name, (one,))
            shown = [
                keys.get(str(maker.star.column(table.name, one).at(int(domain.firsts[c])))) if c < domain.size - 1 else None for c in codes
            ]
            held = [k for k in shown if k is not None]
            self.assertEqual(shown, sorted(held, reverse=bool(seed % 2)) + [None] * (len(shown) - len(held)), seed)

    def test_top_lines_are_those_that_sorting_puts_first(self):
        for seed, count in itertools.product(range(20), (1, 2, 5)):
            maker = Maker(seed)
            columns = [f"{x.name}.{c.name}" for x in maker.star.model.tables for c in x.columns]
            r = random.Random(seed)
            axes, define = r.sample(columns, min(2, len(columns))), {"x": f"rows({r.choice(maker.star.model.tables).name})"}
            try:
                whole = list(asked(maker.star, ["x"], "none", define=define, rows=axes).tidy())
                some = list(asked(maker.star, ["x"], "none", define=define, rows=axes, top={"count": count, "by": "x"}).tidy())
            except Refused:
                continue
            want = []
            for cell in whole:
                siblings = [c["x"] for c in whole if c[axes[0]] == cell[axes[0]] or len(axes) == 1]
                if cell["x"] is not None and sum(x is not None and x > cell["x"] for x in siblings) < count:
                    want.append(cell)
            self.assertEqual(some, want, seed)


TIED = {
    "Booking": (
        "no:integer port:text day:date refunded:date seats:integer fare:number note:text",
        [(i, p, None, None, s, 1.0, "") for i, (p, s) in enumerate([("a", 5), ("b", 5), ("c", 2)])],
    ),
    "Port": ("code:text name:text region:text depth:integer", [(c, c, "r", 1) for c in "abcd"]),
    "Cal": ("day:date year:integer week:integer", []),
    "Tag": ("port:text tag:text", []),
    "Crew": ("port:text name:text", []),
}
