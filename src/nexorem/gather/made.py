"""Tables that are made here: calendars, bands, lists and parameters. Each is its description, and made anew whenever it is needed."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, Literal, assert_never

import numpy as np
from babel.dates import get_day_names, get_month_names
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.functions.convert import DAY, FIRST_DAY, LAST_DAY
from nexorem.core.functions.dates import DAY_PARTS
from nexorem.core.model.names import split_reference
from nexorem.core.values import EPOCH, Array, Vector, vector
from nexorem.gather.frame import Frame
from nexorem.gather.texts import Reads
from nexorem.gather.typed import guesses, typed
from nexorem.gather.validate import validated

Other = Callable[[str], Frame]
CALENDAR_COLUMNS = (
    "date",
    "year",
    "half",
    "quarter",
    "month",
    "month_of_year",
    "month_name",
    "week",
    "week_of_year",
    "iso_year",
    "day_of_month",
    "day_of_year",
    "day_of_week",
    "day_name",
    "season",
    "weekend",
    "holiday",
    "working_day",
)
USUAL = ("date", "year", "quarter", "month", "month_of_year", "month_name", "week", "day_of_month", "day_of_week", "day_name", "season")
SEASONS = {
    "en": ("winter", "spring", "summer", "autumn"),
    "de": ("Winter", "Frühling", "Sommer", "Herbst"),
    "fr": ("hiver", "printemps", "été", "automne"),
    "es": ("invierno", "primavera", "verano", "otoño"),
    "it": ("inverno", "primavera", "estate", "autunno"),
    "nl": ("winter", "lente", "zomer", "herfst"),
}
MOST_DAYS = 400_000
MOST_ROWS = 1_000_000


class Base(BaseModel):
    """No unknown properties, no number without end."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Holidays(Base):
    """A table that lists holidays: its date column, and the one with their names."""

    table: str
    date: str
    name: str = ""


class CalendarOrigin(Base):
    """Every day from the first to the last: of the dates in these columns, or of a span.

    A year is named after the calendar year in which it starts.
    """

    kind: Literal["calendar"]
    dates: list[str] = []
    start: dt.date | None = None
    end: dt.date | None = None
    whole_years: bool = False
    year_starts_in: int = Field(default=1, ge=1, le=12)
    language: str = "en"
    columns: list[Literal[CALENDAR_COLUMNS]] = list(USUAL)  # type: ignore[valid-type]
    holidays: Holidays | None = None


class BandSize(Base):
    """One set of bands: its edges ascending, the lower one in the band and the upper one not; open ends where they are asked for."""

    name: str
    edges: list[float] = Field(default=[], max_length=10_000)
    start: float | None = None
    end: float | None = None
    step: float | None = Field(default=None, gt=0)
    labels: list[str] = []
    open_below: bool = False
    open_above: bool = False


class BandsOrigin(Base):
    """Bands of several sizes in one table: size, low, high, label, order."""

    kind: Literal["bands"]
    sizes: list[BandSize] = Field(min_length=1, max_length=100)


class ListColumn(Base):
    """A column of a list; without a type it is found from the values."""

    name: str = Field(min_length=1)
    type: Literal["", "integer", "number", "text", "boolean", "date", "datetime"] = ""


class ListOrigin(Base):
    """Rows that were typed or pasted."""

    kind: Literal["list"]
    columns: list[ListColumn] = Field(min_length=1, max_length=200)
    rows: list[list[str | int | float | bool | None]] = Field(max_length=100_000)


class ParameterOrigin(Base):
    """A range of numbers to choose from."""

    kind: Literal["parameter"]
    column: str = "value"
    start: float
    end: float
    step: float = Field(gt=0)


class RoleOrigin(Base):
    """The rows of another table, for another role."""

    kind: Literal["role"]
    table: str = Field(min_length=1)


Made = Annotated[CalendarOrigin | BandsOrigin | ListOrigin | ParameterOrigin | RoleOrigin, Field(discriminator="kind")]
MADE: TypeAdapter[Made] = TypeAdapter(Made)
KINDS = ("calendar", "bands", "list", "parameter", "role")
# What columns of tables that are made here are ordered by, unless somebody says otherwise.
ORDERED_BY = {
    "calendar": {"month_name": "month_of_year", "day_name": "day_of_week", "season": "month_of_year"},
    "bands": {"label": "order"},
}
MEANS = {
    "calendar": "Link its date to the dates of facts. Unlinked, a pick of days filters nothing, and nothing shifts along it.",
    "bands": "It stays disconnected: a measure compares values with low and high, and a pick of a size chooses the bands.",
    "list": "Linked by a key it filters like any dimension. Disconnected it only offers values to choose from.",
    "role": "It has the rows of the other table, now and after every load. Link it by another column of the fact.",
    "parameter": "It stays disconnected: a measure reads the number that was picked. It filters nothing by itself.",
}


