"""The first steps of a model whose rows are there: keys that its tables have, a calendar for its dates, links, and grids to begin with.
Each is an offer, with what it would be made by; nothing is made here."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nexorem.core.design.matrix import bus_matrix
from nexorem.core.design.overlap import WORD, own_key
from nexorem.core.design.suggest import LinkSuggestion, suggestions
from nexorem.core.engine.candidates import LIKE_KEYS, candidate_keys
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Table
from nexorem.core.model.names import column_text, quoted, split_reference
from nexorem.core.model.star import Star
from nexorem.core.results import Result
from nexorem.core.values import NUMERIC

MOST_KEY = 3  # columns of a key that is offered
FEWEST_DAYS = 28  # of a table that is offered as a calendar
FEW, MANY = 2, 60  # lines of a first grid
MOST_GRIDS = 4
PARTS_OF_DATES = frozenset({"year", "month", "day", "hour", "minute", "week", "quarter", "time"})
OF_MOMENT = re.compile(r"(?<=.)[ _](at|on|time|datetime|timestamp|moment)$", re.I)  # what the name of a moment ends with
NAMES = ("name", "title", "group", "type", "category", "class", "region", "kind", "segment", "status")


@dataclass(frozen=True, slots=True)
class KeyOffer(Result):
    """Columns that tell a table's rows apart."""

    table: str
    columns: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class CalendarOffer(Result):
    """A calendar that a model with dates has none of: a table of days that is there (`day` is its column), or one that would be made from
    columns of dates. Where a table has moments and no dates, `steps` are all of its steps with those that make dates of them: a moment
    is no day, and is linked to none."""

    name: str
    day: str
    dates: tuple[str, ...]
    steps: Mapping[str, tuple[Mapping[str, Any], ...]]


@dataclass(frozen=True, slots=True)
class GridOffer(Result):
    """A grid to begin with: in words, the measures that it needs as edits add them, and the probe."""

    words: str
    measures: tuple[Mapping[str, Any], ...]
    probe: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Beginning(Result):
    """What can be done next with a model that was just gathered."""

    keys: tuple[KeyOffer, ...]
    calendar: CalendarOffer | None
    links: tuple[LinkSuggestion, ...]
    grids: tuple[GridOffer, ...]


def beginning(star: Star, budget: Budget) -> Beginning:
    """The offers for a model as it stands. Cost: that of its candidate keys and of what the data suggest, which the star keeps."""
    links = tuple(suggestions(star, budget))
    return Beginning(tuple(_keys(star, links)), _calendar(star), links, tuple(_grids(star)))


def _keys(star: Star, links: Sequence[LinkSuggestion]) -> Iterator[KeyOffer]:
    """A key for each table that has none: one that others hold first."""
    for table in star.model.tables:
        if table.key or table.formula or table.name in star.stay:
            continue
        held = {tuple(sorted(x.columns)): x.columns for x in map(_looked_up, links) if x.table == table.name}
        every = candidate_keys(star, table.name)
        found = [k for k in every if len(k) == 1 or _like_keys(table, k) or tuple(sorted(k)) in held]
        if found:
            ranks = {k: (tuple(sorted(k)) not in held, *_unlikely(star, table, k)) for k in found}
            yield KeyOffer(table.name, min(found, key=ranks.__getitem__))


def _looked_up(suggestion: LinkSuggestion) -> KeyOffer:
    """The key that a suggested link points to."""
    link = suggestion.link["to"]
    ends = [split_reference(x) for x in ([link] if isinstance(link, str) else link)]
    return KeyOffer(ends[0][0], tuple(c for _, c in ends))


def _like_keys(table: Table, columns: tuple[str, ...]) -> bool:
    """Whether a few columns are all called like keys, or are dates: amounts happen to tell rows apart, and are nobody's key."""
    dtypes = {c.name: c.dtype for c in table.columns}
    return len(columns) <= MOST_KEY and all(LIKE_KEYS.search(c) or dtypes[c].startswith("date") for c in columns)


def _unlikely(star: Star, table: Table, key: tuple[str, ...]) -> tuple[int, int]:
    """How unlikely columns are a table's key: one called after the table first, then one called like a key, then the first."""
    place = [c.name for c in table.columns].index(key[0])
    if len(key) == 1 and own_key(star, table, key[0]):
        return 0, place
    return (1 if LIKE_KEYS.search(key[0]) else 2), place


