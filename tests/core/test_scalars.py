"""Scalars: the deviations and corners by hand, and random expressions against the oracle."""

import datetime as dt
import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from nexorem.core.diagnostics import Span
from nexorem.core.engine.scalar import evaluate
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.values import vector
from tests.core.small import STAR
from tests.oracle import scalars
from tests.oracle.interpreter import Context, Env, Oracle
from tests.plain import vocabulary

D, T = dt.date, dt.datetime

CASES = [
    ("1 + NULL", 1),
    ("NULL - 2", -2),
    ("NULL + NULL", None),
    ("2 * NULL", None),
    ("1 / 0", None),
    ("7 / 2", 3.5),
    ("7 % 0", None),
    ("-7 % 3", -1),
    ("MOD(7, -3)", 1),
    ("7.5 % 2", 1.5),
    ("0.1 + 0.2", 0.1 + 0.2),
    ("2 + 3 * 4", 14),
    ("-2 - -3", 1),
    ("10 - 3 - 2", 5),
    ("ROUND(2.5)", 3.0),
    ("ROUND(-2.5)", -3.0),
    ("ROUND(0.49999999999999994)", 0.0),
    ("ROUND(1234, -2)", 1200),
    ("ROUND(1250, -2)", 1300),
    ("ROUND(1.25, 1)", 1.3),
    ("CAST(2.5 AS integer)", 3),
    ("CAST(-0.5 AS integer)", -1),
    ("CAST('x' AS integer)", None),
    ("CAST(' 12 ' AS integer)", 12),
    ("CAST('1e3' AS number)", 1000.0),
    ("CAST(1e300 AS integer)", None),
    ("CAST(3.0 AS text)", "3"),
    ("CAST(TRUE AS text)", "TRUE"),
    ("CAST(DATE '2031-02-03' AS text)", "2031-02-03"),
    ("CAST('2031-02-30' AS date)", None),
    ("FLOOR(-1.5)", -2),
    ("CEIL(1.2)", 2),
    ("SQRT(-1)", None),
    ("LN(0)", None),
    ("EXP(1000)", None),
    ("POWER(2, 0.5)", 2**0.5),
    ("ABS(-3)", 3),
    ("LEAST(3, NULL)", None),
    ("GREATEST(1, 2.5)", 2.5),
    ("COALESCE(NULL, NULL, 4)", 4),
    ("NULLIF(3, 3)", None),
    ("NULLIF(3, NULL)", 3),
    ("'a' || 'b'", "ab"),
    ("'a' || NULL", None),
    ("'it''s'", "it's"),
    ("UPPER('straße')", "STRASSE"),
    ("SUBSTRING('ferry' FROM 2 FOR 3)", "err"),
    ("SUBSTRING('ferry' FROM 0 FOR 2)", "f"),
    ("SUBSTRING('ferry', 9)", ""),
    ("SUBSTRING('ferry' FROM 1 FOR -1)", None),
    ("POSITION('r' IN 'ferry')", 3),
    ("POSITION('z' IN 'ferry')", 0),
    ("CHAR_LENGTH('üb')", 2),
    ("TRIM('  a ')", "a"),
    ("TRIM(LEADING 'x' FROM 'xxax')", "ax"),
    ("TRIM(TRAILING FROM 'a  ')", "a"),
    ("REPLACE('aaa', 'a', 'b')", "bbb"),
    ("REPLACE('a', '', 'b')", "a"),
    ("'a' < 'B'", False),
    ("'Z' < 'a'", True),
    ("NULL = NULL", None),
    ("NULL IS NULL", True),
    ("NULL IS DISTINCT FROM NULL", False),
    ("1 IS NOT DISTINCT FROM NULL", False),
    ("NOT NULL", None),
    ("FALSE AND NULL", False),
    ("TRUE OR NULL", True),
    ("NULL AND TRUE", None),
    ("2 IN (1, NULL)", None),
    ("2 IN (1, 2, NULL)", True),
    ("2 NOT IN (1, NULL)", None),
    ("2 NOT IN (1, 3)", True),
    ("2 BETWEEN 1 AND 3", True),
    ("2 NOT BETWEEN 3 AND 1", True),
    ("1 = 1.0", True),
    ("'a%' LIKE 'a|%' ESCAPE '|'", True),
    ("'ab' LIKE 'a|%' ESCAPE '|'", False),
    ("'abc' LIKE 'a_c'", True),
    ("'' LIKE '%'", True),
    ("'aXbX' LIKE '%X'", True),
    ("CASE WHEN NULL THEN 1 ELSE 2 END", 2),
    ("CASE 3 WHEN 1 THEN 'a' WHEN 3 THEN 'b' END", "b"),
    ("CASE WHEN FALSE THEN 1 END", None),
    ("CASE WHEN TRUE THEN 1 ELSE 2.5 END", 1),
    ("DATE '2032-02-29' + INTERVAL '1' YEAR", D(2033, 2, 28)),
    ("DATE '2031-01-31' + INTERVAL '1' MONTH", D(2031, 2, 28)),
    ("DATE '2031-03-31' - INTERVAL '1' MONTH", D(2031, 2, 28)),
    ("DATE '2031-03-01' - DATE '2031-02-01'", 28),
    ("DATE '2031-01-01' + INTERVAL '2' DAY * 3", D(2031, 1, 7)),
    ("DATE '9999-12-31' + INTERVAL '1' DAY", None),
    ("TIMESTAMP '2031-01-01 23:30:00' + INTERVAL '90' MINUTE", T(2031, 1, 2, 1, 0)),
    ("EXTRACT(HOUR FROM TIMESTAMP '2031-01-01 23:30:00')", 23),
    ("EXTRACT(SECOND FROM TIMESTAMP '2031-01-01 00:00:07.25')", 7.25),
    ("EXTRACT(WEEK FROM DATE '2032-01-01')", 1),
    ("EXTRACT(ISOYEAR FROM DATE '2033-01-01')", 2032),
    ("EXTRACT(WEEK FROM DATE '2033-01-01')", 53),
    ("EXTRACT(QUARTER FROM DATE '2031-04-01')", 2),
    ("DATE '2031-01-01' = TIMESTAMP '2031-01-01 00:00:00'", True),
    ("start_of(week, DATE '2031-01-01')", D(2030, 12, 30)),
    ("end_of(quarter, DATE '2031-02-01')", D(2031, 3, 31)),
    ("end_of(month, TIMESTAMP '2032-02-01 10:00:00')", D(2032, 2, 29)),
    ("date_of(2032, 2, 29)", D(2032, 2, 29)),
    ("date_of(2031, 2, 29)", None),
    ("date_of(2031, 13, 1)", None),
    ("date_of(0, 1, 1)", None),
    ("date_of(NULL, 1, 1)", None),
    ("date_of(9223372036854775807, 1, 1)", None),
    ("datetime_of(2031, 1, 2, 23, 59)", T(2031, 1, 2, 23, 59)),
    ("datetime_of(2031, 1, 2, 24, 0)", None),
    ("datetime_of(2031, 1, 2, 3, 4, 5.25)", T(2031, 1, 2, 3, 4, 5, 250_000)),
    ("datetime_of(2031, 1, 2, 3, 4, 59.9999999)", None),
    ("CAST('2031-1-5' AS date)", D(2031, 1, 5)),
    ("CAST('2031-1-5 7:05' AS datetime)", T(2031, 1, 5, 7, 5)),
    ("CAST('31-1-5' AS date)", None),
    ("-- a note\n1 /* and\nanother */ + 1", 2),
    (".5 + 1.", 1.5),
    ("1.5e3", 1500.0),
    ("9223372036854775808", 9223372036854775808.0),
]


