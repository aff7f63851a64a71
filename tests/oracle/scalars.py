"""Scalar functions of the oracle: one value at a time, in plain Python. Shares no code with the engine."""

from __future__ import annotations

import datetime as dt
import math
import re
from dataclasses import dataclass
from fractions import Fraction

EPOCH = dt.date(1970, 1, 1)


@dataclass(frozen=True)
class Interval:
    """kind: months, days or microseconds."""

    kind: str
    size: int


def is_date(x):
    return isinstance(x, dt.date) and not isinstance(x, dt.datetime)


def finite(x):
    return None if isinstance(x, float) and not math.isfinite(x) else x


def whole(x):
    if not -(2**63) <= x < 2**63:
        raise OverflowError
    return x


def exact(x):
    """A whole number of 64 bits, or any double."""
    return whole(x) if isinstance(x, int) else x


def arithmetic(op, a, b, in_row=False):
    """+ - * / % of two values; `in_row`: a column of the row stands on a side."""
    if op in "+-" and (isinstance(a, dt.date | Interval) or isinstance(b, dt.date | Interval)):
        return dates(op, a, b)
    if op in "+-":
        if (a is None and b is None) or (in_row and (a is None or b is None)):
            return None
        a, b = a or 0, b or 0
        result = a + b if op == "+" else a - b
    elif a is None or b is None:
        return None
    elif isinstance(a, Interval) or isinstance(b, Interval):
        step, n = (a, b) if isinstance(a, Interval) else (b, a)
        return Interval(step.kind, step.size * n)
    elif op == "*":
        result = a * b
    elif b == 0:
        return None
    elif op == "/":
        try:
            return finite(float(a) / float(b))
        except OverflowError:
            return None
    else:
        result = int(math.copysign(abs(a) % abs(b), a)) if isinstance(a, int) and isinstance(b, int) else math.fmod(a, b)
    return whole(result) if isinstance(result, int) else finite(result)


