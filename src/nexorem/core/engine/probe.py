"""A probe: what a grid is asked for (formats.md, section 2), read and checked, and the page it stands on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.functions.convert import PARSERS
from nexorem.core.language.binder import Binder
from nexorem.core.limits import DEFAULT_LIMITS
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Value, Vector, constant, iso
from nexorem.core.words import listed

TOTALS = ("none", "grand", "all")
# `look` says how the answer is shown, and nothing of what it is
KEYS = frozenset("name description rows columns measures define picks totals empty_lines sort top having limit look".split())
UNMATCHED = {"unmatched": True}


@dataclass(frozen=True, slots=True)
class Pick:
    """The members of one column that the page lets through. A value None is `(empty)`."""

    table: str
    column: str
    values: tuple[Value, ...]
    unmatched: bool


@dataclass(frozen=True, slots=True)
class Order:
    """What lines are ordered by: a column of an axis' table as (table, column), or a measure, over all columns or at some members of
    theirs."""

    by: str | tuple[str, str]
    descending: bool
    at: tuple[Pick, ...] = ()


@dataclass(frozen=True, slots=True)
class Top:
    """Of each parent's lines of a level (None: the last) only those with the largest values of a measure, or the smallest; with `ties`
    those too that are equal to the last of them."""

    count: int
    by: str
    ascending: bool = False
    level: int | None = None
    ties: bool = True


@dataclass(frozen=True, slots=True)
class Having:
    """Only lines of a level (None: the last) for which a formula is true, over all columns."""

    where: str
    level: int | None = None


@dataclass(frozen=True, slots=True)
class Probe:
    """A probe whose names are all known: axis columns as (table, column)."""

    rows: tuple[tuple[str, str], ...] = ()
    columns: tuple[tuple[str, str], ...] = ()
    measures: tuple[str, ...] = ()
    define: Mapping[str, str] = field(default_factory=dict)
    picks: tuple[Pick, ...] = ()
    conditions: tuple[str, ...] = ()
    totals: str = "none"
    empty_lines: bool = False
    sort: tuple[Order, ...] = ()
    top: Top | None = None
    having: tuple[Having, ...] = ()
    limit: int = DEFAULT_LIMITS.probe_cells


def read_probe(star: Star, data: Mapping[str, Any]) -> Probe:
    """A probe from its JSON; refuses with everything that is wrong with it."""
    wrong: list[Diagnostic] = []

    def columns_of(key: str) -> tuple[tuple[str, str], ...]:
        found = []
        for text in _strings(data.get(key, []), key, wrong):
            try:
                found.append(star.model.find_column(text))
            except Refused as refused:
                wrong.extend(_in(d, key) for d in refused.diagnostics)
        return tuple(found)

    rows, columns = columns_of("rows"), columns_of("columns")
    repeated = [f"{a}.{b}" for i, (a, b) in enumerate((*rows, *columns)) if (a, b) in (*rows, *columns)[:i]]
    if repeated:
        wrong.append(Diagnostic("repeated_axis", f"{repeated[0]} stands on the axes twice.", place="rows", hint="Leave one of them out."))
    define = data.get("define") or {}
    if not isinstance(define, Mapping) or not all(isinstance(v, str) for v in define.values()):
        wrong.append(Diagnostic("bad_probe", "“define” maps names to formulas.", place="define"))
        define = {}
    picks, conditions = _read_picks(star, data.get("picks") or [], wrong)
    totals = data.get("totals", "none")
    if totals not in TOTALS:
        wrong.append(Diagnostic("bad_probe", f"totals is {totals!r}.", place="totals", hint=f"It is one of {', '.join(TOTALS)}."))
    limit = data.get("limit", DEFAULT_LIMITS.probe_cells)
    if not isinstance(limit, int) or isinstance(limit, bool) or limit < 1:
        wrong.append(Diagnostic("bad_probe", f"limit is {limit!r}.", place="limit", hint="It is a whole number above 0."))
        limit = DEFAULT_LIMITS.probe_cells
    measures = tuple(_strings(data.get("measures", []), "measures", wrong))
    sort = _read_sort(star, data.get("sort") or [], rows, columns, measures, wrong)
    top = _read_top(star, data.get("top"), measures, rows, wrong)
    having = _read_having(star, data.get("having") or [], rows, wrong)
    unknown = set(data) - KEYS
    wrong += [Diagnostic("bad_probe", f"A probe has no {key!r}.", place=key) for key in sorted(unknown)]
    if not measures:
        wrong.append(Diagnostic("no_measure", "The probe asks for no measure.", place="measures", hint="Name at least one."))
    names = Binder(star, define)
    if wrong:
        # All that is wrong is told at once, the formulas' errors too.
        for name in measures:
            try:
                names.measure(name)
            except Refused as refused:
                wrong += [d for d in refused.diagnostics if d not in wrong]
        raise Refused(wrong)
    measures = tuple(found[0] if (found := names.formula_of(m)) else m for m in measures)
    return Probe(
        rows, columns, measures, dict(define), picks, conditions, totals, bool(data.get("empty_lines", False)), sort, top, having, limit
    )


def _in(d: Diagnostic, place: str) -> Diagnostic:
    return replace(d, place=place)


def _strings(found: Any, place: str, wrong: list[Diagnostic]) -> list[str]:
    if isinstance(found, list | tuple) and all(isinstance(x, str) for x in found):
        return list(found)
    wrong.append(Diagnostic("bad_probe", f"“{place}” is a list of names.", place=place))
    return []


def _read_picks(star: Star, found: Any, wrong: list[Diagnostic]) -> tuple[tuple[Pick, ...], tuple[str, ...]]:
    picks, conditions = [], []
    for item in found if isinstance(found, list) else [None]:
        try:
            if isinstance(item, Mapping) and isinstance(item.get("where"), str) and len(item) == 1:
                conditions.append(item["where"])
            elif isinstance(item, Mapping) and isinstance(item.get("column"), str) and isinstance(item.get("in"), list):
                picks.append(read_pick(star, item["column"], item["in"]))
            else:
                raise refuse("bad_pick", "This is no pick.", 'Write {"column": …, "in": […]} or {"where": …}.')
        except Refused as refused:
            wrong.extend(_in(d, "picks") for d in refused.diagnostics)
    return tuple(picks), tuple(conditions)


def read_pick(star: Star, column_text: str, values: Sequence[Any]) -> Pick:
    """A pick from JSON values: null is `(empty)`, {"unmatched": true} is `(unmatched)`."""
    table, column = star.model.find_column(column_text)
    dtype = star.column(table, column).dtype
    listed = [v for v in values if v != UNMATCHED]
    return Pick(table, column, tuple(read_value(dtype, v, f"{table}.{column}") for v in listed), len(listed) < len(values))


def read_value(dtype: str, value: Any, what: str) -> Value:
    """A JSON value, or its text, as a value of the column's type."""
    if value is None or (isinstance(value, bool) and dtype == "boolean"):
        return value
    found: Value = None
    if isinstance(value, str):
        found = value if dtype == "text" else PARSERS[dtype](value)
    elif isinstance(value, int | float) and not isinstance(value, bool) and dtype in ("integer", "number"):
        whole = float(value).is_integer()
        found = (int(value) if whole else None) if dtype == "integer" else float(value)
    if found is None:
        raise refuse("bad_value", f"{value!r} is no {dtype}, which {what} holds.")
    return found


