"""Worked patterns to begin a measure from, filled with the model's own names. What is offered can be computed in that model."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.model import Column, Link, Table
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import nodes, scans
from nexorem.core.results import Result
from nexorem.core.values import NUMERIC

FEW = range(2, 200)  # members of a column that reads well on an axis


@dataclass(frozen=True, slots=True)
class Pattern(Result):
    """A formula to begin from. `teaches` says what it does and what to watch for; where the model has nothing to fill it with, `formula` is
    empty and `lacks` says what is missing."""

    key: str
    title: str
    teaches: str
    name: str
    formula: str
    lacks: str = ""


@dataclass(frozen=True, slots=True)
class Parts:
    """What a model has to fill patterns with: a measure that adds up, its grain and the tables that filter it."""

    measure: str
    grain: str
    reach: tuple[str, ...]


def patterns(star: Star, measure: str = "") -> list[Pattern]:
    """All of them, around one measure (else around the first that adds up rows of a fact)."""
    parts = _parts(star, measure)
    if parts is None:
        return [Pattern(key, title, teaches, name, "", "a measure that adds up rows of a fact") for key, title, teaches, name in WORDS]
    filled = {
        "share_of_total": _share_of_total,
        "share_of_page": _share_of_page,
        "last_year": _calendar_edit,
        "to_date": _calendar_edit,
        "override": _condition,
        "keep": _condition,
        "carried": _carried,
        "bands": _bands,
        "two_way": _two_way,
        "last_balance": _last_balance,
        "new_here": _new_here,
    }
    patterns_of = []
    for key, title, teaches, name in WORDS:
        offers = [(o, "") if isinstance(o, str) else o for o in filled[key](star, parts, key)]
        formula, about = next((o for o in offers if _binds(star, o[0])), ("", ""))
        stem = "_".join((about or parts.measure.strip('"')).lower().split())
        patterns_of.append(Pattern(key, title, teaches, _free(star, name.format(stem)), formula, "" if formula else LACKS[key]))
    return patterns_of


WORDS = (
    (
        "share_of_total",
        "Share of a total",
        "Divides by the same measure with the filters cleared on the fact and all that its rows look up, the calendar left alone. A "
        "filter that comes over a loose link is not among them: then the share is 100 % along it, "
        "and clear into … is what was meant.",
        "{}_share",
    ),
    (
        "share_of_page",
        "Share of the page",
        "Divides by what the picks alone would give: the axes go, the picks stay, so the shares of what is shown add up to 100 %.",
        "{}_share_of_page",
    ),
    (
        "last_year",
        "A year earlier",
        "Moves the dates in context by a year. A month of which every day is in context moves whole; an incomplete one moves day by day.",
        "{}_year_before",
    ),
    ("to_date", "To date", "Stretches the dates in context back to the start of their year.", "{}_to_date"),
    (
        "override",
        "Override a filter",
        "set replaces whatever filters the column: along an axis of that column the number is the same on every line.",
        "{}_there",
    ),
    ("keep", "Keep within a filter", "keep adds to the filters that are there: outside them there is nothing left.", "{}_here"),
    (
        "carried",
        "Carry a filter over",
        "match runs filters from one table to another as over a loose link, for this one computation.",
        "{}_carried",
    ),
    (
        "bands",
        "Put values in bands",
        "match … where compares in place of equal keys: the bands stand on an axis without any link.",
        "{}_in_band",
    ),
    (
        "two_way",
        "Distinct through a two-way link",
        "Turns the flow of one link for one measure, so that a count on the dimension's side follows the fact.",
        "{}_used",
    ),
    (
        "last_balance",
        "Balance at the last day",
        "Adds up only the rows of the last day in context, for stocks that must not be added over time.",
        "{}_at_end",
    ),
    ("new_here", "New in this period", "Counts the members whose first day, over all time, lies in the dates in context.", "new_{}"),
)
LACKS = {
    "share_of_total": "a dimension that filters it",
    "share_of_page": "a measure",
    "last_year": "a calendar that filters it",
    "to_date": "a calendar that filters it",
    "override": "a dimension with a text column that filters it",
    "keep": "a dimension with a text column that filters it",
    "carried": "a table whose members are named like those of a dimension",
    "bands": "a table of bands: two numbers a row, and no link",
    "two_way": "an active link from it to a dimension",
    "last_balance": "an active link from it to a calendar",
    "new_here": "an active link to a calendar, and one to a dimension",
}
Offers = Iterator[str | tuple[str, str]]


def _binds(star: Star, formula: str) -> bool:
    try:
        Binder(star, {"\0pattern": formula}).measure("\0pattern")
    except Refused:
        return False
    return True


def _free(star: Star, name: str) -> str:
    """A name that no measure has yet."""
    number, free = 2, name
    while star.model.measure(free):
        free, number = f"{name}_{number}", number + 1
    return free


def _parts(star: Star, measure: str) -> Parts | None:
    binder = Binder(star)
    names = [measure] if star.model.measure(measure) else []
    for name in [*names, *(m.name for m in star.model.measures)]:
        try:
            bound = binder.measure(name)
        except Refused:
            continue
        aggregates = [s for s in scans(bound) if s.function in ("sum", "rows", "count")]
        edited = any(isinstance(n, t.Edited) for n in nodes(bound))
        table = star.model.table(aggregates[0].grain) if aggregates else None
        if table and bound.dtype in NUMERIC and (name in names or not edited) and (name in names or role(star, table) == "fact"):
            reach = tuple(f.table for f in star.inflow(aggregates[0].grain, aggregates[0].state).walk())
            return Parts(quoted(star.model.measure(name).name), aggregates[0].grain, reach)  # type: ignore[union-attr]
    return None


def _dimensions(star: Star, parts: Parts) -> list[Table]:
    """Tables that filter the grain and describe it, the widely used first; no calendar."""
    tables = [x for name in parts.reach if (x := star.model.table(name)) and name != parts.grain and not x.calendar]
    return [x for x in tables if role(star, x) in ("dimension", "outrigger") and not x.hidden]


def _keyed(star: Star, table: Table) -> set[str]:
    """Columns that tell rows apart or link them."""
    ends = [(k.from_table, k.from_columns) for k in star.model.links] + [(k.to_table, k.to_columns) for k in star.model.links]
    return {*table.key, *(c for name, columns in ends if name == table.name for c in columns)}


def _axes(star: Star, table: Table) -> list[Column]:
    """Text columns with a few members, those that are no key and have fewest first."""
    keyed = _keyed(star, table)
    few = [c for c in table.columns if not c.hidden and c.dtype == "text" and _size(star, table, c) in FEW]
    return sorted(few, key=lambda c: (c.name in keyed, _size(star, table, c)))


def _size(star: Star, table: Table, column: Column) -> int:
    return star.domain(table.name, (column.name,)).size - 1


def _share_of_total(star: Star, parts: Parts, _key: str) -> Offers:
    but = "".join(f" but {quoted(c.name)}" for c in _calendars(star, parts)[:1])
    yield f"{parts.measure} / {parts.measure} given (clear wide {quoted(parts.grain)}{but})"


def _share_of_page(_star: Star, parts: Parts, _key: str) -> Offers:
    yield f"{parts.measure} / {parts.measure} given (reset all)"


def _calendars(star: Star, parts: Parts) -> list[Table]:
    return [x for x in star.model.tables if x.calendar and x.name in parts.reach]


def _calendar_edit(star: Star, parts: Parts, key: str) -> Offers:
    for table in _calendars(star, parts):
        edit = f"shift {quoted(table.name)} by -1 year" if key == "last_year" else f"stretch {quoted(table.name)} to start of year"
        yield f"{parts.measure} given ({edit})"


def _condition(star: Star, parts: Parts, key: str) -> Offers:
    word = "set" if key == "override" else "keep"
    offered = [(c.name in _keyed(star, x), _size(star, x, c), x.name, c.name) for x in _dimensions(star, parts) for c in _axes(star, x)]
    for _, _, table, column in sorted(offered):
        value = str(min(_values(star, table, column))).replace("'", "''")
        yield f"{parts.measure} given ({word} {column_text(table, column)} = '{value}')"


def _carried(star: Star, parts: Parts, _key: str) -> Offers:
    """Two text columns that share members, of a dimension and of a table without a link to it."""
    best: list[tuple[float, str]] = []
    for target in _dimensions(star, parts):
        for theirs in _axes(star, target):
            members = _values(star, target.name, theirs.name)
            for source in star.model.tables:
                if source.name == target.name or any(k.tables == {source.name, target.name} for k in star.model.links):
                    continue
                for mine in _axes(star, source):
                    if {mine.name} & _keyed(star, source) or {theirs.name} & _keyed(star, target):
                        continue  # that is a link to be made, no filter to be carried
                    own = _values(star, source.name, mine.name)
                    edit = f"match {column_text(source.name, mine.name)} to {column_text(target.name, theirs.name)}"
                    # A filter that comes by a link of its own has to be held off, or both would hold together.
                    link = next((k for k in star.model.links if k.tables == {source.name, parts.grain} and k.active), None)
                    off = f"flow {star.model.link_text(link)} off, " if link else ""
                    best.append((len(members & own) / max(len(members | own), 1), f"{parts.measure} given ({off}{edit})"))
    yield from (text for likeness, text in sorted(best, reverse=True) if likeness > 0)


def _values(star: Star, table: str, column: str) -> set[Any]:
    domain = star.domain(table, (column,))
    return {v for v in star.column(table, column).take(domain.firsts[:-1]).tolist() if v is not None}


def _bands(star: Star, parts: Parts, _key: str) -> Offers:
    """A table without links that has two numbers a row, and a number of the grain or of what it looks up: those that meet in most bands."""
    numbers = [
        (x, c.name)
        for name in star.lookups(parts.grain, star.state)
        if (x := star.model.table(name))
        for c in x.columns
        if c.dtype in NUMERIC and c.name not in _keyed(star, x)
    ]
    cuts: list[tuple[int, str]] = []
    for table in star.model.tables:
        ends = [c.name for c in table.columns if c.dtype in NUMERIC]
        if any(table.name in k.tables for k in star.model.links) or len(ends) < 2:
            continue
        bands = list(zip(*(star.column(table.name, c).take(np.arange(star.size(table.name))).tolist() for c in ends[:2]), strict=True))
        low, high = (column_text(table.name, c) for c in ends[:2])
        for owner, column in numbers:
            values = np.array(sorted(float(v) for v in _values(star, owner.name, column)))
            met = sum(1 for a, b in bands if a is not None and b is not None and np.searchsorted(values, a) < np.searchsorted(values, b))
            compared = column_text(owner.name, column)
            cuts.append(
                (
                    met,
                    f"{parts.measure} given (match {quoted(table.name)} to {quoted(owner.name)}\n"
                    f"  where {low} <= {compared} AND {compared} < {high})",
                )
            )
    yield from (text for met, text in sorted(cuts, key=lambda x: -x[0]) if met > 1)


def _two_way(star: Star, parts: Parts, _key: str) -> Offers:
    """The key of a dimension that the grain's rows look up, counted after the link is turned for this measure."""
    for link in _many_to_one(star, parts):
        counted = column_text(link.to_table, link.to_columns[0])
        yield f"count(distinct {counted}) given (flow {star.model.link_text(link)} two-way)", link.to_table


