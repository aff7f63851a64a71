"""The grid that the lines of a statement make: members become codes, values vectors; what orders lines beyond code points is done here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from nexorem.core.engine.grid import Grid, ascending
from nexorem.core.engine.order import TOTAL, Axis, line_order, prefixes_of
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.limits import Budget
from nexorem.core.model.rows import TableRows, table_rows
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Value, Vector, faults, vector
from nexorem.sql.proof import Line
from nexorem.sql.tree import EMPTY, UNMATCHED, VALUE
from nexorem.sql.tree import TOTAL as TOTAL_KIND

Column = tuple[str, str]
Member = tuple[int, Value]  # its kind, and the value where it is one


@dataclass(frozen=True, slots=True)
class Told:
    """What a place said of a probe: its lines, and by measure the fault for which it has no value as a whole."""

    lines: Sequence[Line]
    faults: Mapping[str, str]


Ask = Callable[[Probe], Told]
Beside = Callable[[str, Sequence[str]], Sequence[Line]]  # the different combinations of columns of a table that stays


def grid_of(star: Star, probe: Probe, ask: Ask, beside: Beside, budget: Budget) -> Grid:
    """The grid of a probe that is answered elsewhere. Asks once more for each order by a measure, and twice where lines are left out. Cost:
    the cells."""
    plain = replace(probe, sort=())
    told = ask(plain)
    budget.take(len(told.lines), 64 * (len(probe.rows) + len(probe.columns) + len(probe.measures)), f"{len(told.lines):,} cells")
    axes = (*probe.rows, *probe.columns)
    members = _members(axes, told.lines)
    shown = star.showing(_rows_shown(star, probe, axes, members, beside))
    codes = np.stack([_codes(shown, *c, m) for c, m in zip(axes, members, strict=True)], axis=1) if axes else np.zeros((1, 0), np.int64)
    count = len(told.lines)
    own, others = codes[:count, : len(probe.rows)], codes[:count, len(probe.rows) :]
    down, across = _axis(shown, probe.rows, own), _axis(shown, probe.columns, others)
    places = _places(down, own) * len(across.lines) + _places(across, others)
    plan = planned(star, probe, budget.limits)
    size = len(down.lines) * len(across.lines)
    values = tuple(
        _vector(m.dtype, size, places, [line[2 * len(axes) + i] for line in told.lines], told.faults.get(name))
        for i, (name, m) in enumerate(zip(probe.measures, plan.measures, strict=True))
    )
    grid = Grid(shown, probe, down, across, values, plan, {}, _left_out(probe, ask))
    return _ordered(grid, ask) if probe.sort else grid


def _members(axes: Sequence[Column], lines: Sequence[Line]) -> list[list[Member]]:
    """By axis column the member of each line."""
    return [[(line[2 * i], line[2 * i + 1] if line[2 * i] == VALUE else None) for line in lines] for i in range(len(axes))]


def _rows_shown(
    star: Star, probe: Probe, axes: Sequence[Column], members: Sequence[Sequence[Member]], beside: Beside
) -> dict[str, TableRows]:
    """For tables that stay, the members that an answer shows as rows; with the columns that order them, which are asked for."""
    rows = {}
    for name in dict.fromkeys(t for t, _ in axes if t in star.stay):
        table = star.model.table(name)
        assert table
        own = {c: [v for _, v in m] for (t, c), m in zip(axes, members, strict=True) if t == name}
        by = [c.order_by for c in table.columns if c.name in own and c.order_by]
        by += [o.by[1] for o in probe.sort if isinstance(o.by, tuple) and o.by[0] == name]
        named = [info.name for x in by if (info := table.column(x)) is not None]
        columns = list(dict.fromkeys([*own, *named]))
        lines: Sequence[Sequence[Value]] = list(dict.fromkeys(zip(*own.values(), strict=True)))
        if len(columns) > len(own):
            lines = [*beside(name, columns), *((*line, *[None] * (len(columns) - len(own))) for line in lines)]
        dtypes = {c.name: c.dtype for c in table.columns}
        rows[name] = table_rows(len(lines), {c: vector(dtypes[c], [line[i] for line in lines]) for i, c in enumerate(columns)})
    return rows


def _codes(star: Star, table: str, column: str, members: Sequence[Member]) -> Array:
    """int64: the code of each member of a column."""

    def numbered() -> dict[Value, int]:
        values = star.column(table, column).take(star.domain(table, (column,)).firsts[:-1]).tolist()
        return {v: i for i, v in enumerate(values)}

    codes = star.derive(("code by member", table, column), numbered)
    unmatched = star.domain(table, (column,)).size - 1
    kinds = {TOTAL_KIND: TOTAL, UNMATCHED: unmatched}
    return np.array([kinds[k] if k in kinds else codes[v] for k, v in members], np.int64)


def _axis(star: Star, names: tuple[Column, ...], lines: Array) -> Axis:
    return Axis(names, ascending(star, names, lines) if names else np.zeros((1, 0), np.int64))


def _places(axis: Axis, lines: Array) -> Array:
    """int64: where each line stands on an axis."""
    place = {tuple(line): i for i, line in enumerate(axis.lines.tolist())}
    return np.array([place[tuple(line)] for line in lines.tolist()], np.int64)


def _vector(dtype: str, size: int, places: Array, values: Sequence[Value], fault: str | None) -> Vector:
    kind = "text" if dtype == "null" else dtype
    if fault:
        return vector(kind, [None] * size).failing(faults(fault, np.ones(size, bool)))
    held: list[Value] = [None] * size
    for place, value in zip(places.tolist(), values, strict=True):
        held[place] = value
    made = vector(kind, held)
    return Vector(dtype, made.data, made.valid, made.words) if dtype == "null" else made


def _left_out(probe: Probe, ask: Ask) -> int:
    """How many row lines with a value conditions and the top leave out."""
    if not probe.rows or (probe.top is None and not probe.having):
        return 0
    kept = replace(probe, columns=(), totals="none", sort=(), empty_lines=False)
    return len(ask(replace(kept, top=None, having=())).lines) - len(ask(kept).lines)


def _ordered(grid: Grid, ask: Ask) -> Grid:
    """The lines in the order asked for."""
    star, probe, down, across = grid.star, grid.probe, grid.rows, grid.columns
    prefixes = prefixes_of(down.lines)
    by_measure = {o.at for o in probe.sort if o.by in probe.measures}
    ranked = {at: _ranking(grid, prefixes, at, ask) for at in by_measure}
    by_rows = [(o.by, o.descending, ranked[o.at][str(o.by)] if o.by in probe.measures else None) for o in probe.sort]
    rows = line_order(star, down, [x for x in by_rows if x[0] not in probe.columns], prefixes)
    by_columns = [(o.by, o.descending, None) for o in probe.sort if o.by not in probe.rows and o.by not in probe.measures]
    return grid.taken(rows, line_order(star, across, by_columns, prefixes))


def _ranking(grid: Grid, prefixes: Array, at: tuple[Pick, ...], ask: Ask) -> dict[str, Vector]:
    """Every measure on every beginning of a row line, at some members of the columns, else over all of them."""
    star, probe = grid.star, grid.probe
    columns = tuple((p.table, p.column) for p in at)
    told = ask(replace(probe, columns=columns, totals="all", sort=(), top=None, having=(), empty_lines=False))
    axes = (*probe.rows, *columns)
    wanted = tuple((UNMATCHED, None) if p.unmatched else (EMPTY if p.values[0] is None else VALUE, p.values[0]) for p in at)
    members = _members(axes, told.lines)
    here = [i for i in range(len(told.lines)) if tuple(members[len(probe.rows) + k][i] for k in range(len(at))) == wanted]
    place = {tuple(line): i for i, line in enumerate(prefixes.tolist())}
    kept = [[m[i] for i in here] for m in members[: len(probe.rows)]]
    codes = [_known_codes(star, *c, m) for c, m in zip(probe.rows, kept, strict=True)]
    keys: list[tuple[int, ...]] = list(zip(*codes, strict=True)) if codes else [()] * len(here)
    shown = [(place[key], i) for i, key in zip(here, keys, strict=True) if key in place]
    places = np.array([p for p, _ in shown], np.int64)
    lines = [told.lines[i] for _, i in shown]
    return {
        name: _vector(m.dtype, len(prefixes), places, [line[2 * len(axes) + k] for line in lines], told.faults.get(name))
        for k, (name, m) in enumerate(zip(probe.measures, grid.plan.measures, strict=True))
    }


def _known_codes(star: Star, table: str, column: str, members: Sequence[Member]) -> list[int]:
    """Codes of members, -2 for one that the grid does not show."""
    _codes(star, table, column, [])
    codes: Mapping[Value, int] = star.derive(("code by member", table, column), dict[Value, int])
    kinds = {TOTAL_KIND: TOTAL, UNMATCHED: star.domain(table, (column,)).size - 1}
    return [kinds[k] if k in kinds else codes.get(v, -2) for k, v in members]
