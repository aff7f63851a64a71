"""Dates, times and intervals in SQL. An interval is a whole number of months, days or microseconds, as in the engine."""

from __future__ import annotations

from collections.abc import Sequence

import sqlalchemy as sa

from nexorem.core.functions.dates import DAY_PARTS, TIME_PARTS, UNITS
from nexorem.core.values import INTERVALS
from nexorem.sql.dialects import Dialect
from nexorem.sql.elements import DayAt, DayNumber
from nexorem.sql.scalars import BUILDERS, Builder, Sql, Typed, alike, as_bigint, chain, double, integer, op, test, when

FIRST, LAST = "DATE '0001-01-01'", "DATE '9999-12-31'"
FIRST_DAY, LAST_DAY = -719_162, 2_932_896
FIRST_MONTH, LAST_MONTH = 12, 9999 * 12 + 11
DAY = 86_400_000_000
FAR = 10**17  # microseconds: more than all years have
FARTHEST = 10_000_000  # days or months


def day_of(x: Typed) -> Sql:
    """The day of a date or datetime."""
    return sa.cast(x.sql, sa.Date()) if x.dtype == "datetime" else x.sql


def day_number(day: Sql) -> Sql:
    """Days since 1970."""
    return DayNumber(day)


def day_at(number: Sql) -> Sql:
    """The day of a number of days since 1970."""
    return DayAt(number)


def part(name: str, when_: Sql) -> Sql:
    """A part of a date, a whole number."""
    return as_bigint(sa.extract(name, when_))


SPARK_PARTS = {"ISOYEAR": "yearofweek", "ISODOW": "dayofweek_iso"}


def microseconds(d: Dialect, time: Sql) -> Sql:
    """The seconds of a time with their fraction, in millionths."""
    if d.name == "spark":
        return as_bigint(op(sa.extract("second", time), "*", integer(1_000_000)))
    return as_bigint(sa.extract("microseconds", time))


def moment(text: str) -> Sql:
    """A time without a zone that a statement needs."""
    return sa.cast(sa.literal_column(f"'{text}'", sa.Text()), sa.DateTime())


def month_number(day: Sql) -> Sql:
    """Months since the year 0."""
    return op(op(part("year", day), "*", integer(12)), "+", op(part("month", day), "-", integer(1)))


def trunc(unit: str, day: Sql) -> Sql:
    """The first day of a unit that starts with the civil one."""
    return sa.cast(sa.func.date_trunc(sa.literal_column(f"'{unit}'", sa.Text()), day), sa.Date())


def add_months(d: Dialect, when_: Sql, months: Sql) -> Sql:
    """The same day of another month, cut to that month's end."""
    number = months if isinstance(months, sa.ColumnClause) and months.is_literal else sa.cast(months, sa.Integer())
    step = {
        "postgresql": sa.func.make_interval(integer(0), number),
        "duckdb": sa.func.to_months(number),
        "spark": sa.func.make_ym_interval(integer(0), number),
    }[d.name]
    return op(when_, "+", step, when_.type)


def between(x: Sql, low: int, high: int) -> Sql:
    """Whether a whole number is between two."""
    return sa.and_(test(x, ">=", integer(low)), test(x, "<=", integer(high)))


def clipped(x: Sql, most: int) -> Sql:
    """A whole number, no further from zero than that; LEAST and GREATEST would take an empty one for the bound."""
    return when((test(x, ">", integer(most)), integer(most)), (test(x, "<", integer(-most)), integer(-most)), otherwise=x)


def moved(d: Dialect, x: Typed, step: Typed) -> Sql:
    """A date or datetime and an interval; empty outside the years 1 to 9999."""
    kind = x.sql.type
    if step.dtype == "microseconds":
        by = clipped(step.sql, FAR)
        time = sa.cast(x.sql, sa.DateTime())
        in_seconds = op(sa.cast(by, sa.Numeric(24, 6)), "/", integer(1_000_000))
        step_by = {
            "postgresql": op(by, "*", sa.literal_column("INTERVAL '1 microsecond'")),
            "duckdb": sa.func.to_microseconds(by),
            "spark": sa.func.make_dt_interval(integer(0), integer(0), integer(0), in_seconds),
        }[d.name]
        later = op(time, "+", step_by, sa.DateTime())
        low, high = (moment(x) for x in ("0001-01-01 00:00:00", "10000-01-01 00:00:00"))
        return when((sa.and_(test(later, ">=", low), test(later, "<", high)), later))
    by = clipped(step.sql, FARTHEST)
    day = day_of(x)
    if step.dtype == "months":
        there = between(op(month_number(day), "+", by), FIRST_MONTH, LAST_MONTH)
        return when((there, sa.cast(add_months(d, x.sql, by), kind)))
    there = between(op(day_number(day), "+", by), FIRST_DAY, LAST_DAY)
    if x.dtype == "date":
        return when((there, day_at(op(day_number(day), "+", by))))
    days = sa.cast(by, sa.Integer())
    step_by = {
        "postgresql": sa.func.make_interval(integer(0), integer(0), integer(0), days),
        "duckdb": sa.func.to_days(days),
        "spark": sa.func.make_dt_interval(days),
    }[d.name]
    return when((there, op(x.sql, "+", step_by, sa.DateTime())))


def difference(d: Dialect, x: Typed, y: Typed) -> Sql:
    """Whole days between dates; microseconds where a side has a time."""
    if x.dtype == y.dtype == "date":
        return as_bigint(op(day_number(x.sql), "-", day_number(y.sql)))
    a, b = sa.cast(x.sql, sa.DateTime()), sa.cast(y.sql, sa.DateTime())
    if d.name == "postgresql":
        return as_bigint(op(sa.extract("epoch", op(a, "-", b)), "*", integer(1_000_000)))
    if d.name == "spark":
        return as_bigint(sa.func.timestampdiff(sa.literal_column("MICROSECOND"), b, a))
    return as_bigint(sa.func.date_diff(sa.literal_column("'microsecond'"), b, a))


