"""What is said of a wrong formula: code, span, sentence, and mends that mend. And the bounds."""

import os
import random
import time
import unittest

from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.language.binder import Binder
from nexorem.core.language.foreign import INSTEAD
from nexorem.core.language.parser import parse
from nexorem.core.limits import Budget, Limits
from tests.core.small import LINKS, STAR, grid, make_star
from tests.core.test_language_page import examples
from tests.core.test_scalars import CASES as SCALARS
from tests.plain import vocabulary

# (formula, the codes in order, the text under the first)
WRONG = [
    ("sum(Booking.seat)", ["unknown_column"], "Booking.seat"),
    ("sum(Boking.seats)", ["unknown_table"], "Boking.seats"),
    ("sum(Booking.seat) + sum(Port.dpth) + seets", ["unknown_column", "unknown_column", "unknown_name"], "Booking.seat"),
    ("sume(Booking.seats)", ["unknown_function"], "sume"),
    ("IFNULL(seats, 0)", ["unknown_function"], "IFNULL"),
    ("LENGTH(the(Port.name))", ["unknown_function"], "LENGTH"),
    ("YEAR(max(Booking.day))", ["unknown_function"], "YEAR"),
    ("count(*)", ["syntax"], "*"),
    ('rows(Port where Port.name = "Alder")', ["unknown_name"], '"Alder"'),
    ("rows((Port with (w = Port.depth)) where rows(Booking where Booking.seats > w) > 0)", ["row_farther_out"], "w"),
    ("Booking.seats", ["bare_column"], "Booking.seats"),
    ("depth", ["unqualified_column"], "depth"),
    ("Port", ["table_as_value"], "Port"),
    ("x", ["cycle"], "x"),
    ("sum(Port.depth * Cal.week)", ["no_grain"], "sum(Port.depth * Cal.week)"),
    ("sum(Tag.port = Port.code)", ["wrong_type"], "Tag.port = Port.code"),
    ("sum(1)", ["no_grain"], "sum(1)"),
    ("sum(Port.name)", ["wrong_type"], "Port.name"),
    ("'a' + 1", ["wrong_type"], "'a' + 1"),
    ("DATE '2031-01-01' + 1", ["wrong_type"], "DATE '2031-01-01' + 1"),
    ("seats = 'a'", ["wrong_type"], "seats = 'a'"),
    ("CAST(TRUE AS date)", ["wrong_type"], "CAST(TRUE AS date)"),
    ("NULL IN (1, 'a')", ["wrong_type"], "NULL IN (1, 'a')"),
    ("CAST(1 AS boolean)", ["wrong_type"], "CAST(1 AS boolean)"),
    ("CAST(DATE '2031-01-01' AS integer)", ["wrong_type"], "CAST(DATE '2031-01-01' AS integer)"),
    ("CASE WHEN 1 THEN 2 END", ["wrong_type"], "1"),
    ("CASE WHEN TRUE THEN 1 ELSE 'a' END", ["wrong_type"], "CASE WHEN TRUE THEN 1 ELSE 'a' END"),
    ("ROUND(1, 2, 3)", ["argument_count"], "ROUND(1, 2, 3)"),
    ("DATE '2031-13-01'", ["bad_literal"], "DATE '2031-13-01'"),
    ("INTERVAL '1' FORTNIGHT", ["bad_literal"], "INTERVAL '1' FORTNIGHT"),
    ("INTERVAL '1' DAY", ["interval_result"], "INTERVAL '1' DAY"),
    ("1 < 2 < 3", ["syntax"], "<"),
    ("(1 + 2", ["syntax"], ""),
    ("1 + 2)", ["syntax"], ")"),
    ("", ["syntax"], ""),
    ("1 +", ["syntax"], ""),
    ("'abc", ["open_quote", "syntax"], "'abc"),
    ("/* abc", ["open_comment", "syntax"], "/*"),
    ("1 # 2", ["unknown_character", "syntax"], "#"),
    ("seats given (set Port.region = 'N' AND Cal.week = 1)", ["condition_tables"], "Port.region = 'N' AND Cal.week = 1"),
    ("seats given (set 1 = 1)", ["condition_tables"], "1 = 1"),
    ("seats given (set Port.depth)", ["wrong_type"], "Port.depth"),
    ("seats given (clear Prt)", ["unknown_table"], "Prt"),
    ("seats given (drop Port)", ["unknown_edit"], "drop"),
    ("seats given (via Booking.no = Cal.day)", ["unknown_link"], "Booking.no = Cal.day"),
    ('seats given (via link "refnd")', ["unknown_link"], 'link "refnd"'),
    ("seats given (st Port.region = 'N', clear Port.regoin)", ["unknown_edit", "unknown_column"], "st"),
    ("f(1, , 2) + g(", ["syntax", "unknown_function", "syntax", "syntax"], ","),
    ("not_there given (clear Port)", ["unknown_name"], "not_there"),
    ("select", ["unknown_name"], "select"),
    ("case", ["syntax"], ""),
    ("sum(seats for each Prt.name)", ["unknown_table"], "Prt.name"),
    ("sum(Port.depth for each Port.name)", ["no_such_row_column"], "Port.depth"),
    ("max(Crew.name for each Port)", ["no_lookup"], "Crew.name"),
    ("rows((Port.name, Cal.week))", ["no_grain"], "(Port.name, Cal.week)"),
    ("rows(every Port but Cal.week)", ["foreign_column"], "Cal.week"),
    ("rows(Nobody union Port)", ["columns_differ"], "Nobody union Port"),
    ("rows(Port.name union Port.depth)", ["wrong_type"], "Port.name union Port.depth"),
    ("rows(values (1), ('a'))", ["wrong_type"], "values (1), ('a')"),
    ("rows(values (1), (1, 2))", ["columns_differ"], "1"),
    ("rows(top 'a' of Port by depth)", ["wrong_type", "unqualified_column"], "'a'"),
    ("rows(Port with (a = 1, a = 2))", ["repeated_column"], "a = 2"),
    ("rows(Port where Port.depth)", ["wrong_type"], "Port.depth"),
    ("percentile(Port.depth, 'x')", ["wrong_type"], "'x'"),
    ("percentile(Port.depth)", ["syntax"], ")"),
    ("listagg(Port.depth, ',')", ["wrong_type"], "Port.depth"),
    ("rank(seats among)", ["syntax"], ")"),
    ("the(Port)", ["syntax"], "Port"),
    ("filtered(Prt)", ["unknown_table"], "filtered(Prt)"),
    ("let a = 1 in b", ["unknown_name"], "b"),
    ("seats given (set (Port.name, Cal.week) in values (1, 2))", ["condition_tables"], "set (Port.name, Cal.week) in values (1, 2)"),
    ("seats given (set Port.name in values (1))", ["wrong_type"], "set Port.name in values (1)"),
    ("seats given (keep Port.name in Cal)", ["columns_differ"], "keep Port.name in Cal"),
    ("seats given (flow Booking.refunded = Cal.day off)", ["inactive_link"], "flow Booking.refunded = Cal.day off"),
    ("seats given (flow Booking.port = Port.code to Cal)", ["flow_end"], "flow Booking.port = Port.code to Cal"),
    ("seats given (flow Booking.port = Port.code up)", ["syntax"], "up"),
    ("seats given (match Port.code to Port.name)", ["match_tables"], "match Port.code to Port.name"),
    ("seats given (match Port to Booking where Port.depth > 1)", ["match_tables"], "Port.depth > 1"),
    ("seats given (match Port to Booking where Port.depth > Cal.week)", ["match_tables"], "Cal.week"),
    ("seats given (shift Port by 1 day)", ["no_calendar"], "shift Port by 1 day"),
    ("seats given (shift Cal by 'x' day)", ["wrong_type"], "'x'"),
    ("seats given (shift Cal by 1 fortnight)", ["syntax"], "fortnight"),
    ("seats given (stretch Cal to whole all)", ["syntax"], "all"),
    ("seats given (match Crew.port to Booking.port)", ["double_path"], "seats"),
    ("seats given (set Port.depth = (let d = Port.depth in rows(Booking where Booking.seats > d)))", ["row_of_condition"], "d"),
]

