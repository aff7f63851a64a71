"""A probe: what a grid is asked for (formats.md, section 2), read and checked, and the page it stands on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.fits import mended
from nexorem.core.functions.convert import PARSERS
from nexorem.core.language.binder import Binder
from nexorem.core.limits import DEFAULT_LIMITS
from nexorem.core.model.names import column_text
from nexorem.core.model.proven import Proven
from nexorem.core.model.specs import ConditionPick, Member, MemberPick, PickSpec, ProbeSpec, Unmatched, adapter_of, read_spec
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Value, Vector, constant, iso
from nexorem.core.words import an, listed


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


def read_probe(star: Proven, spec: ProbeSpec) -> Probe:
    """A probe with every name in it resolved; refuses with everything that is wrong with it. Cost: one binding of each of its measures."""
    wrong: list[Diagnostic] = []
    rows, columns = (_resolved(star, getattr(spec, axis), axis, wrong) for axis in ("rows", "columns"))
    repeated = [f"{a}.{b}" for i, (a, b) in enumerate((*rows, *columns)) if (a, b) in (*rows, *columns)[:i]]
    if repeated:
        wrong.append(Diagnostic("repeated_axis", f"{repeated[0]} stands on the axes twice.", place="rows", hint="Leave one of them out."))
    picks = _read_picks(star, spec.picks, wrong)
    conditions = tuple(p.where for p in spec.picks if isinstance(p, ConditionPick))
    sort = _read_sort(star, spec, rows, columns, wrong)
    top = _read_top(star, spec, rows, wrong)
    having = tuple(Having(h.where, _read_level(star, h.level, rows, "having", wrong)) for h in spec.having)
    if not spec.measures:
        wrong.append(Diagnostic("no_measure", "The probe asks for no measure.", place="measures", hint="Name at least one."))
    names = Binder(star, spec.define)
    if wrong:
        # All that is wrong is told at once, the formulas' errors too.
        for name in spec.measures:
            try:
                names.measure(name)
            except Refused as refused:
                wrong += [d for d in refused.diagnostics if d not in wrong]
        raise Refused(wrong)
    measures = tuple(formula[0] if (formula := names.formula_of(m)) else m for m in spec.measures)
    limit = spec.limit or DEFAULT_LIMITS.probe_cells
    return Probe(rows, columns, measures, dict(spec.define), picks, conditions, spec.totals, spec.empty_lines, sort, top, having, limit)


def probe_of(star: Proven, data: Mapping[str, Any]) -> Probe:
    """A probe from its JSON; refuses with everything that is wrong with it, in its form and in what it names."""
    try:
        spec = read_spec(ProbeSpec, data, "bad_probe")
    except Refused as misfits:
        more: list[Diagnostic] = []
        try:
            read_probe(star, read_spec(ProbeSpec, mended(adapter_of(ProbeSpec), data)[0] or {}))
        except Refused as wrong:
            more += wrong.diagnostics
        raise Refused([*misfits.diagnostics, *more]) from None
    return read_probe(star, spec)


def _resolved(star: Proven, texts: Sequence[str], place: str, wrong: list[Diagnostic]) -> tuple[tuple[str, str], ...]:
    resolved = []
    for text in texts:
        try:
            resolved.append(star.model.find_column(text))
        except Refused as refused:
            wrong.extend(_in(d, place) for d in refused.diagnostics)
    return tuple(resolved)


def _in(d: Diagnostic, place: str) -> Diagnostic:
    return replace(d, place=place)


def _read_picks(star: Proven, specs: Sequence[PickSpec], wrong: list[Diagnostic]) -> tuple[Pick, ...]:
    picks = []
    for spec in specs:
        if isinstance(spec, MemberPick):
            try:
                picks.append(read_pick(star, spec.column, spec.in_))
            except Refused as refused:
                wrong.extend(_in(d, "picks") for d in refused.diagnostics)
    return tuple(picks)


def read_pick(star: Proven, column_text: str, values: Sequence[Member]) -> Pick:
    """A pick from the members it lists; None is `(empty)`."""
    table, column = star.model.find_column(column_text)
    of = star.model.table(table)
    info = of.column(column) if of else None
    assert info
    dtype = info.dtype
    listed = [v for v in values if not isinstance(v, Unmatched)]
    return Pick(table, column, tuple(read_value(dtype, v, f"{table}.{column}") for v in listed), len(listed) < len(values))


def read_value(dtype: str, value: Any, what: str) -> Value:
    """A JSON value, or its text, as a value of the column's type."""
    if value is None or (isinstance(value, bool) and dtype == "boolean"):
        return value
    parsed: Value = None
    if isinstance(value, str):
        parsed = value if dtype == "text" else PARSERS[dtype](value)
    elif isinstance(value, int | float) and not isinstance(value, bool) and dtype in ("integer", "number"):
        whole = float(value).is_integer()
        parsed = (int(value) if whole else None) if dtype == "integer" else float(value)
    if parsed is None:
        raise refuse("bad_value", f"{value!r} is not {an(dtype)}, which {what} holds.")
    return parsed