def _calendar(star: Star) -> CalendarOffer | None:
    tables = [t for t in star.model.tables if t.name not in star.stay]
    if any(t.calendar for t in star.model.tables):
        return None
    dating = {t.name: more for t in tables if (more := _dating(t))}
    steps = {t.name: (*t.steps, *dating[t.name]) for t in tables if t.name in dating}
    for table in tables:
        day = next((k[0] for k in candidate_keys(star, table.name) if len(k) == 1 and _is_every_day(star, table, k[0])), None)
        if day is not None:
            return CalendarOffer(table.name, day, (), steps)
    dates = [column_text(t.name, c.name) for t in tables for c in t.columns if c.dtype == "date" and not c.formula]
    dates += [column_text(table, step["name"]) for table, more in dating.items() for step in more]
    taken = {t.name.lower() for t in star.model.tables}
    name = next(x for x in ("Calendar", "Days", *(f"Calendar {i}" for i in range(2, 99))) if x.lower() not in taken)
    return CalendarOffer(name, "", tuple(dates), steps) if dates else None


def _dating(table: Table) -> list[Mapping[str, Any]]:
    """Steps that compute the date of each moment of a table that has no date, under names that are free."""
    if table.formula or any(c.dtype == "date" for c in table.columns):
        return []
    taken = {c.name.lower() for c in table.columns}
    steps: list[Mapping[str, Any]] = []
    for c in table.columns:
        if c.dtype == "datetime" and not c.formula:
            wish = OF_MOMENT.sub("", c.name) + (" date" if " " in c.name else "_date")
            name = next(x for x in (wish, *(f"{wish}_{i}" for i in range(2, 999))) if x.lower() not in taken)
            taken.add(name.lower())
            steps.append({"kind": "compute", "name": name, "formula": f"CAST({quoted(c.name)} AS date)"})
    return steps


def _is_every_day(star: Star, table: Table, column: str) -> bool:
    """Whether a key holds every day from its first to its last."""
    info = table.column(column)
    if info is None or info.dtype != "date" or star.size(table.name) < FEWEST_DAYS:
        return False
    days: list[Any] = star.column(table.name, column).rows().tolist()
    return bool((max(days) - min(days)).days + 1 == len(days))


def _grids(star: Star) -> Iterator[GridOffer]:
    """The rows of the largest facts, and amounts of theirs, by what looks like a name of what they look up."""
    facts = sorted(bus_matrix(star).facts, key=lambda name: -star.size(name))
    made = 0
    for name in facts:
        fact = star.model.table(name)
        assert fact
        rows = _axis(star, fact)
        if rows is None:
            continue
        for amount in [None, *_amounts(star, fact)[: MOST_GRIDS - 1]]:
            if made < MOST_GRIDS:
                made += 1
                yield _grid(star, fact, amount, rows)


def _amounts(star: Star, fact: Table) -> list[Column]:
    """Numeric columns of a fact that are neither keys nor parts of links or dates, in their order."""
    ends = [end for k in star.model.links for end in ((k.from_table, k.from_columns), (k.to_table, k.to_columns))]
    keys = {c for table, columns in ends if table == fact.name for c in columns} | set(fact.key)
    single = {k[0] for k in candidate_keys(star, fact.name) if len(k) == 1}
    own = [c for c in fact.columns if c.dtype in NUMERIC and not c.hidden and c.name not in keys | single and not LIKE_KEYS.search(c.name)]
    return [c for c in own if PARTS_OF_DATES.isdisjoint(WORD.findall(c.name.lower()))]


def _axis(star: Star, fact: Table) -> str | None:
    """A text column of what a fact looks up that makes some lines, not too many: names first, then what has the most lines."""
    found: list[tuple[int, int, str]] = []
    for table in star.lookups(fact.name, star.state):
        info = star.model.table(table)
        assert info
        for c in info.columns:
            if c.dtype != "text" or c.hidden or table in star.stay:
                continue
            lines = star.column_facts(table, c.name).distinct
            if FEW <= lines <= MANY:
                words = c.name.lower()
                rank = next((i for i, n in enumerate(NAMES) if n in words), len(NAMES))
                found.append((rank + (20 if table == fact.name else 0), -lines, column_text(table, c.name)))
    return min(found)[2] if found else None


def _grid(star: Star, fact: Table, amount: Column | None, rows: str) -> GridOffer:
    taken = {m.name.lower(): m for m in star.model.measures}
    formula = f"sum({column_text(fact.name, amount.name)})" if amount else f"rows({quoted(fact.name)})"
    known = next((m.name for m in star.model.measures if m.formula == formula), None)
    wish = amount.name if amount else f"{fact.name} rows"
    names: Sequence[str] = (wish, f"{wish} of {fact.name}", *(f"{wish} {i}" for i in range(2, 99)))
    name = known or next(n for n in names if n.lower() not in taken)
    measures = () if known else ({"name": name, "formula": formula, "home": fact.name},)
    probe = {"rows": [rows], "columns": [], "measures": [name], "picks": [], "totals": "grand"}
    return GridOffer(f"{name.replace('_', ' ')} by {rows.replace('_', ' ').replace('.', ' ')}", measures, probe)