def _read_sort(
    star: Star,
    found: Any,
    rows: Sequence[tuple[str, str]],
    columns: Sequence[tuple[str, str]],
    measures: Sequence[str],
    wrong: list[Diagnostic],
) -> tuple[Order, ...]:
    by = []
    for item in found if isinstance(found, list) else [None]:
        name = item.get("by") if isinstance(item, Mapping) else None
        if not isinstance(item, Mapping) or not isinstance(name, str):
            wrong.append(Diagnostic("bad_sort", "This is no order.", place="sort", hint='Write {"by": …, "desc": true}.'))
            continue
        match: str | tuple[str, str] | None = _measure_of(name, measures)
        if match is None:
            try:
                match = star.model.find_column(name)
            except Refused:
                match = None
        if match is None or (isinstance(match, tuple) and match[0] not in {table for table, _ in (*rows, *columns)}):
            hint = "Order by one of its measures, or by a column of a table that has a column on an axis."
            wrong.append(Diagnostic("bad_sort", f"{name} is neither a measure nor of an axis of this probe.", place="sort", hint=hint))
            continue
        by.append(Order(match, bool(item.get("desc", False)), _read_at(star, item.get("at") or {}, columns, wrong)))
    return tuple(by)


def _measure_of(name: Any, measures: Sequence[str]) -> str | None:
    return next((m for m in measures if isinstance(name, str) and m.lower() == name.lower()), None)