def _read_sort(
    star: Proven, spec: ProbeSpec, rows: Sequence[tuple[str, str]], columns: Sequence[tuple[str, str]], wrong: list[Diagnostic]
) -> tuple[Order, ...]:
    by = []
    for item in spec.sort:
        match: str | tuple[str, str] | None = _measure_of(item.by, spec.measures)
        if match is None:
            try:
                match = star.model.find_column(item.by)
            except Refused:
                match = None
        if match is None or (isinstance(match, tuple) and match[0] not in {table for table, _ in (*rows, *columns)}):
            hint = "Order by one of its measures, or by a column of a table that has a column on an axis."
            wrong.append(Diagnostic("bad_sort", f"{item.by} is neither a measure nor of an axis of this probe.", place="sort", hint=hint))
            continue
        by.append(Order(match, item.desc, _read_at(star, item.at, columns, wrong)))
    return tuple(by)


def _measure_of(name: str, measures: Sequence[str]) -> str | None:
    return next((m for m in measures if m.lower() == name.lower()), None)


def _read_at(star: Proven, at: Mapping[str, Member], columns: Sequence[tuple[str, str]], wrong: list[Diagnostic]) -> tuple[Pick, ...]:
    """The members of the columns across at which a measure orders."""
    hint = 'Write {"Table.column": value} with columns of the axis across; null is (empty), {"unmatched": true} is (unmatched).'
    picks = []
    for text, value in at.items():
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


def _read_top(star: Proven, spec: ProbeSpec, rows: Sequence[tuple[str, str]], wrong: list[Diagnostic]) -> Top | None:
    if spec.top is None:
        return None
    by = _measure_of(spec.top.by, spec.measures)
    if by is None:
        hint = f"It is one of {', '.join(spec.measures)}." if spec.measures else ""
        wrong.append(Diagnostic("bad_top", f"{spec.top.by} is not a measure of this probe.", place="top", hint=hint))
        return None
    return Top(spec.top.count, by, spec.top.asc, _read_level(star, spec.top.level, rows, "top", wrong), spec.top.ties)


def _read_level(star: Proven, text: str | None, rows: Sequence[tuple[str, str]], place: str, wrong: list[Diagnostic]) -> int | None:
    """The place of a column on the axis of rows; None where none is named."""
    if text is None:
        return None
    hint = f"It is one of {', '.join(f'{a}.{b}' for a, b in rows)}." if rows else "There are no columns on the rows."
    try:
        column = star.model.find_column(text)
    except Refused as refused:
        wrong.extend(_in(d, place) for d in refused.diagnostics)
        return None
    if column not in rows:
        wrong.append(Diagnostic("bad_level", f"{text} does not stand on the rows.", place=place, hint=hint))
        return None
    return list(rows).index(column)


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
    sentences = []
    for pick in (p for p in probe.picks if p.table not in star.stay):
        lost = [v for v in pick.values if not member_mask(star, replace(pick, values=(v,), unmatched=False)).any()]
        if lost:
            text = column_text(pick.table, pick.column)
            sentences.append(
                f"{text} has no member {listed(['(empty)' if v is None else str(iso(v)) for v in lost], 'or')}, which is picked."
            )
    return sentences
