"""Texts and CAST in SQL."""

from __future__ import annotations

from collections.abc import Sequence

import sqlalchemy as sa

from nexorem.core.diagnostics import refuse
from nexorem.sql.dates import date_of, microseconds, time_of
from nexorem.sql.dialects import TYPES, Dialect
from nexorem.sql.elements import Trimmed, Trunc
from nexorem.sql.scalars import BUILDERS, Builder, Sql, Typed, as_bigint, double, empty, integer, op, round_away, test, to_integer, when

SPACES = "' ' || CHR(9) || CHR(10) || CHR(11) || CHR(12) || CHR(13)"
INTEGER_TEXT = "^[+-]?[0-9]+$"
NUMBER_TEXT = "^[+-]?([0-9]+(\\.[0-9]*)?|\\.[0-9]+)([eE][+-]?0*([0-9]{1,2}|[12][0-9]{2}|30[0-7]))?$"
DATE_TEXT = "^[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}$"
TIME_TEXT = "^[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}[ T][0-9]{1,2}:[0-9]{2}(:[0-9]{2}(\\.[0-9]{1,6})?)?$"
LONGEST_TEXT = 1_048_576
NO_ESCAPE = "\x01"  # where an escape has to be named: a character that stands in no pattern


def _text(value: str) -> Sql:
    return sa.literal(value, sa.Text(), literal_execute=True)