# formulas whose first mend, applied until none is left, gives one without errors
MENDED = [
    "seats given (flow Booking.refunded = Cal.day off)",
    "sum(Port.depth for each Port.name)",
    "max(Crew.name for each Port)",
    'seats given (via link "refnd")',
    "seats given (st Port.region = 'N')",
    "sum(Booking.seats) given (match Crew.port to Booking.port)",
    "seats given (keep Booking.seats > Port.depth)",
    "seats given (keep Port.region = 'N' AND Cal.week = 1)",
    "seats given (shift Cal by 1 mnth)",
    "sum(Booking.seat)",
    "sum(Boking.seats)",
    "Booking.seats",
    "depth",
    "Port",
    "sets",
    "sume(Booking.seats)",
    "(seats",
    "seats given (clear Prt.region)",
    "seats given (via Booking.no = Cal.day)",
    "max(Cal.day) + 1 = max(Cal.day)",
    "seats × 2",
    "seats given (kep Port.region = 'North')",
]


def errors(formula, star=STAR):
    try:
        Binder(star, {"x": formula}).measure("x")
    except Refused as refused:
        return refused.diagnostics
    return ()


class Diagnostics(unittest.TestCase):
    def test_codes_and_spans(self):
        for formula, codes, under in WRONG:
            with self.subTest(formula):
                found = errors(formula)
                self.assertEqual([d.code for d in found], codes, [d.as_line() for d in found])
                self.assertEqual(formula[found[0].span.start : found[0].span.end], under)
                self.assertTrue(all(d.message.endswith((".", "?")) and d.place == "x" for d in found), [d.message for d in found])

    def test_mends_mend(self):
        for formula in MENDED:
            with self.subTest(formula):
                text = formula
                for _ in range(4):
                    found = [m for d in errors(text) for m in d.mends]
                    if not found:
                        break
                    text = text[: found[0].span.start] + found[0].text + text[found[0].span.end :]
                self.assertNotEqual(text, formula)
                self.assertEqual(errors(text), (), text)

    def test_what_stands_for_other_functions_is_there(self):
        words = {x["name"].lower() for x in vocabulary()}
        for name, (same, hint) in INSTEAD.items():
            self.assertTrue(same.lower() in words if same else hint, name)
            self.assertNotIn(name, words)
        taken = "rows((Port with (w = Port.depth)) where (let v = w in rows(Booking where Booking.seats > v) > 0))"
        self.assertEqual(grid(taken), [{"x": 1}])  # what the hint says to write

    def test_the_link_behind_a_failed_lookup_is_named(self):
        self.assertIn("a row of Port has many of Crew", errors("sum(Booking.seats + CHAR_LENGTH(Crew.name))")[0].message)
        switched_off = make_star(links=[k | {"active": k["name"] == "port"} for k in LINKS])
        self.assertIn("“day” is inactive", errors("sum(Booking.seats * Cal.week)", switched_off)[0].message)
        self.assertEqual(errors("sum(Booking.seats * Cal.week) given (via Booking.day = Cal.day)", switched_off), ())
        loose = make_star(links=[k | {"firm": False} for k in LINKS])
        self.assertIn("“port” is loose", errors("sum(Booking.seats * Port.depth)", loose)[0].message)

    def test_an_error_of_a_measure_is_told_where_it_is_used(self):
        binder = Binder(STAR, {"x": "y + 1", "y": "sum(Booking.nothing)"})
        with self.assertRaises(Refused) as caught:
            binder.measure("x")
        self.assertEqual([(d.code, d.place) for d in caught.exception.diagnostics], [("broken_measure", "x")])

    def test_a_probe_tells_all_that_is_wrong_with_it(self):
        bad = {
            "rows": ["Port.nme", 'Port."x'],
            "columns": "Cal",
            "measures": ["seats", "x"],
            "define": {"x": "1 +"},
            "picks": [{"column": "Cal.year", "in": ["abc"]}, 5],
            "totals": "some",
            "limit": 0,
            "sort": [{"by": "q"}],
            "odd": 1,
        }
        with self.assertRaises(Refused) as caught:
            probe_of(STAR, bad)
        places = [d.place for d in caught.exception.diagnostics if d.code == "bad_probe"]
        self.assertEqual(places, ["columns", "picks.1", "totals", "limit", "odd"])
        codes = [d.code for d in caught.exception.diagnostics]
        self.assertEqual(sorted(set(codes)), ["bad_column", "bad_probe", "bad_sort", "bad_value", "syntax", "unknown_column"])