def is_made(origin: Mapping[str, Any]) -> bool:
    """Whether a table's rows are made here."""
    return origin.get("kind") in KINDS


def read_made(data: Any) -> Made:
    """A description from JSON; refuses with all that is wrong with it."""
    return validated(MADE, data, "bad_origin", "The table's")


def tables_needed(origin: Mapping[str, Any]) -> list[str]:
    """The tables whose rows a made table takes."""
    if origin.get("kind") == "role":
        return [str(origin.get("table", ""))]
    if origin.get("kind") != "calendar":
        return []
    tables = [split_reference(text)[0] for text in origin.get("dates", [])]
    holidays = origin.get("holidays") or {}
    return list(dict.fromkeys([*tables, *([holidays["table"]] if holidays.get("table") else [])]))


def make(data: Mapping[str, Any], other: Other) -> Frame:
    """The rows of a made table."""
    origin = read_made(dict(data))
    match origin:
        case CalendarOrigin():
            return make_calendar(origin, other)
        case BandsOrigin():
            return make_bands(origin)
        case ListOrigin():
            return make_list(origin)
        case RoleOrigin():
            return other(origin.table)
        case ParameterOrigin():
            return make_parameter(origin)
    assert_never(origin)


def _column(frame: Frame, table: str, name: str) -> Vector:
    column = next((v for c, v in frame.columns.items() if c.lower() == name.lower()), None)
    if column is None:
        raise refuse("unknown_column", f"{table} has no column {name}.", f"It has {', '.join(list(frame.columns)[:12])}.")
    return column