def _read_at(star: Star, found: Any, columns: Sequence[tuple[str, str]], wrong: list[Diagnostic]) -> tuple[Pick, ...]:
    """The members of the columns across at which a measure orders."""
    hint = 'Write {"Table.column": value} with columns of the axis across; null is (empty), {"unmatched": true} is (unmatched).'
    if not isinstance(found, Mapping):
        wrong.append(Diagnostic("bad_sort", "“at” names no members.", place="sort", hint=hint))
        return ()
    picks = []
    for text, value in found.items():
        try:
            pick = read_pick(star, text, [value])
        except Refused as refused:
            wrong.extend(_in(d, "sort") for d in refused.diagnostics)
            continue
        if (pick.table, pick.column) in columns:
            picks.append(pick)
        else:
            wrong.append(Diagnostic("bad_sort", f"{text} does not stand across.", place="sort", hint=hint))
    return tuple(picks)


def _read_top(star: Star, found: Any, measures: Sequence[str], rows: Sequence[tuple[str, str]], wrong: list[Diagnostic]) -> Top | None:
    if found is None:
        return None
    hint = 'Write {"count": 10, "by": "a measure of the probe", "asc": false}.'
    count, by = (found.get("count"), _measure_of(found.get("by"), measures)) if isinstance(found, Mapping) else (None, None)
    if not isinstance(count, int) or isinstance(count, bool) or count < 1 or by is None:
        wrong.append(Diagnostic("bad_top", "This says not which lines are the top ones.", place="top", hint=hint))
        return None
    level = _read_level(star, found.get("level"), rows, "top", wrong)
    return Top(count, by, bool(found.get("asc", False)), level, bool(found.get("ties", True)))


def _read_level(star: Star, found: Any, rows: Sequence[tuple[str, str]], place: str, wrong: list[Diagnostic]) -> int | None:
    """The place of a column on the axis of rows; None where none is named."""
    if found is None:
        return None
    hint = f"It is one of {', '.join(f'{a}.{b}' for a, b in rows)}." if rows else "There are no columns on the rows."
    try:
        column = star.model.find_column(str(found))
    except Refused as refused:
        wrong.extend(_in(d, place) for d in refused.diagnostics)
        return None
    if column not in rows:
        wrong.append(Diagnostic("bad_level", f"{found} does not stand on the rows.", place=place, hint=hint))
        return None
    return list(rows).index(column)


def _read_having(star: Star, found: Any, rows: Sequence[tuple[str, str]], wrong: list[Diagnostic]) -> tuple[Having, ...]:
    having = []
    for item in found if isinstance(found, list) else [None]:
        if not isinstance(item, Mapping) or not isinstance(item.get("where"), str) or not set(item) <= {"where", "level"}:
            hint = 'Write {"where": "a condition over measures", "level": "Table.column"}; without a level it is that of whole lines.'
            wrong.append(Diagnostic("bad_having", "This is no condition on lines.", place="having", hint=hint))
            continue
        having.append(Having(item["where"], _read_level(star, item.get("level"), rows, "having", wrong)))
    return tuple(having)


def member_mask(star: Star, pick: Pick) -> Array:
    """bool, one a member of the picked column: exactly what the pick lists."""
    domain = star.domain(pick.table, (pick.column,))
    members = star.column(pick.table, pick.column).take(domain.firsts)
    mask = np.zeros(domain.size, bool)
    for value in pick.values:
        mask[:-1] |= ~members.valid[:-1] if value is None else _equals(members, value)[:-1]
    mask[-1] = pick.unmatched
    return mask


def _equals(members: Vector, value: Value) -> Array:
    if members.dtype == "text":
        at = np.searchsorted(members.words, str(value)) if len(members.words) else 0
        hit = at < len(members.words) and members.words[at] == value
        return members.valid & (members.data == at) if hit else np.zeros(len(members), bool)
    return np.asarray(members.valid & (members.data == constant(members.dtype, value, 1).data[0]))


def unknown_members(star: Star, probe: Probe) -> list[str]:
    """A sentence for each pick that lists what is no member of its column: it lets nothing through for that."""
    told = []
    for pick in probe.picks:
        lost = [v for v in pick.values if not member_mask(star, replace(pick, values=(v,), unmatched=False)).any()]
        if lost:
            text = column_text(pick.table, pick.column)
            told.append(f"{text} has no member {listed(['(empty)' if v is None else str(iso(v)) for v in lost], 'or')}, which is picked.")
    return told