class Bounds(unittest.TestCase):
    def test_size_depth_and_nodes(self):
        for formula, code in (
            ("1" * 1_000_000, "limit_formula_characters"),
            ("(" * 10_000, "limit_formula_levels"),
            ("-" * 300 + "1", "syntax"),
            ("- " * 300 + "1", "limit_formula_levels"),
            ("NOT " * 300 + "TRUE", "limit_formula_levels"),
            ("1" + "+1" * 6_000, "limit_formula_nodes"),
            ("CASE WHEN TRUE THEN " * 250, "limit_formula_levels"),
            ("seats" + " given (clear Port)" * 250, "limit_formula_levels"),
            ("ABS(" * 250, "limit_formula_levels"),
        ):
            start = time.process_time()
            with self.subTest(formula[:30]):
                self.assertEqual(errors_or_limit(formula), code)
                self.assertLess(time.process_time() - start, 5.0)

    def test_what_is_allowed_works(self):
        self.assertEqual(grid("1" + "+1" * 4_000), [{"x": 4001}])
        self.assertEqual(grid("(" * 190 + "1" + ")" * 190), [{"x": 1}])
        chain = {f"c{i}": f"c{i - 1} + 1" for i in range(1, 150)} | {"c0": "seats", "x": "c149"}
        self.assertEqual(grid(define=chain), [{"x": 63 + 149}])
        doubling = {f"d{i}": f"d{i - 1} + d{i - 1}" for i in range(1, 50)} | {"d0": "seats", "x": "d49 * 0"}
        self.assertEqual(grid(define=doubling), [{"x": 0}])

    def test_measures_on_measures_have_a_depth(self):
        chain = {f"c{i}": f"c{i - 1} + 1" for i in range(1, 300)} | {"c0": "seats"}
        with self.assertRaises(OverLimit):
            Binder(STAR, chain).measure("c299")

    def test_cells_time_and_cancelling(self):
        probe = {"measures": ["seats"], "rows": ["Port.name", "Cal.day", "Booking.no"], "limit": 50}
        with self.assertRaises(OverLimit) as caught:
            answer(STAR, probe_of(STAR, probe), Budget())
        self.assertEqual(caught.exception.diagnostics[0].code, "limit_probe_cells")
        ticks = iter(range(10_000))
        for budget, code in (
            (Budget(Limits(seconds=3), lambda: next(ticks)), "limit_seconds"),
            (Budget(Limits(memory_bytes=10)), "limit_memory_bytes"),
        ):
            with self.assertRaises(OverLimit) as caught:
                answer(STAR, probe_of(STAR, {"measures": ["x"], "define": {"x": "sum(Port.depth * seats)"}, "rows": ["Cal.day"]}), budget)
            self.assertEqual(caught.exception.diagnostics[0].code, code)
        budget = Budget()
        budget.cancel()
        self.assertRaises(OverLimit, answer, STAR, probe_of(STAR, {"measures": ["seats"]}), budget)