def computed(formula):
    """A formula without columns, as the engine computes it."""
    bound = Binder(STAR, {"x": formula}).measure("x").body
    found = evaluate(bound, lambda node: None, 1)
    if fault := found.fault(0):
        raise {"overflow": OverflowError, "limit_text_bytes": ValueError}[fault[0]](formula)
    return found.at(0)


ORACLE = Oracle({}, {}, [], {})
TEXTS = st.sampled_from(["'a'", "'B b'", "''", "'ü%'", "NULL", "'12'", "'2031-05-06'", "'a_b'"])
NUMBERS = st.sampled_from(["0", "1", "-3", "2.5", "NULL", "7", "0.125", "1e6", "-0.5", "12345678"])
DATES = st.sampled_from(["DATE '2031-01-31'", "DATE '2032-02-29'", "DATE '2030-12-30'", "TIMESTAMP '2031-06-15 13:45:10.5'"])
TRUTHS = st.sampled_from(["TRUE", "FALSE", "CAST(NULL AS boolean)"])


def grown(numbers, texts, dates, truths):
    """One level of expressions over those below."""
    n, s, d, b = numbers, texts, dates, truths
    ints = n.map(lambda x: f"CAST({x} AS integer)")
    number = st.one_of(
        st.builds("({} {} {})".format, n, st.sampled_from("+-*/%"), n),
        st.builds("ROUND({}, {})".format, n, st.sampled_from(["0", "1", "-1", "NULL"])),
        st.builds("{}({})".format, st.sampled_from(["ABS", "FLOOR", "CEIL", "SQRT", "LN", "ROUND"]), n),
        st.builds("COALESCE({}, {})".format, n, n),
        st.builds("NULLIF({}, {})".format, n, n),
        st.builds("{}({}, {})".format, st.sampled_from(["LEAST", "GREATEST", "MOD"]), n, n),
        st.builds("CASE WHEN {} THEN {} ELSE {} END".format, b, n, n),
        st.builds("CHAR_LENGTH({})".format, s),
        st.builds("POSITION({} IN {})".format, s, s),
        st.builds("EXTRACT({} FROM {})".format, st.sampled_from("YEAR MONTH WEEK ISOYEAR DOY ISODOW HOUR SECOND QUARTER DAY".split()), d),
        st.builds("CAST({} AS number)".format, s),
        st.builds("(-({}))".format, n),
    )
    text = st.one_of(
        st.builds("({} || {})".format, s, s),
        st.builds("{}({})".format, st.sampled_from(["UPPER", "LOWER", "TRIM"]), s),
        st.builds("SUBSTRING({} FROM {})".format, s, ints),
        st.builds("REPLACE({}, {}, {})".format, s, s, s),
        st.builds("CAST({} AS text)".format, st.one_of(n, d, b)),
        st.builds("CASE {} WHEN {} THEN {} END".format, n, n, s),
    )
    date = st.one_of(
        st.builds(
            "({} {} INTERVAL '{}' {})".format,
            d,
            st.sampled_from("+-"),
            st.integers(-20, 20),
            st.sampled_from(["DAY", "MONTH", "YEAR", "WEEK"]),
        ),
        st.builds("{}({}, {})".format, st.sampled_from(["start_of", "end_of"]), st.sampled_from(["year", "quarter", "month", "week"]), d),
        st.builds("CAST({} AS date)".format, s),
        st.builds(
            "date_of({}, {}, {})".format, st.integers(-1, 10_000), st.one_of(ints, st.integers(0, 13)), st.one_of(ints, st.integers(0, 32))
        ),
        st.builds("datetime_of(2031, {}, 3, {}, {}, {})".format, st.integers(0, 13), st.integers(-1, 25), ints, n),
    )
    compare = st.sampled_from(["=", "<>", "<", "<=", ">", ">=", "IS DISTINCT FROM"])
    truth = st.one_of(
        *(st.builds("({} {} {})".format, x, compare, x) for x in (n, s, d)),
        st.builds("({} {} {})".format, b, st.sampled_from(["AND", "OR"]), b),
        st.builds("(NOT {})".format, b),
        st.builds("({} IS {}NULL)".format, st.one_of(n, s, b), st.sampled_from(["", "NOT "])),
        st.builds("({} {}IN ({}, {}))".format, n, st.sampled_from(["", "NOT "]), n, n),
        st.builds("({} BETWEEN {} AND {})".format, n, n, n),
        st.builds("({} {}LIKE {})".format, s, st.sampled_from(["", "NOT "]), s),
    )
    return number, text, date, truth