def _days(v: Vector, text: str) -> Array:
    if v.dtype not in ("date", "datetime"):
        raise refuse("wrong_type", f"{text} holds {v.dtype}, not dates.", "Read it as date in a step of its table.")
    data = v.data[v.valid]
    return np.asarray(data // DAY if v.dtype == "datetime" else data)


def day_text(day: int) -> str:
    """A day since 1970-01-01 as ISO 8601 writes it."""
    return (EPOCH + dt.timedelta(days=day)).isoformat()


def calendar_span(origin: CalendarOrigin, other: Other) -> tuple[int, int]:
    """The first and last day, as days since 1970-01-01."""
    day_numbers: list[int] = []
    for text in origin.dates:
        table, column = split_reference(text)
        days = _days(_column(other(table), table, column), text)
        if len(days):
            day_numbers += [int(days.min()), int(days.max())]
    day_numbers += [(d - EPOCH).days for d in (origin.start, origin.end) if d is not None]
    if not day_numbers:
        raise refuse("no_dates", "There is no date to make the calendar from.", "Name columns of dates, or a first and a last day.")
    low = (origin.start - EPOCH).days if origin.start else min(day_numbers)
    high = (origin.end - EPOCH).days if origin.end else max(day_numbers)
    if low > high:
        raise refuse("bad_span", "The first day is after the last.", "Change one of the two.")
    if origin.whole_years:
        low, high = _year_start(low, origin.year_starts_in), _year_start(high, origin.year_starts_in, 1) - 1
    if high - low >= MOST_DAYS:
        raise refuse(
            "too_many_rows",
            f"From {day_text(low)} to {day_text(high)} there are {high - low + 1:,} days; {MOST_DAYS:,} are the most.",
            "A wrong date far off makes a calendar long: name a first and a last day.",
        )
    return max(low, FIRST_DAY), min(high, LAST_DAY)


def _year_start(day: int, month: int, later: int = 0) -> int:
    date = EPOCH + dt.timedelta(days=day)
    return (dt.date(date.year - (date.month < month) + later, month, 1) - EPOCH).days


@cache
def _names(language: str) -> tuple[list[str], list[str]]:
    try:
        months, days = (
            get_month_names("abbreviated", "stand-alone", locale=language),
            get_day_names("abbreviated", "stand-alone", locale=language),
        )
    except Exception:  # babel has no class of its own for a language it does not know
        raise refuse("unknown_language", f"The language {language!r} does not exist.", "Write it as en, de or fr.") from None
    return [str(months[i]) for i in range(1, 13)], [str(days[i]) for i in range(7)]


def _numbers(data: Array) -> Vector:
    return Vector("integer", data.astype(np.int64), np.ones(len(data), bool))


def _words(keys: Array, word: Callable[[int], str]) -> Vector:
    """A text for each key, made once for each that is different."""
    distinct, places = np.unique(keys, return_inverse=True)
    return vector("text", [word(int(k)) for k in distinct]).take(places)


def make_calendar(origin: CalendarOrigin, other: Other) -> Frame:
    """The columns chosen, over all days; `week` counts after ISO 8601, `season` is the meteorological one of the northern half."""
    low, high = calendar_span(origin, other)
    days = np.arange(low, high + 1)
    part = {name: DAY_PARTS[name](days) for name in ("YEAR", "MONTH", "DAY", "ISOYEAR", "WEEK", "ISODOW", "DOY")}
    first = origin.year_starts_in
    of_year = (part["MONTH"] - first) % 12 + 1
    year = part["YEAR"] - (part["MONTH"] < first)
    months, names = _names(origin.language)
    seasons = SEASONS.get(origin.language, SEASONS["en"])
    full = np.ones(len(days), bool)
    weekend = part["ISODOW"] >= 6
    holiday = _holidays(origin, other, days)
    columns: dict[str, Callable[[], Vector]] = {
        "date": lambda: Vector("date", days, full),
        "year": lambda: _numbers(year),
        "half": lambda: _words(year * 10 + (of_year - 1) // 6 + 1, lambda k: f"{k // 10} H{k % 10}"),
        "quarter": lambda: _words(year * 10 + (of_year - 1) // 3 + 1, lambda k: f"{k // 10} Q{k % 10}"),
        "month": lambda: _words(part["YEAR"] * 100 + part["MONTH"], lambda k: f"{k // 100:04}-{k % 100:02}"),
        "month_of_year": lambda: _numbers(of_year),
        "month_name": lambda: _words(part["MONTH"], lambda k: months[k - 1]),
        "week": lambda: _words(part["ISOYEAR"] * 100 + part["WEEK"], lambda k: f"{k // 100:04}-W{k % 100:02}"),
        "week_of_year": lambda: _numbers(part["WEEK"]),
        "iso_year": lambda: _numbers(part["ISOYEAR"]),
        "day_of_month": lambda: _numbers(part["DAY"]),
        "day_of_year": lambda: _numbers(part["DOY"]),
        "day_of_week": lambda: _numbers(part["ISODOW"]),
        "day_name": lambda: _words(part["ISODOW"], lambda k: names[k - 1]),
        "season": lambda: _words(part["MONTH"] % 12 // 3, lambda k: seasons[k]),
        "weekend": lambda: Vector("boolean", weekend, full),
        "holiday": lambda: holiday,
        "working_day": lambda: Vector("boolean", ~weekend & ~holiday.valid, full),
    }
    chosen = list(dict.fromkeys(["date", *origin.columns]))
    return Frame(len(days), {name: columns[name]() for name in chosen})


def _holidays(origin: CalendarOrigin, other: Other, days: Array) -> Vector:
    """The name of each day's holiday; empty on other days."""
    if origin.holidays is None:
        return vector("text", [None] * len(days))
    frame = other(origin.holidays.table)
    dates = _column(frame, origin.holidays.table, origin.holidays.date)
    _days(dates, f"{origin.holidays.table}.{origin.holidays.date}")
    names = _column(frame, origin.holidays.table, origin.holidays.name) if origin.holidays.name else None
    holidays: list[Any] = [None] * len(days)
    for place in np.flatnonzero(dates.valid):
        day = int(dates.data[place]) // (DAY if dates.dtype == "datetime" else 1) - int(days[0])
        if 0 <= day < len(days) and holidays[day] is None:
            holidays[day] = str(names.at(int(place)) or "holiday") if names is not None else "holiday"
    return vector("text", holidays)


def _is_whole(value: float) -> bool:
    """Whether a number is a whole one that a double holds exactly."""
    return float(value).is_integer() and abs(value) <= 2**53


def _steps(start: float, end: float, step: float) -> float:
    """How many steps lead from one number to another; very many where the step is too small to be told."""
    with np.errstate(over="ignore"):
        return float(min(np.float64(end - start) / np.float64(step), np.float64(1e300)))


def _number(value: float) -> str:
    return str(int(value)) if _is_whole(value) else f"{value:g}"


def _edges(size: BandSize) -> list[float]:
    if size.edges:
        edges = size.edges
        if any(a >= b for a, b in pairwise(edges)):
            raise refuse("bad_bands", f"The edges of {size.name} do not ascend.", "Write each edge above the one before it.")
        return edges
    if size.start is None or size.end is None or size.step is None or size.start >= size.end:
        raise refuse("bad_bands", f"The bands of {size.name} have no edges.", "Name edges, or a start, an end and a step.")
    wanted = _steps(size.start, size.end, size.step)
    if wanted > MOST_ROWS:
        raise refuse("too_many_rows", f"{size.name} would have {wanted:,.0f} bands.", "Take a larger step.")
    count = int(np.ceil(wanted - 1e-9))
    return [round(size.start + i * size.step, 10) for i in range(count)] + [size.end]


def make_bands(origin: BandsOrigin) -> Frame:
    """size, low, high, label and order, a row a band; an open end is empty."""
    rows: list[tuple[str, float | None, float | None, str, int]] = []
    for size in origin.sizes:
        edges: list[float | None] = list(_edges(size))
        if size.open_below:
            edges.insert(0, None)
        if size.open_above:
            edges.append(None)
        bands = list(pairwise(edges))
        if not bands:
            raise refuse("bad_bands", f"{size.name} has no band.", "Two edges make one.")
        if size.labels and len(size.labels) != len(bands):
            raise refuse("bad_bands", f"{size.name} has {len(bands)} bands and {len(size.labels)} labels.", "Write one for each, or none.")
        for place, (low, high) in enumerate(bands):
            said = (
                f"below {_number(high or 0)}"
                if low is None
                else f"{_number(low)} and above"
                if high is None
                else f"{_number(low)} to {_number(high)}"
            )
            rows.append((size.name, low, high, size.labels[place] if size.labels else said, place + 1))
    whole = all(x is None or _is_whole(x) for r in rows for x in r[1:3])
    kind = "integer" if whole else "number"

    def bound(values: list[float | None]) -> Vector:
        return vector(kind, [None if x is None else int(x) if whole else float(x) for x in values])

    return Frame(
        len(rows),
        {
            "size": vector("text", [r[0] for r in rows]),
            "low": bound([r[1] for r in rows]),
            "high": bound([r[2] for r in rows]),
            "label": vector("text", [r[3] for r in rows]),
            "order": vector("integer", [r[4] for r in rows]),
        },
    )


def make_list(origin: ListOrigin) -> Frame:
    """A list's rows in their types; refuses values that are none of their column's type."""
    width = len(origin.columns)
    names = [c.name for c in origin.columns]
    if len({n.lower() for n in names}) < width:
        raise refuse("repeated_name", "Two columns of the list have one name.", "Names differ by more than case.")
    wide = next((i for i, r in enumerate(origin.rows) if len(r) > width), None)
    if wide is not None:
        raise refuse(
            "bad_list", f"Row {wide + 1} has {len(origin.rows[wide])} values for {width} columns.", "Take some out, or add a column."
        )
    columns: dict[str, Vector] = {}
    wrong: list[Diagnostic] = []
    for place, column in enumerate(origin.columns):
        raw = [r[place] if place < len(r) else None for r in origin.rows]
        texts = vector("text", [None if x is None or x == "" else str(x).lower() if isinstance(x, bool) else str(x) for x in raw])
        reads = Reads(column.type) if column.type else guesses(texts)[0].reads
        typed_column, missed = typed(texts, reads, "empty")
        for row, text in missed.rows[:5]:
            said = f"{column.name} in row {row}: {text[:40]!r} is not of the type {column.type}."
            wrong.append(Diagnostic("bad_value", said, hint="Mend it, or change the type."))
        columns[column.name] = typed_column
    if wrong:
        raise Refused(wrong)
    return Frame(len(origin.rows), columns)


def make_parameter(origin: ParameterOrigin) -> Frame:
    """start, start + step, … up to end."""
    if origin.start > origin.end:
        raise refuse("bad_span", "The range ends before it starts.", "Change one of the two.")
    wanted = _steps(origin.start, origin.end, origin.step)
    if wanted >= MOST_ROWS:
        raise refuse("too_many_rows", f"The range has {wanted + 1:,.0f} numbers; {MOST_ROWS:,} are the most.", "Take a larger step.")
    count = int(np.floor(wanted + 1e-9)) + 1
    values = np.round(origin.start + np.arange(count) * origin.step, 10)
    full = np.ones(count, bool)
    if _is_whole(origin.start) and _is_whole(origin.step) and abs(origin.end) <= 2**53:
        return Frame(count, {origin.column: Vector("integer", values.astype(np.int64), full)})
    return Frame(count, {origin.column: Vector("number", values, full)})