def errors_or_limit(formula):
    try:
        found = errors(formula)
        return found[0].code if found else None
    except OverLimit as limit:
        return limit.diagnostics[0].code


class Fuzz(unittest.TestCase):
    def test_mutated_formulas_never_crash(self):
        r = random.Random(7)
        seeds = [f for f, _, _ in WRONG] + [
            "seats / seats given (clear wide Booking but Cal.week, set Port.region IN ('N', NULL), via link \"refund\")"
        ]
        pieces = [
            *"()+-*/%,.'\"<>= \n",
            "given",
            "set",
            "Port.region",
            "CASE",
            "WHEN",
            "END",
            "ü",
            "\0",
            "'",
            "--",
            "/*",
            "sum(",
            "1e9",
            "NOT",
            "IN",
            "between",
            "DATE",
            "NULL",
            "TRUE",
            "'a'",
            "2.5",
            "seats",
            "CAST(",
            "INTERVAL '1' DAY",
            "max(Cal.day)",
            "LEAST(",
        ]
        seeds += [formula for formula, _ in SCALARS] + [formula for formula, _ in examples()] * 3
        pieces += [
            " for each ",
            " every ",
            " page ",
            "known ",
            "top 2 of ",
            " by ",
            " in ",
            " union ",
            " except ",
            "values (1)",
            " with (",
            "let a = ",
            "rank(",
            " among ",
            "the(",
            "shift Cal by ",
            "stretch Cal to ",
            " day",
            "flow ",
            " two-way",
            "match ",
            " to ",
            "reset ",
            " where ",
            "Port.code",
        ]
        ran = 0
        for _ in range(int(os.environ.get("MUTATIONS", "4000"))):
            text = r.choice(seeds)
            for _ in range(r.randint(1, 6)):
                at = r.randint(0, len(text))
                cut = at + r.choice([0, 0, 1, 3])
                text = text[:at] + r.choice(pieces) + text[cut:]
            node, wrong = parse(text)
            self.assertTrue(all(0 <= d.span.start <= d.span.end <= len(text) for d in wrong), text)
            self.assertIsNotNone(node)
            if errors_or_limit(text) is None:
                ran += 1
                self.assertEqual(len(grid(text, picks=[{"column": "Port.region", "in": ["North"]}])), 1, text)
        self.assertGreater(ran, 20)

    def test_expressions_made_without_regard_to_types_are_refused_or_run(self):
        r = random.Random(11)
        leaves = [
            "NULL",
            "TRUE",
            "'a'",
            "''",
            "2.5",
            "1",
            "0",
            "DATE '2031-01-31'",
            "TIMESTAMP '2031-01-31 10:00:00'",
            "INTERVAL '1' DAY",
            "INTERVAL '2' MONTH",
        ]
        leaves += ["seats", "max(Cal.day)", "max(Port.name)", "sum(Nobody.x)", "rows(Port)", "avg(Booking.fare)"]
        functions = [
            w["signature"].split("(")[0] for w in vocabulary() if w["kind"] == "function" and " " not in w["signature"].split("(")[0]
        ]
        special = [f"CAST({{}} AS {t})" for t in ("integer", "text", "date", "datetime", "boolean", "number")]
        special += [
            "EXTRACT(DAY FROM {})",
            "start_of(month, {})",
            "TRIM({})",
            "{} IS NULL",
            "NOT {}",
            "-{}",
            "({}) given (set Port.region = 'North')",
        ]

        def grow(depth):
            if depth == 0 or r.random() < 0.2:
                return r.choice(leaves)
            kind = r.random()
            a, b, c = (grow(depth - 1) for _ in range(3))
            if kind < 0.4:
                return f"({a} {r.choice(['+', '-', '*', '/', '%', '||', '=', '<', '>=', 'AND', 'OR', 'LIKE', 'IS DISTINCT FROM'])} {b})"
            if kind < 0.6:
                return r.choice(special).format(a)
            if kind < 0.7:
                return f"CASE WHEN {a} THEN {b} ELSE {c} END"
            if kind < 0.8:
                return f"({a} {r.choice(['', 'NOT '])}IN ({b}, {c}))"
            return f"{r.choice(functions)}({', '.join([a, b, c][: r.randint(1, 3)])})"

        ran = 0
        for _ in range(6_000):
            text = grow(r.randint(1, 3))
            if errors_or_limit(text) is None:
                ran += 1
                self.assertEqual(len(grid(text, rows=["Port.region"], empty_lines=True)), 4, text)
        self.assertGreater(ran, 500)


if __name__ == "__main__":
    unittest.main()
