"""Functions and operators of dates, times and intervals. Civil years, weeks after ISO 8601."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from nexorem.core.functions.arithmetic import calculated, summed
from nexorem.core.functions.convert import DAY, checked, widen
from nexorem.core.functions.registry import FUNCTIONS, Function, Kernel, numeric, register
from nexorem.core.values import INTERVALS, Array, Vector

UNITS = ("YEAR", "QUARTER", "MONTH", "WEEK")
INTERVAL_UNITS = {
    "YEAR": ("months", 12), "MONTH": ("months", 1), "WEEK": ("days", 7), "DAY": ("days", 1),
    "HOUR": ("microseconds", 3_600_000_000), "MINUTE": ("microseconds", 60_000_000),
    "SECOND": ("microseconds", 1_000_000),
}  # fmt: skip


def month_number(days: Array) -> Array:
    """Months since January 1970."""
    return np.asarray(days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64))


def month_start(months: Array) -> Array:
    """The day number on which a month, counted from January 1970, starts."""
    return np.asarray(months.astype("datetime64[M]").astype("datetime64[D]").astype(np.int64))


def add_months(days: Array, months: Array) -> Array:
    """The same day of another month, cut to that month's end."""
    source = month_number(days)
    target = source + months
    day = days - month_start(source)
    return np.asarray(np.minimum(month_start(target) + day, month_start(target + 1) - 1))


def weekday(days: Array) -> Array:
    """0 for Monday to 6 for Sunday."""
    return np.asarray((days + 3) % 7)


def thursday(days: Array) -> Array:
    """The Thursday of the ISO week, which decides its year."""
    return np.asarray(days - weekday(days) + 3)