def _joined(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    return op(arguments[0].sql, "||", arguments[1].sql, sa.Text())


def _like(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    text, pattern = arguments[0].sql, arguments[1].sql
    if len(arguments) == 2:
        return sa.type_coerce(text.like(pattern, escape=NO_ESCAPE if d.name == "spark" else ""), sa.Boolean())
    escape = arguments[2].sql
    value = getattr(escape.element if isinstance(escape, sa.Cast) else escape, "value", None)
    if not isinstance(value, str):
        raise refuse("no_sql", f"LIKE whose escape is computed cannot be written for {d.title}.", hint="Write the escape as a text.")
    matched = sa.type_coerce(text.like(pattern, escape=value or (NO_ESCAPE if d.name == "spark" else "")), sa.Boolean())
    ends = test(sa.func.right(sa.func.replace(pattern, sa.literal(value * 2), _text("")), integer(1)), "=", sa.literal(value))
    return when((sa.not_(ends), matched)) if value else matched


def _cased(name: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        text = arguments[0].sql
        if d.name == "postgresql":  # under "C" only ASCII changes
            text = sa.collate(text, "und-x-icu")
        return d.by_code_point(getattr(sa.func, name)(text, type_=sa.Text()))

    return builder


def _bounded(x: Sql) -> Sql:
    return sa.cast(sa.func.least(sa.func.greatest(x, integer(0)), integer(LONGEST_TEXT)), sa.Integer())


def _substring(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    text, start = arguments[0].sql, arguments[1].sql
    first = sa.func.greatest(start, integer(1))
    if len(arguments) == 2:
        return when((start.is_not(None), sa.func.substr(text, _bounded(first), type_=sa.Text())))
    length = arguments[2].sql
    rest = op(sa.func.least(length, integer(LONGEST_TEXT)), "-", op(first, "-", sa.func.greatest(start, integer(-LONGEST_TEXT))))
    part = sa.func.substr(text, _bounded(first), _bounded(rest), type_=sa.Text())
    return when((sa.and_(test(length, ">=", integer(0)), start.is_not(None)), part))


def _trimmed(side: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        text = arguments[0].sql
        if len(arguments) == 1:
            return Trimmed(side, text, _text(" "))
        character = arguments[1].sql
        return when((test(sa.func.length(character), "=", integer(1)), Trimmed(side, text, character)))

    return builder


def _matches(d: Dialect, text: Sql, pattern: str) -> Sql:
    if d.name == "postgresql":
        return text.op("~", is_comparison=True, return_type=sa.Boolean())(_text(pattern))
    name = "regexp_like" if d.name == "spark" else "regexp_matches"
    return getattr(sa.func, name)(text, _text(pattern), type_=sa.Boolean())  # type: ignore[no-any-return]


def _stripped(d: Dialect, text: Sql) -> Sql:
    return Trimmed("BOTH", text, sa.literal_column(f"({SPACES})", sa.Text()))


def _pieces(d: Dialect, text: Sql, separator: str, place: int) -> Sql:
    return sa.func.split_part(text, _text(separator), integer(place), type_=sa.Text())


def _day_in(d: Dialect, text: Sql) -> Sql:
    """The day that a text of digits names; empty where there is none."""
    return date_of(*(as_bigint(_pieces(d, text, "-", place)) for place in (1, 2, 3)))


def _date_from(d: Dialect, text: Sql) -> Sql:
    clean = _stripped(d, text)
    return when((_matches(d, clean, DATE_TEXT), _day_in(d, clean)))


def _datetime_from(d: Dialect, text: Sql) -> Sql:
    clean = _stripped(d, text)
    spaced = sa.func.replace(clean, _text("T"), _text(" "), type_=sa.Text())
    day, clock = _day_in(d, _pieces(d, spaced, " ", 1)), _pieces(d, spaced, " ", 2)
    hour, minute = (as_bigint(_pieces(d, clock, ":", place)) for place in (1, 2))
    seconds: Sql = sa.cast(sa.func.coalesce(sa.func.nullif(_pieces(d, clock, ":", 3), _text("")), _text("0")), sa.Double())
    real = sa.and_(test(hour, "<=", integer(23)), test(minute, "<=", integer(59)), test(seconds, "<", double("60")))
    micro = as_bigint(round_away(op(seconds, "*", double("1000000"))))
    moment = time_of(d, day, op(op(op(op(hour, "*", integer(60)), "+", minute), "*", integer(60_000_000)), "+", micro))
    timed = when((_matches(d, clean, TIME_TEXT), when((real, moment))))
    return when((_matches(d, clean, DATE_TEXT), sa.cast(_day_in(d, clean), sa.DateTime())), otherwise=timed)


def _from_text(d: Dialect, text: Sql, target: str) -> Sql:
    clean = _stripped(d, text)
    if target == "integer":
        exact = sa.cast(clean, sa.Numeric(38, 0))
        fits = sa.and_(
            test(exact, ">=", sa.literal_column("-9223372036854775808")), test(exact, "<=", sa.literal_column("9223372036854775807"))
        )
        readable = sa.and_(_matches(d, clean, INTEGER_TEXT), test(sa.func.length(clean), "<=", integer(20)))
        return when((readable, when((fits, as_bigint(exact)))))
    if target == "number":
        return when((_matches(d, clean, NUMBER_TEXT), sa.cast(clean, sa.Double())))
    if target == "boolean":
        word = sa.func.lower(clean)
        return when((test(word, "=", _text("true")), sa.true()), (test(word, "=", _text("false")), sa.false()))
    return _date_from(d, text) if target == "date" else _datetime_from(d, text)


def _number_text(d: Dialect, x: Sql) -> Sql:
    """The shortest decimal; a whole one without a fraction, as far as 15 digits."""
    whole = test(x, "=", Trunc(x))
    digits: Sql = sa.cast(as_bigint(x), sa.Text())
    branches = [(sa.and_(whole, test(sa.func.abs(x), "<", double("1e15"))), digits)]
    if d.name == "postgresql":  # which writes 1e+15
        branches.append((sa.and_(whole, test(sa.func.abs(x), "<", double("1e16"))), op(digits, "||", _text(".0"), sa.Text())))
    return when(*branches, otherwise=sa.cast(x, sa.Text()))


def _datetime_text(d: Dialect, x: Sql) -> Sql:
    fraction = op(microseconds(d, x), "%", integer(1_000_000))
    written = {
        "postgresql": sa.func.to_char(x, _text("YYYY-MM-DD HH24:MI:SS"), type_=sa.Text()),
        "duckdb": sa.func.strftime(x, _text("%Y-%m-%d %H:%M:%S"), type_=sa.Text()),
        "spark": sa.func.date_format(x, _text("yyyy-MM-dd HH:mm:ss"), type_=sa.Text()),
    }[d.name]
    rest = op(_text("."), "||", sa.func.lpad(sa.cast(fraction, sa.Text()), integer(6), _text("0")), sa.Text())
    return op(written, "||", when((test(fraction, "<>", integer(0)), rest), otherwise=_text("")), sa.Text())


def _to_text(d: Dialect, x: Typed) -> Sql:
    if x.dtype == "boolean":
        return when((x.sql, _text("TRUE")), (sa.not_(x.sql), _text("FALSE")))
    if x.dtype == "number":
        if d.name == "spark":  # which writes 5.0, and 1.0E16
            raise refuse("no_sql", f"A number as text cannot be written for {d.title}.", hint="Round it and cast it to integer first.")
        return _number_text(d, x.sql)
    if x.dtype == "date" and d.name == "postgresql":
        return sa.func.to_char(x.sql, _text("YYYY-MM-DD"), type_=sa.Text())
    return _datetime_text(d, x.sql) if x.dtype == "datetime" else sa.cast(x.sql, sa.Text())


def _cast(target: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x = arguments[0]
        if x.dtype in ("null", target):
            return empty(target) if x.dtype == "null" else x.sql
        if target == "text":
            return _to_text(d, x)
        if x.dtype == "text":
            return _from_text(d, x.sql, target)
        return to_integer(round_away(x.sql)) if target == "integer" else sa.cast(x.sql, TYPES[target])

    return builder


BUILDERS |= {
    "||": _joined,
    "LIKE": _like,
    "UPPER": _cased("upper"),
    "LOWER": _cased("lower"),
    "SUBSTRING": _substring,
    "POSITION": lambda d, a: as_bigint((sa.func.instr if d.name == "spark" else sa.func.strpos)(a[1].sql, a[0].sql)),
    "CHAR_LENGTH": lambda d, a: as_bigint(sa.func.length(a[0].sql)),
    "REPLACE": lambda d, a: sa.func.replace(a[0].sql, a[1].sql, a[2].sql, type_=sa.Text()),
    "TRIM BOTH": _trimmed("BOTH"),
    "TRIM LEADING": _trimmed("LEADING"),
    "TRIM TRAILING": _trimmed("TRAILING"),
    **{f"CAST {target}": _cast(target) for target in ("integer", "number", "text", "boolean", "date", "datetime")},
}
