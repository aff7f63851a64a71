"""Bringing vectors from one type to another: the implicit widenings and CAST."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable

import numpy as np

from nexorem.core.values import STORAGE, Array, Value, Vector, by_distinct, empties

DAY = 86_400_000_000
FIRST_DAY, LAST_DAY = dt.date.min.toordinal() - 719_163, dt.date.max.toordinal() - 719_163
INTEGER_TEXT = re.compile(r"[+-]?[0-9]+")
NUMBER_TEXT = re.compile(r"[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]+)?")
DATE_TEXT = re.compile(r"([0-9]{4})-([0-9]{1,2})-([0-9]{1,2})")
TIME_TEXT = re.compile(DATE_TEXT.pattern + r"[ T]([0-9]{1,2}):([0-9]{2})(?::([0-9]{2})(?:\.([0-9]{1,6}))?)?")


def widen(v: Vector, dtype: str) -> Vector:
    """Null to anything, integer to number, date to datetime at midnight; the same type stays."""
    if v.dtype == dtype:
        return v
    if v.dtype == "null":
        return empties(dtype, len(v)).failing(v.failed)
    data = v.data * DAY if dtype == "datetime" else v.data.astype(STORAGE[dtype])
    return Vector(dtype, data, v.valid, failed=v.failed)


def checked(dtype: str, data: Array, valid: Array) -> Vector:
    """A vector whose numbers that are not finite, and dates outside the years 1 to 9999, become empty."""
    if dtype == "number":
        return Vector(dtype, data, valid & np.isfinite(data))
    if dtype in ("date", "datetime"):
        unit = 1 if dtype == "date" else DAY
        return Vector(dtype, data, valid & (data >= FIRST_DAY * unit) & (data < (LAST_DAY + 1) * unit))
    return Vector(dtype, data, valid)


def round_away(x: Array) -> Array:
    """Rounds halves away from zero; exact for every double."""
    whole = np.trunc(x)
    return np.asarray(whole + np.where(np.abs(x - whole) >= 0.5, np.sign(x), 0.0))


def to_integer(x: Array, valid: Array) -> Vector:
    """Whole doubles to integers; what 64 bits cannot hold becomes empty."""
    fits = valid & (np.abs(x) < 2.0**63)
    return Vector("integer", np.where(fits, x, 0).astype(np.int64), fits)


def number_text(value: float) -> str:
    """The shortest decimal that reads back as the same double; a whole one without a fraction."""
    return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)


def parse_integer(text: str) -> Value:
    """A text of digits as an integer, else None."""
    text = text.strip()
    if not INTEGER_TEXT.fullmatch(text) or len(text) > 20:
        return None
    value = int(text)
    return value if -(2**63) <= value < 2**63 else None


def parse_number(text: str) -> Value:
    """A decimal text as a number, else None."""
    text = text.strip()
    return float(text) if NUMBER_TEXT.fullmatch(text) else None


def parse_boolean(text: str) -> Value:
    """TRUE or FALSE in any case, else None."""
    return {"true": True, "false": False}.get(text.strip().lower())


def parse_date(text: str) -> Value:
    """An ISO 8601 day, its month and day of one digit or two, else None."""
    match = DATE_TEXT.fullmatch(text.strip())
    try:
        return dt.date(*map(int, match.groups())) if match else None
    except ValueError:
        return None


def parse_datetime(text: str) -> Value:
    """An ISO 8601 day, or day and time with a space or a T between them, else None."""
    match = TIME_TEXT.fullmatch(text.strip())
    if not match:
        day = parse_date(text)
        return dt.datetime.combine(day, dt.time()) if isinstance(day, dt.date) else None
    *parts, fraction = match.groups()
    try:
        year, month, day, hour, minute, second = (int(p or 0) for p in parts)
        return dt.datetime(year, month, day, hour, minute, second, int((fraction or "").ljust(6, "0")))
    except ValueError:
        return None


PARSERS: dict[str, Callable[[str], Value]] = {
    "integer": parse_integer,
    "number": parse_number,
    "boolean": parse_boolean,
    "date": parse_date,
    "datetime": parse_datetime,
}


def value_text(value: Value) -> str:
    """A value as CAST to text writes it."""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float):
        return number_text(value)
    return value.isoformat(sep=" ") if isinstance(value, dt.datetime) else str(value)


CASTS = {
    ("integer", "number"),
    ("number", "integer"),
    ("date", "datetime"),
    ("datetime", "date"),
    *((d, "text") for d in ("integer", "number", "boolean", "date", "datetime")),
    *(("text", d) for d in ("integer", "number", "boolean", "date", "datetime")),
}


def can_cast(source: str, target: str) -> bool:
    """Whether CAST takes `source` to `target`."""
    return source in ("null", target) or (source, target) in CASTS


def cast(v: Vector, target: str) -> Vector:
    """CAST(v AS target); what cannot be read becomes empty, as a division by zero does."""
    if v.dtype in ("null", target):
        return widen(v, target)
    if target == "text":
        return by_distinct("text", value_text, [v])
    if v.dtype == "text":
        return by_distinct(target, PARSERS[target], [v])
    if target == "integer":
        return to_integer(round_away(v.data), v.valid)
    if target == "date":
        return Vector("date", v.data // DAY, v.valid)
    return widen(v, target)
