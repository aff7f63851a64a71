"""What formulas mean, by hand: filters, unmatched members, flows, edits. One line a meaning."""

import unittest
from dataclasses import replace

from nexorem.core.diagnostics import Refused
from nexorem.core.model.specs import UNMATCHED
from nexorem.core.model.star import Star
from tests.core.small import LINKS, STAR, TABLES, grid, make_star, value

PORT, REGION, NAME, YEAR, WEEK = "Port__code", "Port__region", "Port__name", "Cal__year", "Cal__week"

# (what it shows, formula, coordinates, expected)
CASES = [
    ("a sum skips empties", "seats", {}, 63),
    ("a filter reaches the fact", "seats", {REGION: "North"}, 5),
    ("rows with no or an unknown key belong to the unmatched member", "seats", {REGION: UNMATCHED}, 24),
    ("a real empty is another member", "seats", {REGION: None}, 32),
    ("an aggregate over no rows is empty", "seats", {NAME: "Dogwood"}, None),
    ("rows over no rows is empty, too", "trips", {NAME: "Dogwood"}, None),
    ("count over rows that hold only empties is 0", "count(Booking.seats where Booking.no = 7)", {}, 0),
    ("sum over rows that hold only empties is empty", "sum(Booking.seats where Booking.no = 7)", {}, None),
    ("avg skips empties", "avg(Booking.seats)", {}, 10.5),
    ("distinct skips empties", "count(distinct Booking.port)", {}, 4),
    ("an empty text is a value", "count(distinct Booking.note)", {}, 3),
    ("min and max of text compare by code point", "max(Booking.port)", {}, "zz"),
    ("the unmatched member is no row", "rows(Port)", {REGION: UNMATCHED}, None),
    ("a look-up runs row by row", "sum(Booking.seats * Port.depth)", {}, 5 * 5 + 2 * 3 + 32 * 9),
    ("what finds no partner looks up empties", "count(Booking.no where Port.code IS NULL)", {}, 2),
    ("an empty table has an empty sum", "sum(Nobody.x)", {}, None),
    ("an empty side of + counts as 0", "seats + sum(Nobody.x)", {}, 63),
    ("both sides empty stay empty", "sum(Nobody.x) + sum(Nobody.x)", {}, None),
    ("an empty side of * does not", "seats * sum(Nobody.x)", {}, None),
    ("set replaces the coordinate", "seats given (set Port.region = 'North')", {REGION: "South"}, 5),
    ("keep intersects with it", "seats given (keep Port.region = 'North')", {REGION: "South"}, None),
    ("set of one column leaves the others", "seats given (set Port.region = 'South')", {NAME: "Alder"}, None),
    ("IS NULL takes empty and unmatched", "seats given (set Port.region IS NULL)", {}, 56),
    ("a comparison is not true of empty", "seats given (set Port.region <> 'North')", {}, 2),
    ("clear of a column", "seats given (clear Port.region)", {REGION: "North"}, 63),
    ("clear of a table", "seats given (clear Port)", {REGION: "North", NAME: "Alder"}, 63),
    ("clear but", "seats given (clear Port but Port.region)", {REGION: "North", NAME: "Birch"}, 5),
    ("clear of all", "seats given (clear all)", {REGION: "North", YEAR: 2031}, 63),
    ("wide clears what can be looked up", "seats given (clear wide Booking)", {REGION: "North", YEAR: 2031}, 63),
    ("wide does not clear what flows in upwards", "seats given (clear wide Booking)", {"Crew__name": "Bo"}, 5),
    ("into clears everything that flows in", "seats given (clear into Booking)", {"Crew__name": "Bo"}, 63),
    ("edits apply in order", "seats given (clear Port, keep Port.region = 'South')", {REGION: "North"}, 2),
    ("an outer given comes first", "seats given (keep Port.region = 'South') given (clear Port)", {REGION: "North"}, 2),
    ("given binds tighter than /", "seats / seats given (clear Port)", {REGION: "North"}, 5 / 63),
    ("via switches a link on and its rival off", "seats given (via Booking.refunded = Cal.day)", {WEEK: 2}, 1),
    ("via by name", 'seats given (via link "refund")', {WEEK: 2}, 1),
    ("the ends in either order", "seats given (via Cal.day = Booking.refunded)", {WEEK: 2}, 1),
    ("the unmatched are judged over the active link", "seats", {WEEK: UNMATCHED}, 32),
    ("… which may be another", "seats given (via Booking.refunded = Cal.day)", {WEEK: UNMATCHED}, 54),
    ("a two-way link filters upwards", "rows(Port)", {"Crew__name": "Cid"}, 1),
    ("… and on from there", "seats", {"Crew__name": "Ula"}, 5),
    ("an unmatched row does not pass upwards", "seats", {"Crew__name": "Dot"}, None),
    ("a one-way link does not filter upwards", "rows(Port)", {"Booking__no": 1}, 4),
    ("a filter that cannot flow does nothing", "sum(Port.depth)", {YEAR: 2031}, 17),
    ("setting a calendar's date clears the calendar", "seats given (set Cal.day = DATE '2031-01-03')", {WEEK: 1}, 4),
    ("keeping it does not", "seats given (keep Cal.day = DATE '2031-01-03')", {WEEK: 1}, None),
    ("what stands on the right is computed just before", "seats given (set Cal.day <= max(Cal.day))", {WEEK: 1}, 27),
    ("a measure in the row's own context", "sum(Port.depth * seats)", {}, 5 * 5 + 3 * 2 + 9 * 32),
    ("the same written out", "sum(Port.depth * sum(Booking.seats))", {}, 5 * 5 + 3 * 2 + 9 * 32),
    ("a condition in the row's context", "rows(Port where seats > 2)", {}, 2),
    ("equal rows stay two", "sum(Cal.week * trips)", {}, 1 * 4 + 2 * 2),
    (
        "a filter of two columns keeps the rest when it loses one",
        "rows(Port) given (set Port.region = 'South' AND Port.depth = 3, clear Port.depth)",
        {},
        2,
    ),
    (
        "a row's filter falls back to its other columns",
        "sum(Port.depth * rows(Port) given (clear Port.code, clear Port.name, clear Port.depth))",
        {},
        5 * 1 + 3 * 2 + 9 * 1,
    ),
]


