"""Every finding, on a star that deserves it, and none of its kind on one that does not."""

import datetime as dt
import unittest
from dataclasses import replace

from nexorem.core.model.model import Measure
from tests.core.small import LINKS, MEASURES, TABLES, keeping, make_star
from tests.plain import findings

D = dt.date


def codes(star, about=None):
    return {f["code"] for f in findings(star) if about is None or f["about"] == about}


def with_model(star, **parts):
    return star.with_model(replace(star.model, **parts))


def star_of(tables, links, measures=None, probes=(), calendar=False):
    star = make_star(tables, links, measures or {}, calendar)
    return keeping(star, probes=list(probes))


FACT = ("port:text seats:integer day:date", [("a", 1, D(2031, 1, 1)), ("b", 2, D(2031, 1, 2))])
DIM = ("code:text name:text size:integer", [("a", "Alder", 3), ("b", "Birch", 4)])
TWO = {"F": FACT, "P": DIM}
LINK = {"name": "p", "from": "F.port", "to": "P.code"}
SUM = {"m": "sum(F.seats)"}
PROBE = {"name": "g", "rows": ["P.name"], "columns": [], "measures": ["m"]}


class Lint(unittest.TestCase):
    def check(self, code, bad, good):
        self.assertIn(code, codes(bad), code)
        self.assertNotIn(code, codes(good), code)
        for found in findings(bad):
            self.assertTrue(found["sentence"].endswith((".", "?")) and found["about"] and found["weight"] in ("warning", "note"), found)

    def test_probes(self):
        good = star_of(TWO, [LINK], SUM, [PROBE])
        lone = star_of(TWO, [], SUM, [PROBE])
        self.check("filter_unreached", lone, good)
        self.check("measure_unreached", lone, good)
        self.check("broken_probe", star_of(TWO, [LINK], SUM, [{**PROBE, "measures": ["nope"]}]), good)
        self.check("dimension_summed", star_of(TWO, [LINK], {"m": "sum(P.size)"}, [{**PROBE, "rows": ["F.port"]}]), good)
        self.check("set_on_axis", star_of(TWO, [LINK], {"m": "sum(F.seats) given (set P.name = 'x')"}, [PROBE]), good)
        many = {**LINK, "cardinality": "many-to-many"}
        total = {**PROBE, "totals": "all"}
        self.check("parts_overlap", star_of(TWO, [many], SUM, [total]), star_of(TWO, [LINK], SUM, [total]))

    def test_a_declared_key_that_repeats(self):
        def star(rows):
            found = make_star({"P": ("code:text name:text", rows)}, [], {})
            return with_model(found, tables=tuple(replace(t, key=("code",)) for t in found.model.tables))

        self.check("key_repeated", star([("a", "x"), ("a", "y"), (None, "z")]), star([("a", "x"), ("b", "y")]))
        told = next(f["sentence"] for f in findings(star([("a", "x"), ("a", "y"), (None, "z")])) if f["code"] == "key_repeated")
        self.assertEqual(told, "P.code is declared to be the key of P: 2 rows share it with another and 1 row has none.")

    def test_sums_of_rows_in_a_model_of_before(self):
        tables = {"F": ("port:text seats:integer fee:integer", [("a", 1, 2), ("b", 2, None), ("a", None, None), ("b", 3, None)]), "P": DIM}

        def star(formula, language=1, **more):
            return with_model(star_of(tables, [LINK], {"m": formula, **more}), language=language)

        self.check("empty_in_row", star("sum(F.seats - F.fee)"), star("sum(F.seats - F.fee)", 2))
        told = {
            "sum(F.seats - F.fee)": "2 rows of F have one",
            "rows(F where F.seats + 1 + F.fee > 0)": "3 rows of F have one",
            "sum(P.size - x for each P)": "x may be one",
            "sum(F.fee - sum(F.seats) for each F)": "F.fee may be one and sum(F.seats) may be one",
            "x given (keep F.fee + F.seats > 2)": "F.fee may be one and F.seats may be one",
            "sum(F.seats) - sum(F.fee)": "",
            "sum(x - x for each P)": "",
            "sum(F.seats - F.fee) + 0 * x": "2 rows of F have one",
        }
        for formula, part in told.items():
            with self.subTest(formula):
                found = [f["sentence"] for f in findings(star(formula, x="sum(F.seats)")) if f["code"] == "empty_in_row"]
                self.assertEqual(len(found), bool(part), found)
                self.assertTrue(not part or f": {part}." in found[0], found)
        behind = [f["about"] for f in findings(star("y + 1", y="sum(F.seats - F.fee)")) if f["code"] == "empty_in_row"]
        self.assertEqual(behind, ["measure y"])  # where it is written, not where it is used

    def test_links(self):
        good = star_of(TWO, [LINK], SUM)
        orphan = {**TWO, "F": (FACT[0], [*FACT[1], ("zz", 1, None)])}
        self.check("orphans", star_of(orphan, [LINK], SUM), good)
        self.check(
            "two_way_unmatched", star_of(orphan, [{**LINK, "flow": "two-way"}], SUM), star_of(TWO, [{**LINK, "flow": "two-way"}], SUM)
        )
        chain = {**TWO, "G": ("name:text", [("Alder",), ("Birch",)])}
        links = [{**LINK, "flow": "two-way"}, {"name": "g", "from": "P.name", "to": "G.name", "flow": "two-way"}]
        self.check("two_way_chain", star_of(chain, links, SUM), star_of(chain, [links[0], {**links[1], "flow": "one-way"}], SUM))
        self.check("really_many_to_one", star_of(TWO, [{**LINK, "cardinality": "many-to-many"}], SUM), good)
        repeated = {"F": FACT, "P": (DIM[0], [*DIM[1], ("b", "Beech", 1)])}
        twice = {**repeated, "F": (FACT[0], [*FACT[1], ("a", 3, None)])}
        self.assertNotIn("really_many_to_one", codes(star_of(twice, [{**LINK, "cardinality": "many-to-many"}], SUM)))
        self.check(
            "unused_link",
            star_of(TWO, [{**LINK, "active": False}], SUM),
            star_of(TWO, [{**LINK, "active": False}], {"m": "sum(F.seats) given (via F.port = P.code)"}),
        )
        self.check("loose", star_of(TWO, [{**LINK, "firm": False}], SUM), good)
        bridge = {**TWO, "B": ("port:text tag:text", [("a", "x"), ("b", "x")]), "T": ("tag:text", [("x",)])}
        ways = [{"name": "b1", "from": "B.port", "to": "P.code"}, {"name": "b2", "from": "B.tag", "to": "T.tag"}]
        self.check("bridge_one_way", star_of(bridge, ways, SUM), star_of(bridge, [{**ways[0], "flow": "two-way"}, ways[1]], SUM))

    def test_calendars(self):
        def star(days):
            tables = {"F": FACT, "Cal": ("day:date", [(d,) for d in days])}
            return star_of(tables, [{"name": "d", "from": "F.day", "to": "Cal.day"}], SUM, calendar=True)

        days = [D(2031, 1, d) for d in range(1, 6)]
        self.check("calendar_gap", star([*days[:2], *days[3:]]), star(days))
        self.check("calendar_short", star(days[1:]), star(days))

    def test_measures_and_names(self):
        good = star_of(TWO, [LINK], SUM)
        self.check("broken_measure", star_of(TWO, [LINK], {"m": "sum(F.seat)"}), good)
        self.check(
            "count_compared",
            star_of(TWO, [LINK], {"m": "CASE WHEN rows(F) = 0 THEN 1 END"}),
            star_of(TWO, [LINK], {"m": "CASE WHEN rows(F) > 5 THEN 1 END"}),
        )
        loose = [LINK, {"name": "l", "from": "F.seats", "to": "L.n", "firm": False}]
        three = {**TWO, "L": ("n:integer", [(1,), (2,)])}
        self.check(
            "clear_stops",
            star_of(three, loose, {"m": "sum(F.seats) given (clear wide F)"}),
            star_of(three, [LINK, {**loose[1], "firm": None}], {"m": "sum(F.seats) given (clear wide F)"}),
        )
        # The words of an edit are read from its tree, however it is written.
        spaced = {"My Fact" if k == "F" else k: v for k, v in three.items()}
        ends = [{**k, "from": k["from"].replace("F.", '"My Fact".')} for k in loose]
        for clear in ('clear wide "My Fact"', 'clear\n  wide\n"My Fact"'):
            self.check("clear_stops", star_of(spaced, ends, {"m": f'sum("My Fact".seats) given ({clear})'}), good)
        self.check("names_by_case", star_of(TWO, [LINK], {"p": "sum(F.seats)"}), star_of(TWO, [LINK], {"Seats": "sum(F.seats)"}))
        self.check(
            "unused_columns",
            good,
            star_of(TWO, [LINK], {"m": "sum(F.seats * P.size) given (clear P.name)", "n": "max(P.name)", "d": "max(F.day)"}),
        )
        self.check("no_measure", star_of(TWO, [LINK]), good)
        self.check("empty_table", star_of({**TWO, "E": ("x:integer", [])}, [LINK], SUM), good)
        self.check("disconnected", star_of({**TWO, "E": ("x:integer", [(1,)])}, [LINK], SUM), good)

    def test_a_folio_names_what_it_lacks(self):
        star = make_star(TABLES, LINKS, MEASURES)
        kept = {"name": "kept", "measures": ["seats"]}
        tiles = [
            {"kind": "probe", "probe": "kept"},
            {"kind": "probe", "probe": "gone"},
            {"kind": "text", "text": "x"},
            {"kind": "number", "title": "odd", "probe": {"measures": ["nope"]}},
            {"kind": "number", "probe": {"measures": ["seats"]}},
        ]
        found = findings(keeping(star, probes=[kept], folios=[{"name": "f", "tiles": tiles}]))
        told = [f["sentence"] for f in found if f["code"] == "broken_tile"]
        self.assertEqual([("gone" in t, "odd" in t) for t in told], [(True, False), (False, True)])

    def test_the_small_star_has_its_own(self):
        star = make_star(TABLES, LINKS, MEASURES)
        self.assertLessEqual({"orphans", "two_way_unmatched", "empty_table", "unused_link"}, codes(star))
        self.assertEqual(
            codes(star.with_model(replace(star.model, measures=(*star.model.measures, Measure("bad", "1 +"))))) - codes(star),
            {"broken_measure"},
        )


if __name__ == "__main__":
    unittest.main()