LEVEL = (NUMBERS, TEXTS, DATES, TRUTHS)
for _ in range(2):
    LEVEL = tuple(st.one_of(below, own) for below, own in zip(LEVEL, grown(*LEVEL), strict=True))


class Scalars(unittest.TestCase):
    def test_cases(self):
        for formula, expected in CASES:
            with self.subTest(formula):
                found = computed(formula)
                self.assertEqual((found, type(found)), (expected, type(expected)) if formula[:4] != "CASE" else (expected, type(found)))

    @settings(max_examples=1500, derandomize=True, deadline=None)
    @given(st.one_of(*LEVEL))
    def test_random_expressions_agree_with_the_oracle(self, formula):
        try:
            expected = ORACLE.eval(ORACLE.tree(formula), Env(Context([], [])))
        except OverflowError:
            self.assertRaises(OverflowError, computed, formula)
            return
        found = computed(formula)
        if isinstance(expected, float | int) and not isinstance(expected, bool):
            self.assertTrue(found is not None and math.isclose(found, expected, rel_tol=1e-12), f"{formula}: {found} is not {expected}")
        else:
            self.assertEqual(found, expected, formula)

    def test_every_function_has_help_and_its_example_runs(self):
        for word in vocabulary():
            self.assertTrue(word["help"], word["name"])
            if word["kind"] == "function" and word["example"]:
                with self.subTest(word["example"]):
                    computed(word["example"])
        self.assertGreater(sum(1 for f in FUNCTIONS.values() if not f.operator), 40)

    def test_functions_work_row_by_row_with_empties(self):
        places = vector("text", ["b", None, "a", "b"])
        node = t.ColumnValue(Span(0, 0), "text", "T", "c")
        upper = t.Apply(Span(0, 0), "text", FUNCTIONS["UPPER"], (node,))
        self.assertEqual(evaluate(upper, lambda n: places if n is node else None, 4).tolist(), ["B", None, "A", "B"])

    def test_a_text_has_a_bound(self):
        doubling = "'" + "x" * 3000 + "'"
        for _ in range(9):
            doubling = f"REPLACE({doubling}, 'x', 'xx')"
        for formula in (doubling, f"{doubling} || 'x'"):
            self.assertRaises(ValueError, computed, formula)

    def test_whole_numbers_do_not_wrap(self):
        smallest = "(-9223372036854775807 - 1)"
        for formula in (
            "9223372036854775807 + 1",
            "4611686018427387904 * 2",
            "-9223372036854775807 - 2",
            f"-{smallest}",
            f"ABS({smallest})",
        ):
            self.assertRaises(OverflowError, computed, formula)
            self.assertRaises(OverflowError, ORACLE.eval, ORACLE.tree(formula), Env(Context([], [])))
        self.assertEqual(scalars.round_half_away(-2.5), -3.0)


if __name__ == "__main__":
    unittest.main()