class Meaning(unittest.TestCase):
    def test_cases(self):
        for what, formula, at, expected in CASES:
            with self.subTest(what, formula=formula):
                found = value(formula, **at)
                self.assertEqual(found, expected) if not isinstance(expected, float) else self.assertAlmostEqual(found, expected)

    def test_picks_and_coordinates_hold_together(self):
        picks = [{"column": "Port.region", "in": ["South", {"unmatched": True}]}]
        self.assertEqual(value("seats", picks=picks), 26)
        self.assertEqual(value("seats", picks=picks, Port__region="North"), None)
        self.assertEqual(value("seats", picks=[{"where": "Booking.seats > 4"}]), 56)

    def test_loose_links(self):
        links = [k | {"active": k["name"] in ("port", "day", "tag"), "flow": "two-way" if k["name"] == "tag" else "one-way"} for k in LINKS]
        star = make_star(links=links)
        self.assertEqual(value("seats", star, Tag__tag="blue"), 5)
        self.assertEqual(value("seats", star, Tag__tag="red"), 7)
        self.assertEqual(value("seats", star), 63, "no filter reaches: everything passes, the unmatched too")
        self.assertEqual(value("rows(Tag)", star, Port__region="North"), 2)
        self.assertEqual(value("seats given (clear wide Booking)", star, Tag__tag="blue"), 5, "wide stops at a loose link")
        self.assertEqual(value("seats given (clear into Booking)", star, Tag__tag="blue"), 63)
        self.assertFalse(star.has_unmatched("Tag"))

    def test_a_chain_of_unmatched_members(self):
        tables = {
            "F": ("k:integer", [(1,), (2,), (9,), (None,)]),
            "D": ("k:integer e:integer", [(1, 7), (2, 8)]),
            "E": ("k:integer n:text", [(7, "seven")]),
        }
        star = make_star(tables, [{"from": "F.k", "to": "D.k"}, {"from": "D.e", "to": "E.k"}], {})
        self.assertEqual(value("rows(F)", star, E__n="seven"), 1)
        self.assertEqual(value("rows(F)", star, E__n=UNMATCHED), 3)
        self.assertEqual(value("rows(D)", star, E__n=UNMATCHED), 1)
        self.assertEqual({c.get("E.n") for c in grid("rows(F)", star, rows=["E.n"])}, {"seven", "(unmatched)"})

    def test_composite_keys_and_firmness(self):
        tables = {
            "F": ("a:integer b:text n:integer", [(1, "x", 1), (1, "y", 2), (None, "x", 4), (2, "x", 8)]),
            "P": ("a:integer b:text p:integer", [(1, "x", 10), (1, "y", 20), (2, None, 30)]),
        }
        link = {"from": ["F.a", "F.b"], "to": ["P.a", "P.b"]}
        loose = make_star(tables, [link], {})
        self.assertEqual(len(loose.firm), 0, "a one side with an empty key is not proven")
        tables["P"] = (tables["P"][0], tables["P"][1][:2])
        star = make_star(tables, [link], {})
        self.assertEqual(value("sum(F.n * P.p)", star), 50)
        self.assertEqual(value("sum(F.n)", star, P__p=UNMATCHED), 12)
        for change, firm in (({"firm": False}, 0), ({}, 1), ({"cardinality": "many-to-many"}, 0)):
            self.assertEqual(len(make_star(tables, [link | change], {}).firm), firm)
        sources = replace(star.model, tables=tuple(replace(t, source=t.name) for t in star.model.tables))
        self.assertEqual(len(Star(sources, star.rows).firm), 0, "two sources make it loose")

    def test_two_paths_in_a_formula(self):
        links = [*LINKS, {"name": "far", "from": "Booking.no", "to": "Crew.name", "active": False}]
        tables = dict(TABLES) | {"Crew": ("port:text name:integer", [("a", 1), ("b", 2)])}
        star = make_star(tables, links)
        self.assertEqual(value("sum(Cal.week) given (via Booking.no = Crew.name)", star), 6, "a table nobody asks may have two")
        with self.assertRaises(Refused) as caught:
            value("seats given (via Booking.no = Crew.name)", star)
        found = caught.exception.diagnostics[0]
        self.assertEqual(found.code, "double_path")
        self.assertIn("port", found.message)
        self.assertIn("far", found.message)