def unit_start(d: Dialect, unit: str, day: Sql, first_month: int = 0) -> Sql:
    """The first day of the unit that a day is in; years and quarters may start with another month than January (counted from 0)."""
    if unit == "day":
        return day
    if not first_month or unit in ("week", "month"):
        return trunc(unit, day)
    back = add_months(d, trunc("month", day), integer(-first_month))
    return sa.cast(add_months(d, trunc(unit, sa.cast(back, sa.Date())), integer(first_month)), sa.Date())


LENGTHS = {"month": 1, "quarter": 3, "year": 12}


def unit_end(d: Dialect, unit: str, start: Sql) -> Sql:
    """The last day of the unit that starts on a day."""
    if unit in ("day", "week"):
        return day_at(op(day_number(start), "+", integer(6 if unit == "week" else 0)))
    return day_at(op(day_number(sa.cast(add_months(d, start, integer(LENGTHS[unit])), sa.Date())), "-", integer(1)))


def _extract(name: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x = arguments[0]
        if name in DAY_PARTS:
            return part(SPARK_PARTS.get(name, name.lower()) if d.name == "spark" else name.lower(), day_of(x))
        time = sa.cast(x.sql, sa.DateTime())
        if name == "SECOND":
            return op(sa.cast(microseconds(d, time), sa.Double()), "/", double("1000000"))
        return part(name.lower(), time)

    return builder


def _edge(word: str, unit: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        day = day_of(arguments[0])
        start = unit_start(d, unit, day)
        if word == "start":
            return start
        end = unit_end(d, unit, start)
        return when((test(end, "<=", sa.literal_column(LAST)), end)) if unit == "week" else end

    return builder


def date_of(year: Sql, month: Sql, day: Sql) -> Sql:
    """The day with this year, month and day; empty where there is none."""
    leap = sa.or_(sa.and_(test(year % 4, "=", integer(0)), test(year % 100, "<>", integer(0))), test(year % 400, "=", integer(0)))
    longest = when(
        (test(month, "=", integer(2)), when((leap, integer(29)), otherwise=integer(28))),
        (month.in_([integer(4), integer(6), integer(9), integer(11)]), integer(30)),
        otherwise=integer(31),
    )
    real = sa.and_(between(year, 1, 9999), between(month, 1, 12), test(day, ">=", integer(1)), test(day, "<=", longest))
    made = sa.func.make_date(*(sa.cast(x, sa.Integer()) for x in (year, month, day)), type_=sa.Date())
    return when((real, made))


def time_of(d: Dialect, day: Sql, microseconds: Sql) -> Sql:
    """A moment of a day."""
    return moved(d, Typed(sa.cast(day, sa.DateTime()), "datetime"), Typed(microseconds, "microseconds"))


def _datetime_of(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    year, month, day, hour, minute = (a.sql for a in arguments[:5])
    clock = op(op(op(hour, "*", integer(60)), "+", minute), "*", integer(60_000_000))
    real = sa.and_(between(hour, 0, 23), between(minute, 0, 59))
    if len(arguments) > 5:
        second: Sql = sa.cast(arguments[5].sql, sa.Double())
        cut: Sql = sa.func.floor(op(op(second, "*", double("1000000")), "+", double("0.5")), type_=sa.Double())
        clock = op(clock, "+", as_bigint(cut))
        real = sa.and_(real, test(second, ">=", double("0")), test(cut, "<", double("60000000")))
    return when((real, time_of(d, date_of(year, month, day), clock)))


def _of_dates(d: Dialect, sign: str, x: Typed, y: Typed) -> Sql | None:
    """Dates and intervals; None where it is about neither."""
    if x.dtype in ("date", "datetime") and y.dtype in ("date", "datetime"):
        return difference(d, x, y)
    for when_, step in ((x, y), (y, x)):
        if when_.dtype in ("date", "datetime") and step.dtype in INTERVALS:
            return moved(d, when_, Typed(step.sql if sign == "+" else -step.sql, step.dtype))
    return op(x.sql, sign, y.sql) if x.dtype in INTERVALS else None


def _sql_sum(sign: str) -> Builder:
    """`+` and `-` as SQL has them: empty where a side is."""

    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x, y = arguments
        special = _of_dates(d, sign, x, y)
        if special is not None:
            return special
        a, b = alike([x, y])
        return op(a.sql, sign, b.sql)

    return builder


def _sparse_sum(sign: str) -> Builder:
    """`+` and `-` between values of cells."""

    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x, y = arguments
        special = _of_dates(d, sign, x, y)
        if special is not None:
            return special
        if x.dtype in INTERVALS:
            return op(x.sql, sign, y.sql)
        return chain([x, y], [sign])

    return builder


BUILDERS |= {sign: _sparse_sum(sign) for sign in "+-"}
BUILDERS |= {f"{sign} in a row": _sql_sum(sign) for sign in "+-"}
BUILDERS |= {f"EXTRACT {name}": _extract(name) for name in (*DAY_PARTS, *TIME_PARTS)}
BUILDERS |= {f"{word}_of {unit}": _edge(word, unit.lower()) for unit in UNITS for word in ("start", "end")}
BUILDERS |= {"DATE_OF": lambda d, a: date_of(*(x.sql for x in a)), "DATETIME_OF": _datetime_of}
