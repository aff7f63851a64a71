"""The engine's own promises: threads on one star, a cancelled computation, bounds by name, lines from facts, kept columns."""

import random
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import numpy as np

from nexorem.core.columns import compact
from nexorem.core.diagnostics import CellError, OverLimit, Refused
from nexorem.core.engine import adding, fast, lines, scan, warm
from nexorem.core.engine import grid as engine_grid
from nexorem.core.engine.context import Sets, sets_of_pairs
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.functions import texts
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.functions.texts import like
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget, Limits
from nexorem.core.values import encode, vector
from nexorem.server.callers import Caller
from tests.core.small import STAR, grid, make_star
from tests.oracle.random_models import Maker
from tests.oracle.scalars import like as oracle_like


class Columns(unittest.TestCase):
    def test_what_is_kept_is_what_was_given(self):
        r = random.Random(3)
        for dtype, values in (
            ("integer", [1, 2, None, 2, -5]),
            ("integer", [10**12, -(10**15), 3]),
            ("integer", []),
            ("integer", [None, None]),
            ("integer", [r.randrange(2**62) for _ in range(500)]),
            ("number", [0.5, None, -1e300]),
            ("number", []),
            ("number", [None, None]),
            ("number", [-0.0, 0.0, -0.0]),
            ("number", [i % 250 / 100 for i in range(9_000)]),
            ("number", [None if i % 3 == 0 else i // 5_000 / 7 for i in range(20_000)]),
            ("number", [i / 100 for i in range(300)]),
            ("boolean", [True, None, False]),
            ("text", ["b", None, "", "a", "b"]),
            ("integer", list(range(70_000))),
            ("integer", [i % 300 for i in range(2000)]),
        ):
            with self.subTest(f"{dtype} {values[:5]}"):
                column = compact(vector(dtype, values))
                self.assertEqual(repr(column.rows().tolist()), repr(values))
                self.assertEqual((column.at(len(values)), column.full()), (None, None not in values))

    def test_doubles_are_coded_where_few_are_different(self):
        rising = [i // 5_000 / 7 for i in range(600_000)]  # further ones in later blocks
        for values, coded in (
            (rising, True),
            ([*rising, *(i / 3 for i in range(200))], False),
            ([*(i / 3 for i in range(260)), *rising], False),
            ([0.5, 0.0, -0.0], False),  # which sign a zero has would be lost
        ):
            with self.subTest(f"{len(values)} {values[:3]}"):
                column = compact(vector("number", values))
                self.assertEqual(column.codes is not None, coded)
                self.assertEqual(repr(column.rows().tolist()), repr(values))
                if column.members is not None:
                    self.assertEqual(column.members.data[:-1].tolist(), sorted(set(values)))
                    self.assertLess(column.bytes(), 1.1 * len(values))

    def test_narrow(self):
        size = 100_000
        kept = compact(vector("integer", [i % 50 for i in range(size)]))
        self.assertLess(kept.bytes(), 1.1 * size)
        texts = compact(encode(np.array(["north", "south"], dtype=object)[np.arange(size) % 2], np.ones(size, bool)))
        self.assertLess(texts.bytes(), 1.1 * size)


class SetsOfMembers(unittest.TestCase):
    def test_distinct_sets(self):
        r = random.Random(5)
        for _ in range(200):
            listed = [sorted(r.sample(range(6), r.randint(0, 3))) for _ in range(r.randint(1, 12))]
            pairs = [(i, m) for i, s in enumerate(listed) for m in s]
            owners, members = (np.array([p[k] for p in pairs], dtype=np.int64) for k in (0, 1))
            found = sets_of_pairs(owners, members, len(listed))
            few, number = found.distinct()
            self.assertEqual(few.count, len({tuple(s) for s in listed}))
            for i, wanted in enumerate(listed):
                k = int(number[i])
                self.assertEqual(few.members[few.offsets[k] : few.offsets[k + 1]].tolist(), wanted)
        self.assertEqual(Sets(np.zeros(1, np.int64), np.zeros(0, np.int64)).count, 0)


class Together(unittest.TestCase):
    def test_many_threads_on_one_star(self):
        maker = Maker(12)
        maker.with_measures(3)
        probes = [{**maker.probe([m.name]), "totals": "all"} for m in maker.model.measures for _ in range(4)]

        def ask(data):
            try:
                return list(answer(maker.star, probe_of(maker.star, data), Budget()).tidy())
            except Exception as error:
                return type(error).__name__

        with mock.patch.object(fast, "FEWEST_ROWS", 0), mock.patch.multiple(scan, BLOCK=3, SHARE=2):
            alone = [ask(p) for p in probes]
            with ThreadPoolExecutor(8) as pool:
                self.assertEqual(list(pool.map(ask, probes * 6)), alone * 6)

    def test_a_cancelled_scan_ends(self):
        star = warm.star()
        probe = probe_of(star, {"measures": ["m1"], "rows": ["D.one"]})
        budget = Budget()
        budget.cancel()
        with self.assertRaises(OverLimit) as caught:
            answer(star, probe, budget)
        self.assertEqual(caught.exception.diagnostics[0].code, "limit_cancelled")

    def test_a_caller_that_goes_away(self):
        caller, budget, late = Caller(), Budget(), Budget()
        caller.watch(budget)
        budget.check()
        caller.leave()
        caller.watch(late)
        for one in (budget, late):
            self.assertRaises(OverLimit, one.check)


class Bounds(unittest.TestCase):
    def test_each_is_named(self):
        star = warm.star()

        def ask(limits=None, now=None, **data):
            return answer(star, probe_of(star, {"measures": ["x"], **data}), Budget(limits or Limits(), now))

        ticks = iter(range(10_000))
        cases = [
            ("limit_memory_bytes", lambda: ask(Limits(memory_bytes=10_000), define={"x": "sum(m1 for each F)"}, rows=["D.one"])),
            (
                "limit_seconds",
                lambda: ask(Limits(seconds=2), lambda: float(next(ticks)), define={"x": "sum(F.a) + sum(F.b) + max(F.x)"}, rows=["D.one"]),
            ),
            ("limit_probe_cells", lambda: ask(define={"x": "COALESCE(sum(F.a), 0)"}, rows=["F.wide", "D.many"], limit=1000)),
            ("limit_formula_nodes", lambda: ask(Limits(formula_nodes=5), define={"x": "1 + 2 + 3 + 4 + 5"})),
        ]
        for code, work in cases:
            with self.subTest(code), self.assertRaises(OverLimit) as caught:
                work()
            self.assertEqual(caught.exception.diagnostics[0].code, code)

    def test_deep_formulas_run_or_are_refused(self):
        def nest(before, inside, after, levels):
            return before * levels + inside + after * levels

        for before, inside, after in (
            ("sum(", "seats", " for each Port)"),
            ("rank(", "seats", " among Port)"),
            ("let a = 1 in ", "a", ""),
            ("known ", "Port", ""),
            ("seats given (set Port.depth = ", "1", ")"),
            ("", "seats", " given (clear Port)"),
            ("top 1 of (", "Port", ") by 1"),
        ):
            for levels in (15, 190, 1000):
                with self.subTest(f"{before} × {levels}"):
                    text = nest(before, inside, after, levels)
                    try:
                        self.assertEqual(len(grid(f"rows({text})" if inside == "Port" else text)), 1)
                    except Refused as refused:
                        self.assertTrue(refused.diagnostics[0].code.startswith("limit_"), refused)

    def test_functions_of_text_spend_the_budget(self):
        star = make_star({"T": ("name:text", [(f"{'ab' * 50}{i}",) for i in range(2_000)])}, [], {})
        ticks = iter(range(1_000_000))

        def now():
            return float(next(ticks))

        cases = (
            ("limit_seconds", "rows(T where T.name LIKE '%a%b%')", Limits(seconds=40), now),
            ("limit_seconds", "rows(T where '%a%b%' LIKE T.name)", Limits(seconds=40), now),
            ("limit_memory_bytes", "max(REPLACE(T.name, 'a', 'aaaaaaaaaa'))", Limits(memory_bytes=1_000_000), None),
            ("limit_memory_bytes", f"max({' || '.join(['T.name'] * 40)})", Limits(memory_bytes=4_000_000), None),
        )
        for code, formula, limits, clock in cases:
            few = mock.patch.object(texts, "CHARACTERS_AT_ONCE", 5_000)
            with self.subTest(formula[:40]), few, self.assertRaises(OverLimit) as caught:
                answer(star, probe_of(star, {"measures": ["x"], "define": {"x": formula}}), Budget(limits, clock))
            self.assertEqual(caught.exception.diagnostics[0].code, code)

    def test_like_is_the_oracles_and_linear(self):
        r = random.Random(11)
        for _ in range(20_000):
            text, pattern = ("".join(r.choices(signs, k=r.randint(0, 9))) for signs in ("ab", "ab%%_"))
            self.assertEqual(like(text, pattern), oracle_like(text, pattern), (text, pattern))
        kernel = FUNCTIONS["LIKE"].kernel
        for i in range(600):
            texts = [None if r.random() < 0.2 else "".join(r.choices("ab", k=r.randint(0, 3))) for _ in range(r.randint(0, 12))]
            some = ["".join(r.choices("ab%_!", (5, 5, 3, 1, 1), k=r.randint(0, 3))) for _ in texts]
            patterns = some if i % 4 == 0 else some[:1] * len(texts)
            escapes = [vector("text", ["!"] * len(texts))] if i % 2 else []
            found = kernel(vector("text", texts), vector("text", patterns), *escapes).tolist()
            given = zip(texts, patterns, strict=True)
            self.assertEqual(found, [None if t is None else oracle_like(t, p, *["!"] * (i % 2)) for t, p in given], (texts, patterns))
        long = "ab" * 500_000
        for pattern, found in (("%a" * 100_000 + "%", True), ("%" + "a%" * 100_000 + "c", False), (long, True), ("%" * 1_000_000, True)):
            self.assertIs(like(long, pattern), found)
        with self.assertRaises(CellError) as caught:
            like(long, f"%{'_a' * 200}_%")
        self.assertEqual(caught.exception.code, "limit_text_bytes")

    def test_a_long_text_fails_in_its_cell(self):
        star = warm.star()
        probe = probe_of(star, {"measures": ["x"], "define": {"x": "listagg(CAST(m1 AS text), 'and' for each F.small)"}})
        cell = next(answer(star, probe, Budget(Limits(text_bytes=50))).tidy())
        self.assertEqual(cell["x"], {"error": "limit_text_bytes"})


class ByMember(unittest.TestCase):
    """A tree over one column of the rows is computed once for each of its members, and says of each row what it said before."""

    FORMULAS = (
        "sum(CASE WHEN Booking.note = 'x' THEN 1 WHEN Booking.note = 'y' THEN 10 END)",
        "sum(CASE Booking.note WHEN 'x' THEN 0.5 ELSE 2 END * Booking.seats)",
        "sum(EXTRACT(YEAR FROM Booking.day))",
        "max(EXTRACT(DAY FROM Booking.refunded) + Booking.seats)",
        "sum(COALESCE(Booking.seats, 100) * 2)",
        "min(Booking.seats % 3)",
        "sum(Booking.seats * 3000000000000000000)",
        "count(NULLIF(Booking.note, 'x'))",
        "sum(CASE WHEN Booking.seats > 4 THEN 3 * 3000000000000000000 * Booking.seats ELSE Booking.seats END)",
    )

    def test_as_row_by_row(self):
        few, apart = mock.patch.object(fast, "FEWEST_ROWS", 0), mock.patch.object(adding.Adder, "_found_by_member", lambda *_: None)
        acted, failing = [], 0
        real = adding._at_members

        def counted(*given):
            acted.append(given)
            return real(*given)

        for formula in self.FORMULAS:
            for picks in ([], [{"where": "Booking.seats <= 2"}], [{"where": "Booking.note <> 'y'"}]):
                with self.subTest(formula, picks=picks), few:
                    probe = {"rows": ["Port.region"], "picks": picks, "totals": "all"}
                    with mock.patch.object(adding, "_at_members", counted):
                        cells = grid(formula, make_star(), **probe)
                    with apart:
                        self.assertEqual(cells, grid(formula, make_star(), **probe))
                    failing += sum(isinstance(cell["x"], dict) for cell in cells)
        self.assertGreater(len(acted), 20)
        self.assertGreater(failing, 2)

    def test_trees_of_columns_and_constants_alone(self):
        for formula, columns in (
            ("sum(Booking.seats + 1)", {("Booking", "seats")}),
            ("sum(Booking.seats * Booking.fare)", {("Booking", "seats"), ("Booking", "fare")}),
            ("sum(let a = Booking.seats in a + a)", None),
            ("sum(Booking.seats * seats)", None),
        ):
            node = Binder(make_star(measures={"seats": "sum(Booking.seats)", "x": formula})).measure("x").body
            self.assertEqual(adding.columns_alone(node.argument), columns, formula)


class Lines(unittest.TestCase):
    def test_lines_come_from_the_facts(self):
        """1,000 × 700 lines are far over the limit; 7,000 of them have rows."""
        star = warm.star()
        data = {"measures": ["m1"], "rows": ["F.wide", "D.many"], "limit": 100_000}
        self.assertGreater(1000 * 700, 100_000)
        found = list(answer(star, probe_of(star, data), Budget()).tidy())
        self.assertEqual(len(found), len({(i % 1000, i % 70_000 % 700) for i in range(120_000)}))

    def test_only_where_the_measures_allow_it(self):
        with mock.patch.object(lines, "CROSSED", 0):
            axes = {"rows": ["Port.name", "Cal.week"]}
            self.assertEqual(len(grid("sum(Booking.seats)", **axes)), 5)
            self.assertEqual(len(grid("COALESCE(sum(Booking.seats), 0)", **axes)), 15)
            self.assertEqual(len(grid("sum(Booking.seats) given (clear Port)", **axes)), 15)
            self.assertEqual(len(grid("NULLIF(2, sum(Booking.seats))", **axes)), 14)  # one cell has 2 seats
            for formula in (
                "let a = sum(Booking.seats) in a / 2",
                "CASE WHEN trips > 0 THEN seats END",
                "COALESCE(seats, trips) + trips",
                "NULLIF(seats, 2)",
            ):
                with self.subTest(formula), mock.patch.object(lines, "from_facts", wraps=lines.from_facts) as asked:
                    grid(formula, **axes)
                    self.assertTrue(asked.called)

    def test_an_axis_over_a_large_table_costs_its_members_that_are_used(self):
        people = [(i, f"p{i}") for i in range(60_000)]
        star = make_star(
            {"F": ("who:integer n:integer", [(i * 7 % 60_000, i) for i in range(90)]), "P": ("id:integer name:text", people)},
            [{"name": "p", "from": "F.who", "to": "P.id"}],
            {"n": "sum(F.n)"},
        )
        with mock.patch.object(engine_grid, "_combinations", side_effect=AssertionError("looked at everybody")):
            found = answer(star, probe_of(star, {"rows": ["P.name"], "measures": ["n"], "limit": 100}), Budget())
        self.assertEqual(len(found.rows.lines), 90)


class Kept(unittest.TestCase):
    """Lines by conditions on measures, and the top ones."""

    def told(self, rows=("Port.region", "Port.name"), measures=("seats",), **probe):
        found = answer(STAR, probe_of(STAR, {"rows": list(rows), "measures": list(measures), **probe}), Budget())
        return [tuple(c.values()) for c in found.rows.coordinates(STAR)], found.left_out

    def test_conditions_and_tops_of_any_level(self):
        every = [("North", "Alder"), ("South", "Birch"), (None, "Cedar"), ("(unmatched)", "(unmatched)")]
        self.assertEqual(self.told()[0], every)
        for probe, expected, out in (
            ({"having": [{"where": "seats > 4"}]}, [every[0], every[2], every[3]], 1),
            ({"having": [{"where": "seats > 4 AND trips < 2", "level": "Port.region"}]}, [every[2]], 3),
            ({"having": [{"where": "seats > 4"}, {"where": "trips > 1"}]}, [every[0], every[3]], 2),
            ({"having": [{"where": "seats > 100"}], "totals": "all"}, [()], 4),
            (
                {"having": [{"where": "seats > 4"}], "totals": "all", "rows": ["Port.region"]},
                [("North",), (None,), ("(unmatched)",), ()],
                1,
            ),
            ({"top": {"count": 1, "by": "seats", "level": "Port.region"}}, [every[2]], 3),
            ({"top": {"count": 2, "by": "seats", "asc": True, "level": "Port.region"}}, [every[0], every[1]], 2),
            ({"top": {"count": 1, "by": "trips", "level": "Port.region"}, "measures": ["trips"]}, [every[0], every[1], every[3]], 1),
            ({"top": {"count": 1, "by": "trips", "level": "Port.region", "ties": False}, "measures": ["trips"]}, [every[0]], 3),
            ({"having": [{"where": "seats < 30"}], "top": {"count": 1, "by": "seats", "level": "Port.region"}}, [every[3]], 3),
            ({"having": [{"where": "twice > 60"}], "define": {"twice": "seats * 2"}}, [every[2]], 3),
            ({"having": [{"where": "NULL"}]}, [], 4),
        ):
            with self.subTest(probe):
                self.assertEqual(self.told(**probe), (expected, out))

    def test_the_bound_of_cells_is_judged_afterwards(self):
        with self.assertRaises(OverLimit):
            self.told(limit=3)
        self.assertEqual(len(self.told(limit=3, top={"count": 1, "by": "seats", "level": "Port.region"})[0]), 1)
        self.assertEqual(len(self.told(limit=3, having=[{"where": "seats > 4"}])[0]), 3)

    def test_what_is_wrong_with_them_is_told(self):
        for probe, code, words in (
            ({"having": [{"where": "seats + 1"}]}, "wrong_type", "this is an integer"),
            ({"having": [{"where": "nope > 1"}]}, "unknown_name", "nope"),
            ({"having": "x"}, "bad_probe", "having is not a list"),
            ({"having": [{"where": "seats > 1", "level": "Cal.day"}]}, "bad_level", "does not stand on the rows"),
            ({"having": [{"where": "seats > 1", "at": 3}]}, "bad_probe", "having.0.at is not known"),
            ({"having": [{"where": "seats >"}]}, "syntax", ""),
            ({"top": {"count": 1, "by": "seats", "level": "Port.nope"}}, "unknown_column", "nope"),
            ({"having": [{"where": "Port.name = 'x'"}]}, "bare_column", "many values"),
        ):
            with self.subTest(probe), self.assertRaises(Refused) as caught:
                self.told(**probe)
            first = caught.exception.diagnostics[0]
            self.assertEqual((first.code, words in first.message), (code, True), first)


if __name__ == "__main__":
    unittest.main()
