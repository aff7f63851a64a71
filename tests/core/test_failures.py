"""What cannot be computed, or may not: a value fails its own cell, memory and cells are bounded by what is held together."""

import datetime as dt
import tracemalloc
import unittest
from contextlib import suppress

from nexorem.core.diagnostics import OverLimit
from nexorem.core.engine import scan
from nexorem.core.engine.beside import grids_beside
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget, Limits
from tests.core.small import make_star

HALF = 2**62
BIG = make_star(
    {
        "F": (
            "k:text n:integer t:text",
            [("a", HALF, "x"), ("a", HALF, "yy"), ("b", 1, "z"), ("b", -HALF, None), ("c", -(2**63), "w" * 30)],
        ),
        "D": ("k:text", [("a",), ("b",), ("c",)]),
        "One": ("k:text x:integer", [("a", 10), ("c", 30)]),
        "Cal": ("day:date", [(dt.date(2031, 1, d),) for d in (1, 2, 3)]),
        "G": ("day:date n:integer", [(dt.date(2031, 1, d), HALF) for d in (1, 2, 3)]),
    },
    [
        {"name": "d", "from": "F.k", "to": "D.k"},
        {"name": "one", "from": "One.k", "to": "D.k", "cardinality": "one-to-one"},
        {"name": "day", "from": "G.day", "to": "Cal.day"},
    ],
    {},
)


def by(formula, rows, **limits):
    """A formula's values by the members of a column."""
    probe = probe_of(BIG, {"rows": [rows], "measures": ["x"], "define": {"x": formula}, "empty_lines": True})
    return [cell["x"] for cell in answer(BIG, probe, Budget(Limits(**limits))).tidy()]


