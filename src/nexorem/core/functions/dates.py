"""Functions and operators of dates, times and intervals. Civil years, weeks after ISO 8601."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from nexorem.core.functions.arithmetic import calculated, summed
from nexorem.core.functions.convert import DAY, checked, widen
from nexorem.core.functions.registry import FUNCTIONS, Function, Kernel, numeric, register, takes
from nexorem.core.values import INTERVALS, Array, Vector

UNITS = ("YEAR", "QUARTER", "MONTH", "WEEK")
INTERVAL_UNITS = {
    "YEAR": ("months", 12),
    "MONTH": ("months", 1),
    "WEEK": ("days", 7),
    "DAY": ("days", 1),
    "HOUR": ("microseconds", 3_600_000_000),
    "MINUTE": ("microseconds", 60_000_000),
    "SECOND": ("microseconds", 1_000_000),
}


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


def civil_days(year: Array, month: Array, day: Array) -> tuple[Array, Array]:
    """Days since 1970-01-01 of these years, months and days (int64[n] each), and bool[n]: where they name a day of the years 1 to 9999."""
    inside = (year >= 1) & (year <= 9999) & (month >= 1) & (month <= 12) & (day >= 1)
    months = np.where(inside, (year - 1970) * 12 + month - 1, 0)
    first = month_start(months)
    real = inside & (day <= month_start(months + 1) - first)
    return np.where(real, first + np.where(real, day, 1) - 1, 0), real


def date_of(year: Vector, month: Vector, day: Vector) -> Vector:
    """`date_of`: what names no day is empty."""
    days, real = civil_days(year.data, month.data, day.data)
    return Vector("date", days, year.valid & month.valid & day.valid & real)


def datetime_of(year: Vector, month: Vector, day: Vector, hour: Vector, minute: Vector, second: Vector | None = None) -> Vector:
    """`datetime_of`: what names no moment is empty; seconds may have a fraction."""
    dates = date_of(year, month, day)
    real = dates.valid & hour.valid & minute.valid & (hour.data >= 0) & (hour.data < 24) & (minute.data >= 0) & (minute.data < 60)
    clock = (np.where(real, hour.data, 0) * 60 + np.where(real, minute.data, 0)) * 60_000_000
    if second is not None:
        real &= second.valid & (second.data >= 0) & (second.data < 60)
        # A second's fraction is cut to the microsecond.
        clock = clock + np.where(real, np.floor(np.where(real, second.data, 0) * 1_000_000 + 0.5), 0).astype(np.int64)
        real &= np.where(real, second.data, 0) * 1_000_000 + 0.5 < 60_000_000
    return Vector("datetime", np.where(real, dates.data * DAY + clock, 0), real)


def datetime_type(dtypes: Sequence[str]) -> str | None:
    """Whole numbers; the seconds may be any."""
    whole = all(d in ("integer", "null") for d in dtypes[:5])
    return "datetime" if whole and all(d in ("integer", "number", "null") for d in dtypes[5:]) else None


def extract_type(part: str) -> Callable[[Sequence[str]], str | None]:
    """Dates and datetimes; SECOND has a fraction."""
    return lambda d: ("number" if part == "SECOND" else "integer") if _dates(d) else None


SPARSE = "between values of cells an empty side counts as 0 when the other is not empty, with a column of the row it is empty"
register(Function("+", 2, 2, plus_type, plus(True), "x + y", f"Adds; {SPARSE}; moves a date by an interval.", operator=True))
register(Function("-", 2, 2, minus_type, minus(True), "x - y", f"Subtracts; {SPARSE}; two dates give whole days.", operator=True))
# What `+` and `-` are where a column of the row is on a side.
IN_ROW = {"+": replace(FUNCTIONS["+"], kernel=plus(False)), "-": replace(FUNCTIONS["-"], kernel=minus(False))}
register(
    Function(
        "DATE_OF",
        3,
        3,
        takes("date", "integer"),
        date_of,
        "date_of(year, month, day)",
        "The day with this year, month and day; empty where there is none.",
        "date_of(2031, 4, 30)",
    )
)
register(
    Function(
        "DATETIME_OF",
        5,
        6,
        datetime_type,
        datetime_of,
        "datetime_of(year, month, day, hour, minute [, second])",
        "The moment of this day and time; empty where there is none.",
        "datetime_of(2031, 4, 30, 12, 45)",
    )
)
for _part in (*DAY_PARTS, *TIME_PARTS):
    register(
        Function(
            f"EXTRACT {_part}",
            1,
            1,
            extract_type(_part),
            extractor(_part),
            f"EXTRACT({_part} FROM d)",
            f"The {_part.lower()} of a date.",
            f"EXTRACT({_part} FROM DATE '2031-04-30')",
        )
    )
for _unit in UNITS:
    for _word, _edges in (("start", STARTS), ("end", ENDS)):
        register(
            Function(
                f"{_word}_of {_unit}",
                1,
                1,
                lambda d: "date" if _dates(d) else None,
                edge(_edges[_unit]),
                f"{_word}_of({_unit.lower()}, d)",
                f"The {'first' if _word == 'start' else 'last'} day of the {_unit.lower()}.",
                f"{_word}_of({_unit.lower()}, DATE '2031-04-30')",
            )
        )