class Grids(unittest.TestCase):
    def test_lines_and_totals(self):
        cells = grid("seats", rows=["Port.region", "Port.name"], columns=["Cal.year"], totals="all")
        lines = [tuple(c.get(k, "*") for k in ("Port.region", "Port.name", "Cal.year")) for c in cells]
        self.assertEqual(
            lines[:4], [("North", "Alder", 2031), ("North", "Alder", "(unmatched)"), ("North", "Alder", "*"), ("North", "*", 2031)]
        )
        self.assertEqual(lines[-1], ("*", "*", "*"))
        self.assertEqual([line[0] for line in lines if line[1] == "*" and line[2] == "*"], ["North", "South", None, "(unmatched)", "*"])
        self.assertNotIn("Dogwood", [line[1] for line in lines], "an empty line is left out")
        self.assertEqual(next(c["x"] for c in cells if list(c) == ["x"]), 63)
        whole = {c.get("Port.region", "*"): c["x"] for c in cells if "Port.name" not in c and "Cal.year" not in c}
        self.assertEqual(whole["*"], sum(v for k, v in whole.items() if k != "*"), "the unmatched member makes parts add up")

    def test_totals_are_computed_in_their_own_context(self):
        cells = grid("avg(Booking.fare)", rows=["Port.region"], totals="grand")
        self.assertAlmostEqual(cells[-1]["x"], (10 + 20 + 2.5 + 1 + 4 + 7) / 6)
        self.assertEqual(grid("seats", rows=["Port.region"], totals="none")[-1]["Port.region"], "(unmatched)")

    def test_empty_lines_and_no_axes(self):
        self.assertIn("Dogwood", [c["Port.name"] for c in grid("seats", rows=["Port.name"], empty_lines=True)])
        self.assertEqual(grid("seats"), [{"x": 63}])
        self.assertEqual(grid("sum(Nobody.x)"), [{"x": None}])
        self.assertEqual(grid("seats", rows=["Nobody.y"]), [])

    def test_axes_of_several_tables_are_all_combinations(self):
        cells = grid("COALESCE(seats, 0)", rows=["Port.name", "Cal.week"], picks=[{"column": "Port.region", "in": ["North", "South"]}])
        self.assertEqual(len(cells), 3 * 3)

    def test_sort(self):
        names = lambda **p: [c["Port.name"] for c in grid("seats", rows=["Port.name"], **p)]  # noqa: E731
        self.assertEqual(names(sort=[{"by": "x", "desc": True}]), ["Cedar", "(unmatched)", "Alder", "Birch"])
        self.assertEqual(names(sort=[{"by": "x"}]), ["Birch", "Alder", "(unmatched)", "Cedar"])
        self.assertEqual(names(sort=[{"by": "Port.name", "desc": True}]), ["Cedar", "Birch", "Alder", "(unmatched)"])
        nested = grid("seats", rows=["Port.region", "Port.name"], sort=[{"by": "x", "desc": True}], totals="all")
        lines = [(c.get("Port.region", "*"), c.get("Port.name", "*")) for c in nested]
        self.assertEqual(lines[:4], [(None, "Cedar"), (None, "*"), ("(unmatched)", "(unmatched)"), ("(unmatched)", "*")])

    def test_a_failed_measure_leaves_the_others(self):
        cells = grid(rows=["Port.region"], measures=["x", "seats"], define={"x": "9223372036854775807 * trips"})
        self.assertEqual(cells[0], {"Port.region": "North", "x": {"error": "overflow"}, "seats": 5})

    def test_whole_numbers_stay_exact(self):
        big = 2**62
        star = make_star({"T": ("n:integer g:integer", [(big, 1), (big - 2, 1), (1, 2)])}, [], {})
        self.assertEqual(value("sum(T.n)", star), 2 * big - 1)
        self.assertEqual(value("sum(T.n)", star, T__g=1), 2 * big - 2)
        self.assertEqual(grid("max(T.n) - 1", star)[0]["x"], big - 1)
        star = make_star({"T": ("n:integer", [(big,), (big,)])}, [], {})
        self.assertEqual(grid("sum(T.n)", star), [{"x": {"error": "overflow"}}])


class Shape(unittest.TestCase):
    def test_unmatched_exists_only_over_firm_links(self):
        self.assertEqual({t.name for t in STAR.model.tables if STAR.has_unmatched(t.name)}, {"Port", "Cal"})


if __name__ == "__main__":
    unittest.main()