class Failures(unittest.TestCase):
    def test_a_value_that_cannot_be_computed_fails_its_own_cell(self):
        over, long = {"error": "overflow"}, {"error": "limit_text_bytes"}
        cases = [
            ("sum(F.n)", [over, 1 - HALF, -(2**63)]),
            ("-sum(F.n)", [over, HALF - 1, over]),
            ("ABS(min(F.n))", [HALF, HALF, over]),
            ("sum(F.n * 2)", [over, 2 - 2 * HALF, over]),
            ("sum(F.n * 2 where F.n > 0)", [over, 2, None]),
            ("rows(F where F.n * 2 > 0)", [over, 1, over]),
            ("CASE WHEN rows(F) = 2 THEN 1 ELSE sum(F.n * 2) END", [1, 1, over]),
            ("COALESCE(rows(F), sum(F.n * 2))", [2, 2, 1]),
            ("rows(F) given (keep F.n < sum(F.n) + 1)", [over, 1, 1]),
            ("max(rows(F) for each F where F.n + F.n > 0)", [over, 1, over]),
            ("let bad = sum(F.n * 2), good = 7 in good", [7, 7, 7]),
            ("avg(F.n)", [float(HALF), (1 - HALF) / 2, -(2.0**63)]),
        ]
        for formula, expected in cases:
            with self.subTest(formula):
                self.assertEqual(by(formula, "D.k"), expected)
        texts = [
            ("listagg(F.t, '')", ["xyy", "z", long]),
            ("max(F.t || F.t)", ["yyyy", "zz", long]),
            ("max(REPLACE(F.t, 'w', 'ww'))", ["yy", "z", long]),
        ]
        for formula, expected in texts:
            with self.subTest(formula):
                self.assertEqual(by(formula, "D.k", text_bytes=20), expected)

    def test_means_of_large_whole_numbers_where_sets_overlap(self):
        """Two days of one number each: their sum is beyond 64 bits, their mean is not."""
        self.assertEqual(by("avg(G.n) given (stretch Cal back 2 day)", "Cal.day"), [float(HALF)] * 3)
        self.assertEqual(by("sum(G.n) given (stretch Cal back 2 day)", "Cal.day"), [HALF, {"error": "overflow"}, {"error": "overflow"}])

    def test_one_to_one_links_are_looked_up_from_either_side(self):
        self.assertEqual(by("sum(One.x)", "D.k"), [10, None, 30])
        for formula, expected in (
            ("max(One.x for each D)", 30),
            ("rows(D where One.x > 5)", 2),
            ("sum(One.x where D.k = 'a')", 10),
            ("rows((D.k, One.x))", 2),
            ("rows(One) given (keep One.x > 20, clear wide D)", 2),
        ):
            with self.subTest(formula):
                probe = {"measures": ["x"], "define": {"x": formula}}
                self.assertEqual(next(answer(BIG, probe_of(BIG, probe), Budget()).tidy())["x"], expected)

    def test_memory_is_bounded_by_what_is_held_together(self):
        """The most that Python and NumPy hold at a time stays near the bound, whatever is asked; most of it is refused."""
        many = make_star(
            {"A": ("a:integer n:integer", [(i, i % 7) for i in range(600)]), "B": ("b:integer", [(i,) for i in range(600)])}, [], {}
        )
        bound = 8 * 2**20
        for formula in (
            "1",
            "rows(A) + rows(B)",
            "sum(A.n) given (clear A)",
            "let x = rows(A), y = x * 2, z = y * 3 in x + y + z",
            "median(A.n)",
        ):
            for more in ({}, {"sort": [{"by": "x"}]}, {"top": {"count": 3, "by": "x"}}, {"totals": "all"}):
                probe = {"rows": ["A.a"], "columns": ["B.b"], "measures": ["x"], "define": {"x": formula}, "limit": 10**9, **more}
                with self.subTest(formula, **more):
                    tracemalloc.start()
                    with suppress(OverLimit):
                        answer(many, probe_of(many, probe), Budget(Limits(memory_bytes=bound)))
                    most = tracemalloc.get_traced_memory()[1]
                    tracemalloc.stop()
                    self.assertLess(most, 2 * bound)

    def test_two_grids_beside_each_other(self):
        """An empty member, an unmatched one and a text that reads like it are three lines; one that only the second has follows its own."""
        named = {
            "F": ("k:text n:integer", [("a", 1), (None, 2), ("(unmatched)", 4), ("q", 8)]),
            "D": ("k:text g:text", [("a", "x"), ("z", None)]),
        }
        star = make_star(named, [{"name": "d", "from": "F.k", "to": "D.k"}], {})
        more = make_star(
            {**named, "D": ("k:text g:text", [("a", "x"), ("z", None), ("q", "(unmatched)")])},
            [{"name": "d", "from": "F.k", "to": "D.k"}],
            {},
        )
        probe = {"rows": ["D.g"], "measures": ["x"], "define": {"x": "COALESCE(sum(F.n), 0)"}, "totals": "all", "empty_lines": True}
        both = grids_beside(*(answer(s, probe_of(s, probe), Budget()) for s in (star, more)))
        shown = [x[:, 0].tolist() for x in (both.before[0], both.after[0])]
        # (unmatched) the text, x, the empty one, the unmatched member, the whole
        self.assertEqual(sorted(zip(*shown, strict=True), key=str), [(0, 0), (1, 1), (14, 6), (15, 15), (None, 8)])
        self.assertEqual(int(both.differs.sum()), 2)

    def test_threads_are_as_many_as_each_bound_allows(self):
        self.assertEqual([scan.workers(n)._max_workers for n in (1, 3, 1, 2)], [1, 3, 1, 2])

    def test_a_question_does_not_lift_the_bound_of_cells(self):
        probe = probe_of(BIG, {"rows": ["D.k"], "measures": ["x"], "define": {"x": "1"}, "limit": 10**9})
        with self.assertRaisesRegex(OverLimit, "3 cells that could be other than empty; 2 are allowed"):
            answer(BIG, probe, Budget(Limits(probe_cells=2)))


if __name__ == "__main__":
    unittest.main()