def _many_to_one(star: Star, parts: Parts) -> list[Link]:
    """The active links by one column from the grain to its dimensions, the large ones first."""
    links = [k for k in star.model.links if k.from_table == parts.grain and k.active and k.flow == "one-way" and len(k.to_columns) == 1]
    calendars = {x.name for x in star.model.tables if x.calendar}
    return sorted(
        (k for k in links if k.cardinality == "many-to-one" and k.to_table not in calendars), key=lambda k: -star.size(k.to_table)
    )


def _days(star: Star, parts: Parts) -> Iterator[tuple[Table, str, str]]:
    """Each calendar that filters the grain over a link of its own, its date column, and the grain's."""
    for calendar in _calendars(star, parts):
        link = next((k for k in star.model.links if k.from_table == parts.grain and k.to_table == calendar.name and k.active), None)
        if link and calendar.calendar:
            yield calendar, column_text(calendar.name, calendar.calendar.date), column_text(parts.grain, link.from_columns[0])


def _last_balance(star: Star, parts: Parts, _key: str) -> Offers:
    for _, date, own in _days(star, parts):
        yield f"let last_day = max({own})\nin {parts.measure} given (set {date} = last_day)"


def _new_here(star: Star, parts: Parts, _key: str) -> Offers:
    """Members of a dimension whose first row of the fact lies in the dates in context."""
    for calendar, date, own in _days(star, parts):
        for link in _many_to_one(star, parts):
            key = column_text(parts.grain, link.from_columns[0])
            formula = (
                "-- the first of all its days: the calendar's filters are cleared\n"
                f"let from_day = min({date}), to_day = max({date})\n"
                f"in rows({key} where {key} IS NOT NULL\n"
                f"  AND min({own}) given (clear {quoted(calendar.name)}) BETWEEN from_day AND to_day)"
            )
            yield formula, link.to_table