def dates(op, a, b):
    """Arithmetic with a date on some side."""
    if a is None or b is None:
        return None
    if isinstance(a, dt.date) and isinstance(b, dt.date):
        if is_date(a) and is_date(b):
            return (a - b).days
        return Interval("microseconds", (moment(a) - moment(b)) // dt.timedelta(microseconds=1))
    if isinstance(a, Interval) and isinstance(b, Interval):
        return Interval(a.kind, a.size + b.size if op == "+" else a.size - b.size)
    when, step = (a, b) if isinstance(b, Interval) else (b, a)
    size = step.size if op == "+" else -step.size
    try:
        if step.kind == "months":
            month = when.year * 12 + when.month - 1 + size
            year, month = divmod(month, 12)
            day = when.day
            while True:
                try:
                    return when.replace(year=year, month=month + 1, day=day)
                except ValueError:
                    if day <= 28:
                        return None
                    day -= 1
        delta = dt.timedelta(days=size) if step.kind == "days" else dt.timedelta(microseconds=size)
        return when + delta
    except (OverflowError, ValueError):
        return None


def moment(x):
    return x if isinstance(x, dt.datetime) else dt.datetime.combine(x, dt.time())


def alike(a, b):
    """Two values brought to comparable types."""
    if isinstance(a, dt.date) and isinstance(b, dt.date) and is_date(a) != is_date(b):
        return moment(a), moment(b)
    return a, b


COMPARE = {
    "=": lambda a, b: a == b,
    "<>": lambda a, b: a != b,
    "<": lambda a, b: a < b,
    "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    ">=": lambda a, b: a >= b,
}


def compare(op, a, b):
    if a is None or b is None:
        return None
    return COMPARE[op](*alike(a, b))


def both(a, b):
    return False if a is False or b is False else None if a is None or b is None else True


def either(a, b):
    return True if a is True or b is True else None if a is None or b is None else False


def round_half_away(x, places=0):
    if x is None or places is None:
        return None
    if isinstance(x, int):
        if places >= 0:
            return x
        scale = 10 ** min(-places, 30)
        q, r = divmod(abs(x), scale)
        found = (q + (2 * r >= scale)) * scale
        return found if x >= 0 else -found
    scale = 10.0 ** min(abs(places), 30)
    scaled = x * scale if places >= 0 else x / scale
    if places >= 0 and abs(scaled) >= 2.0**53:
        return x
    exact = Fraction(scaled)
    base = math.floor(abs(exact))
    base += abs(exact) - base >= Fraction(1, 2)
    back = math.copysign(float(base), scaled)
    return finite(back / scale if places >= 0 else back * scale)


def extract(part, d):
    if d is None:
        return None
    iso = d.isocalendar()
    days = {
        "YEAR": d.year,
        "QUARTER": (d.month + 2) // 3,
        "MONTH": d.month,
        "WEEK": iso[1],
        "ISOYEAR": iso[0],
        "DAY": d.day,
        "DOY": d.timetuple().tm_yday,
        "ISODOW": iso[2],
    }
    if part in days:
        return days[part]
    m = moment(d)
    return {"HOUR": m.hour, "MINUTE": m.minute, "SECOND": m.second + m.microsecond / 1e6}[part]


def edge(word, unit, d):
    if d is None:
        return None
    d = dt.date(d.year, d.month, d.day)
    if unit == "WEEK":
        start = d - dt.timedelta(days=d.isocalendar()[2] - 1)
        return start if word == "start_of" else start + dt.timedelta(days=6)
    length = {"MONTH": 1, "QUARTER": 3, "YEAR": 12}[unit]
    first = (d.month - 1) // length * length + 1
    if word == "start_of":
        return dt.date(d.year, first, 1)
    last = first + length - 1
    nxt = dt.date(d.year + (last == 12), last % 12 + 1, 1)
    return nxt - dt.timedelta(days=1)


def like(text, pattern, escape=None):
    if None in (text, pattern):
        return None
    out, i = "", 0
    while i < len(pattern):
        if escape and pattern[i] == escape:
            if i + 1 == len(pattern):
                return None
            i += 1
            out += re.escape(pattern[i])
        else:
            out += {"%": ".*", "_": "."}.get(pattern[i], re.escape(pattern[i]))
        i += 1
    return re.fullmatch(out, text, re.DOTALL) is not None


def cast(x, target):
    if x is None:
        return None
    if target == "text":
        if isinstance(x, bool):
            return str(x).upper()
        if isinstance(x, float):
            return str(int(x)) if x == int(x) and abs(x) < 1e15 else repr(x)
        return x.isoformat(sep=" ") if isinstance(x, dt.datetime) else x if isinstance(x, str) else str(x)
    if isinstance(x, str):
        return read(x.strip(), target)
    if target == "integer":
        x = round_half_away(float(x)) if isinstance(x, float) else x
        return int(x) if x is not None and abs(x) < 2**63 else None
    if target == "number":
        return float(x)
    if target == "date":
        return x.date() if isinstance(x, dt.datetime) else x
    return moment(x) if target == "datetime" else x


def read(text, target):
    try:
        if target == "boolean":
            return {"true": True, "false": False}.get(text.lower())
        if target == "integer":
            return int(text) if re.fullmatch("[+-]?[0-9]+", text) and abs(int(text)) < 2**63 else None
        if target == "number":
            return finite(float(text)) if re.fullmatch(r"[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]+)?", text) else None
        if target == "date":
            return dt.date(*map(int, text.split("-"))) if re.fullmatch(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}", text) else None
        if target == "datetime" and re.fullmatch(r"[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}([ T][0-9]{1,2}:[0-9]{2}(:[0-9]{2})?)?", text):
            return dt.datetime(*map(int, re.split("[-T :]", text)))
    except ValueError:
        pass
    return None if target != "text" else text


def substring(x, start, length=None):
    if length is not None and length < 0:
        return None
    return "".join(c for i, c in enumerate(x, 1) if i >= start and (length is None or i < start + length))


def trim(side, x, c=" "):
    if len(c) != 1:
        return None
    while side in ("LEADING", "BOTH") and x.startswith(c):
        x = x[1:]
    while side in ("TRAILING", "BOTH") and x.endswith(c):
        x = x[:-1]
    return x


def domain(function):
    """A function of numbers that has no value outside its domain."""

    def inner(*xs):
        try:
            return finite(float(function(*map(float, xs))))
        except (ValueError, OverflowError, ZeroDivisionError, TypeError):
            return None

    return inner


def to_whole(function):
    return lambda x: x if isinstance(x, int) else (int(function(x)) if abs(function(x)) < 2**63 else None)


# Every function here is empty when an argument is.
STRICT = {
    "ABS": lambda x: exact(abs(x)),
    "FLOOR": to_whole(math.floor),
    "CEIL": to_whole(math.ceil),
    "POWER": domain(math.pow),
    "SQRT": domain(math.sqrt),
    "LN": domain(math.log),
    "EXP": domain(math.exp),
    "UPPER": str.upper,
    "LOWER": str.lower,
    "SUBSTRING": substring,
    "POSITION": lambda a, b: b.find(a) + 1,
    "CHAR_LENGTH": len,
    "REPLACE": lambda x, a, b: x.replace(a, b) if a else x,
    "MOD": lambda a, b: arithmetic("%", a, b),
    "||": lambda a, b: a + b,
    "negate": lambda x: exact(-x),
}


def of_parts(year, month, day, *clock):
    if None in (year, month, day, *clock):
        return None
    try:
        if not clock:
            return dt.date(year, month, day)
        hour, minute, second = (*clock, 0)[:3]
        micro = math.floor(second * 1_000_000 + 0.5)
        return dt.datetime(year, month, day, hour, minute, micro // 1_000_000, micro % 1_000_000) if 0 <= second < 60 else None
    except (ValueError, OverflowError):
        return None


def function(name, args):
    """A function by its name in the syntax tree."""
    head, _, rest = name.partition(" ")
    if name in ("DATE_OF", "DATETIME_OF"):
        return of_parts(*args)
    if name in STRICT:
        return None if None in args else STRICT[name](*args)
    if name in COMPARE:
        return compare(name, *args)
    if name in ("LEAST", "GREATEST"):
        return None if None in args else (min if name == "LEAST" else max)(args)
    if head == "EXTRACT":
        return extract(rest, *args)
    if head in ("start_of", "end_of"):
        return edge(head, rest, *args)
    if head == "CAST":
        return cast(*args, rest)
    if head == "TRIM":
        return None if None in args else trim(rest, *args)
    return {
        "NOT": lambda x: None if x is None else not x,
        "AND": both,
        "OR": either,
        "IS NULL": lambda x: x is None,
        "IS DISTINCT FROM": lambda a, b: (a is None) != (b is None) or (a is not None and not compare("=", a, b)),
        "ROUND": round_half_away,
        "COALESCE": lambda *xs: next((x for x in xs if x is not None), None),
        "NULLIF": lambda a, b: None if a is not None and b is not None and compare("=", a, b) else a,
        "LIKE": like,
    }[name](*args)