def year_start(days: Array) -> Array:
    """The first of January."""
    return month_start(month_number(days) // 12 * 12)


DAY_PARTS: dict[str, Callable[[Array], Array]] = {
    "YEAR": lambda d: month_number(d) // 12 + 1970,
    "QUARTER": lambda d: month_number(d) % 12 // 3 + 1,
    "MONTH": lambda d: month_number(d) % 12 + 1,
    "WEEK": lambda d: (thursday(d) - year_start(thursday(d))) // 7 + 1,
    "ISOYEAR": lambda d: month_number(thursday(d)) // 12 + 1970,
    "DAY": lambda d: d - month_start(month_number(d)) + 1,
    "DOY": lambda d: d - year_start(d) + 1,
    "ISODOW": lambda d: weekday(d) + 1,
}
TIME_PARTS: dict[str, Callable[[Array], Array]] = {
    "HOUR": lambda t: t // 3_600_000_000,
    "MINUTE": lambda t: t // 60_000_000 % 60,
    "SECOND": lambda t: (t % 60_000_000) / 1e6,
}
STARTS: dict[str, Callable[[Array], Array]] = {
    "YEAR": year_start,
    "QUARTER": lambda d: month_start(month_number(d) // 3 * 3),
    "MONTH": lambda d: month_start(month_number(d)),
    "WEEK": lambda d: d - weekday(d),
}
ENDS: dict[str, Callable[[Array], Array]] = {
    "YEAR": lambda d: month_start(month_number(d) // 12 * 12 + 12) - 1,
    "QUARTER": lambda d: month_start(month_number(d) // 3 * 3 + 3) - 1,
    "MONTH": lambda d: month_start(month_number(d) + 1) - 1,
    "WEEK": lambda d: d - weekday(d) + 6,
}


def days_of(v: Vector) -> Array:
    """Day numbers of dates or datetimes."""
    return np.asarray(v.data // DAY) if v.dtype == "datetime" else v.data


def extractor(part: str) -> Callable[[Vector], Vector]:
    """EXTRACT(part FROM d)."""

    def kernel(v: Vector) -> Vector:
        if part in DAY_PARTS:
            return Vector("integer", DAY_PARTS[part](days_of(v)).astype(np.int64), v.valid)
        time = v.data % DAY if v.dtype == "datetime" else np.zeros(len(v), np.int64)
        data = TIME_PARTS[part](time)
        return Vector("number" if part == "SECOND" else "integer", data, v.valid)

    return kernel


def edge(edges: Callable[[Array], Array]) -> Callable[[Vector], Vector]:
    """start_of and end_of: a date, for dates and datetimes."""
    return lambda v: checked("date", edges(days_of(v)), v.valid)


def _dates(dtypes: Sequence[str]) -> bool:
    return all(d in ("date", "datetime", "null") for d in dtypes)


def moved(sign: int) -> Callable[[Vector, Vector], Vector]:
    """A date or datetime and an interval, added or taken away; empty on either side gives empty."""

    def kernel(x: Vector, y: Vector) -> Vector:
        when, step = (x, y) if y.dtype in INTERVALS else (y, x)
        valid = when.valid & step.valid
        data, by = np.where(valid, when.data, 0), sign * np.where(valid, np.clip(step.data, -(10**17), 10**17), 0)
        if step.dtype == "microseconds":
            return checked("datetime", data + by, valid)
        unit = DAY if when.dtype == "datetime" else 1
        by = np.clip(by, -10_000_000, 10_000_000)
        day, rest = data // unit, data % unit
        day = add_months(day, by) if step.dtype == "months" else day + by
        return checked(when.dtype, day * unit + rest, valid)

    return kernel


def plus_type(dtypes: Sequence[str]) -> str | None:
    """Numbers; two intervals of a kind; a date and an interval in either order."""
    a, b = dtypes
    if a in INTERVALS and a == b:
        return a
    for when, step in ((a, b), (b, a)):
        if when in ("date", "datetime") and step in INTERVALS:
            return None if when == "date" and step == "microseconds" else when
    return numeric(dtypes)


def minus_type(dtypes: Sequence[str]) -> str | None:
    """Numbers; two intervals of a kind; a date less an interval; date - date in whole days."""
    a, b = dtypes
    if a == b == "date":
        return "integer"
    if {a, b} <= {"date", "datetime"}:
        return "microseconds"
    if a in INTERVALS and b in ("date", "datetime"):
        return None
    return plus_type(dtypes)


def plus(sparse: bool) -> Kernel:
    """`+`: between values of cells (`sparse`), or with a column of the row on a side."""
    numbers = summed(operator.add, sparse)

    def kernel(x: Vector, y: Vector) -> Vector:
        if {x.dtype, y.dtype} & {"date", "datetime"}:
            return moved(1)(x, y)
        if x.dtype in INTERVALS:
            return calculated(x.dtype, operator.add, x.data, y.data, x.valid & y.valid)
        return numbers(x, y)

    return kernel


def minus(sparse: bool) -> Kernel:
    """`-`, as `plus`."""
    numbers = summed(operator.sub, sparse)

    def kernel(x: Vector, y: Vector) -> Vector:
        if x.dtype in ("date", "datetime") and y.dtype in ("date", "datetime"):
            if x.dtype == y.dtype == "date":
                return Vector("integer", x.data - y.data, x.valid & y.valid)
            a, b = widen(x, "datetime"), widen(y, "datetime")
            return Vector("microseconds", a.data - b.data, a.valid & b.valid)
        if x.dtype in ("date", "datetime"):
            return moved(-1)(x, y)
        if x.dtype in INTERVALS:
            return calculated(x.dtype, operator.sub, x.data, y.data, x.valid & y.valid)
        return numbers(x, y)

    return kernel


def extract_type(part: str) -> Callable[[Sequence[str]], str | None]:
    """Dates and datetimes; SECOND has a fraction."""
    return lambda d: ("number" if part == "SECOND" else "integer") if _dates(d) else None


SPARSE = "between values of cells an empty side counts as 0 when the other is not empty, with a column of the row it is empty"
register(Function("+", 2, 2, plus_type, plus(True), "x + y", f"Adds; {SPARSE}; moves a date by an interval.", operator=True))
register(Function("-", 2, 2, minus_type, minus(True), "x - y", f"Subtracts; {SPARSE}; two dates give whole days.", operator=True))
# What `+` and `-` are where a column of the row is on a side.
IN_ROW = {"+": replace(FUNCTIONS["+"], kernel=plus(False)), "-": replace(FUNCTIONS["-"], kernel=minus(False))}
for _part in (*DAY_PARTS, *TIME_PARTS):
    register(Function(f"EXTRACT {_part}", 1, 1, extract_type(_part), extractor(_part), f"EXTRACT({_part} FROM d)",
                      f"The {_part.lower()} of a date.", f"EXTRACT({_part} FROM DATE '2031-04-30')"))  # fmt: skip
for _unit in UNITS:
    for _word, _edges in (("start", STARTS), ("end", ENDS)):
        register(Function(f"{_word}_of {_unit}", 1, 1, lambda d: "date" if _dates(d) else None, edge(_edges[_unit]),
                          f"{_word}_of({_unit.lower()}, d)", f"The {'first' if _word == 'start' else 'last'} day of the "
                          f"{_unit.lower()}.", f"{_word}_of({_unit.lower()}, DATE '2031-04-30')"))  # fmt: skip
