"""A probe's answer: lines, cells, totals and order. All cells of all measures are one batch."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Refused
from nexorem.core.engine import lines as lines_of_facts
from nexorem.core.engine.context import Batch, Filter, Sets, each_member
from nexorem.core.engine.cut import Judged, kept_lines
from nexorem.core.engine.execute import KeptSteps, execute
from nexorem.core.engine.member_order import member_ranks
from nexorem.core.engine.order import TOTAL, Axis, line_order, places_of, prefixes_of
from nexorem.core.engine.page import page
from nexorem.core.engine.planned import ProbePlan, planned
from nexorem.core.engine.probe import Pick, Probe, member_mask
from nexorem.core.engine.visibility import Selector, selectors, visible
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget, over
from nexorem.core.model.star import ROWS, Star
from nexorem.core.numbering import distinct
from nexorem.core.values import Array, Cell, Vector, combine, iso

LINES_AT_ONCE = 4_000  # of an answer's objects
MOST_PREPARED = 50_000  # cells of a probe that is kept ready
MOST_LINES = 20_000_000  # that are looked at before most of them are left out
FEW_ROWS = range(5_000, 1_000_000)  # of a table whose combinations of members are looked at in place of its rows
FEW_USED = 4  # times as many members as lines show: then only those shown are looked at


@dataclass(frozen=True, slots=True, eq=False)
class Grid:
    """The answer. `values` has a vector a measure; cell (r, c) is at r × len(columns.lines) + c."""

    star: Star
    probe: Probe
    rows: Axis
    columns: Axis
    values: tuple[Vector, ...]
    plan: ProbePlan
    measured: dict[int, tuple[int, float]] = field(default_factory=dict)
    left_out: int = 0  # row lines with a value that conditions and the top leave out
    said: tuple[str, ...] = ()  # what is to be known of where it was answered

    @property
    def dtypes(self) -> tuple[str, ...]:
        """The type of each measure."""
        return tuple(m.dtype for m in self.plan.measures)

    def value(self, measure: int, row: int, column: int) -> Cell:
        """One cell as JSON."""
        vector, place = self.values[measure], row * len(self.columns.lines) + column
        fault = vector.fault(place)
        return {"error": fault[0]} if fault else iso(vector.at(place))

    def tidy(self) -> Iterator[dict[str, Cell]]:
        """One object a cell, row lines first."""
        if not self.columns.columns and not self.rows.has_totals:
            names = [*self.rows.names, *self.probe.measures]
            listed = [*self.rows.listed(self.star), *(self._cells(i) for i in range(len(self.probe.measures)))]
            yield from (dict(zip(names, line, strict=True)) for line in zip(*listed, strict=True))
            return
        down, across = self.rows.coordinates(self.star), self.columns.coordinates(self.star)
        columns = [(name, self._cells(i)) for i, name in enumerate(self.probe.measures)]
        step = max(LINES_AT_ONCE // max(len(across), 1), 1)
        for start in range(0, len(down), step):
            lines: list[dict[str, Cell]] = [{**line, **coordinate} for line in down[start : start + step] for coordinate in across]
            at = start * len(across)
            for name, cells in columns:
                for line, cell in zip(lines, cells[at : at + len(lines)], strict=True):
                    line[name] = cell
            yield from lines

    def _cells(self, measure: int) -> list[Cell]:
        """All cells of a measure as JSON."""
        return self.values[measure].as_json()

    def taken(self, rows: Array, columns: Array) -> Grid:
        """Some of the lines, in that order."""
        places = (rows[:, None] * len(self.columns.lines) + columns[None, :]).reshape(-1)
        values = tuple(v.take(places) for v in self.values)
        row_axis = Axis(self.rows.columns, self.rows.lines[rows])
        column_axis = Axis(self.columns.columns, self.columns.lines[columns])
        return replace(self, rows=row_axis, columns=column_axis, values=values)


def answer(star: Star, probe: Probe, budget: Budget) -> Grid:
    """Computes a probe; where tables that stay elsewhere have a part in it, it is answered there."""
    if star.elsewhere is not None and (there := star.elsewhere.answer(star, probe, budget)) is not None:
        assert isinstance(there, Grid)
        return there
    ready = prepared(star, probe, budget)
    plan = ready.plan
    # Kept by the probe made ready, which has the nodes that it is by the ids of.
    of_rows: dict[int, Any] = star.prepared_rows.kept(ready, dict) if ready.cells.size <= MOST_PREPARED else {}
    run = execute(star, plan.cells, ready.cells, budget, replace(ready.steps, inner=of_rows))
    values = tuple(run.root(i) for i in range(len(plan.measures)))
    grid = Grid(star, probe, ready.rows, ready.columns, values, plan, run.measured, ready.left_out)
    if not probe.empty_lines:
        grid = _shown(grid)
    return ordered(grid, ready.base, budget) if probe.sort else grid


@dataclass(frozen=True, slots=True, eq=False)
class Prepared:
    """A probe up to its cells: the plan, the page, the candidate lines, and the contexts of all cells, with what the steps of the plan do
    for them."""

    plan: ProbePlan
    base: Batch
    rows: Axis
    columns: Axis
    left_out: int
    cells: Batch
    steps: KeptSteps


def prepared(star: Star, probe: Probe, budget: Budget) -> Prepared:
    """A probe, made ready. Costs nothing where the very same one was asked of the star before, and is of few enough cells to be kept."""
    limit = min(probe.limit, budget.limits.probe_cells)
    asked = (probe.rows, probe.columns, probe.measures, tuple(probe.define.items()), probe.picks, probe.conditions, probe.totals)
    key = (*asked, probe.empty_lines, probe.top, probe.having, limit, budget.limits)
    ready: Prepared | None = star.prepared.get(key)
    if ready is None:
        ready = _prepare(star, probe, limit, budget)
        if ready.cells.size <= MOST_PREPARED:
            star.prepared.put(key, ready)
    return ready


def _prepare(star: Star, probe: Probe, limit: int, budget: Budget) -> Prepared:
    plan = planned(star, probe, budget.limits)
    base = page(star, plan, probe, budget)
    columns = axis(star, base, probe.columns, probe.totals, limit, budget, () if probe.empty_lines else plan.measures)
    rows, left_out = row_lines(star, plan, probe, limit, base, columns, budget)
    count = len(rows.lines) * len(columns.lines)
    if count > limit:
        raise over_cells(count, limit)
    return Prepared(plan, base, rows, columns, left_out, cells(star, base, rows, columns, budget), KeptSteps())


def answered(vector: Vector) -> Array:
    """bool, one a cell: where there is a value, or why there is none."""
    return vector.valid if vector.failed is None else vector.valid | (vector.failed > 0)


def row_lines(star: Star, plan: ProbePlan, probe: Probe, limit: int, base: Batch, columns: Axis, budget: Budget) -> tuple[Axis, int]:
    """The axis of row lines that the probe keeps, and how many lines with a value it leaves out."""
    cutting = bool(probe.rows) and (probe.top is not None or bool(plan.having))
    sparse = () if probe.empty_lines else plan.measures
    rows = axis(star, base, probe.rows, probe.totals, MOST_LINES if cutting else limit, budget, sparse)
    if not cutting:
        return rows, 0
    prefixes = Axis(rows.columns, prefixes_of(rows.lines))
    run = execute(star, plan.lines, cells(star, base, prefixes, Axis(columns.columns, _at_line(star, columns, ())), budget), budget)
    roots = [run.root(i) for i in range(len(plan.lines.roots))]
    values = roots[len(plan.having) :]
    by = values[probe.measures.index(probe.top.by)] if probe.top else None
    kept = kept_lines(star, rows, probe.having, probe.top, Judged(prefixes.lines, roots[: len(plan.having)], by))
    filled = np.zeros(len(prefixes.lines), bool)
    for value in values:
        filled |= answered(value)
    whole = np.flatnonzero((rows.lines != TOTAL).all(axis=1))
    gone = np.setdiff1d(whole, kept, assume_unique=True)
    return Axis(rows.columns, rows.lines[kept]), int(filled[places_of(rows.lines[gone], prefixes.lines)].sum())


def ordered(grid: Grid, base: Batch, budget: Budget) -> Grid:
    """The lines in the order asked for."""
    star, probe, down, across = grid.star, grid.probe, grid.rows, grid.columns
    prefixes = Axis(down.columns, prefixes_of(down.lines))

    def ranking(at: tuple[Pick, ...]) -> dict[str, Vector]:
        """Every measure on every beginning of a row line, at some members of the columns, else over all of them."""
        run = execute(star, grid.plan.cells, cells(star, base, prefixes, Axis(across.columns, _at_line(star, across, at)), budget), budget)
        return {name: run.root(i) for i, name in enumerate(probe.measures)}

    ranked = {at: ranking(at) for at in {o.at for o in probe.sort if o.by in probe.measures}}
    by_rows = [(o.by, o.descending, ranked.get(o.at, {}).get(str(o.by))) for o in probe.sort if o.by not in probe.columns]
    rows = line_order(star, grid.rows, by_rows, prefixes.lines)
    columns = line_order(star, across, [(o.by, o.descending, None) for o in probe.sort if o.by not in probe.rows], prefixes.lines)
    return grid.taken(rows, columns)


def _at_line(star: Star, axis: Axis, at: tuple[Pick, ...]) -> Array:
    """int64[1, columns]: the line of the column axis with these members, totalled over the rest."""
    codes = {(p.table, p.column): np.flatnonzero(member_mask(star, p)) for p in at}
    line = [int(codes[c][0]) if c in codes and len(codes[c]) else TOTAL for c in axis.columns]
    return np.array([line], np.int64).reshape(1, len(axis.columns))


def over_cells(count: int, limit: int) -> Refused:
    """The error of a probe that asks for too many cells."""
    return over(
        "probe_cells",
        f"The probe asks for {count:,} cells that could be other than empty; {limit:,} are allowed.",
        "Take a column off an axis, or pick less.",
    )


def axis(
    star: Star, base: Batch, names: tuple[tuple[str, str], ...], totals: str, limit: int, budget: Budget, sparse: Sequence[t.Typed] = ()
) -> Axis:
    """The candidate lines: combinations visible under the page, and the totals.

    Across tables they are the product of the combinations; where that is large, or a table far larger than the facts, and the measures
    of the probe, `sparse`, have values only where facts have rows, they come from these rows.
    """
    tables = list(dict.fromkeys(table for table, _ in names))
    facts = lines_of_facts.facts_of(star, names, sparse) if names and sparse else None
    many = bool(facts) and lines_of_facts.worth_it(star, tables, facts or (), lines_of_facts.most_lines(star, names))
    if many and facts and not lines_of_facts.few_members(star, tables, facts):
        return _with_totals(star, names, lines_of_facts.from_facts(star, base, names, facts, budget), totals)
    owned = [[i for i, (owner, _) in enumerate(names) if owner == table] for table in tables]
    parts_of = [_combinations(star, base, x, [names[i][1] for i in places], budget) for x, places in zip(tables, owned, strict=True)]
    crossed = math.prod(len(part) for part in parts_of)
    if many and facts and lines_of_facts.worth_it(star, tables, facts, crossed):  # the page leaves as many
        return _with_totals(star, names, lines_of_facts.from_facts(star, base, names, facts, budget), totals)
    if crossed > limit:
        raise over_cells(crossed, limit)
    budget.take(crossed, 24 * max(len(names), 1), f"{crossed:,} lines")
    lines = np.zeros((1, 0), np.int64)
    order: list[int] = []
    for places, part in zip(owned, parts_of, strict=True):
        lines = np.hstack([np.repeat(lines, len(part), axis=0), np.tile(part, (len(lines), 1))])
        order += places
    return _with_totals(star, names, lines[:, np.argsort(order)] if order else lines, totals)


def _with_totals(star: Star, names: tuple[tuple[str, str], ...], lines: Array, totals: str) -> Axis:
    if totals == "all":
        levels = range(len(names))
    else:
        levels = range(min(len(names), 1) if totals == "grand" else 0)
    parts = [lines]
    for level in levels:
        cut = lines.copy()
        cut[:, level:] = TOTAL
        parts.append(cut if len(cut) or level else np.full((1, len(names)), TOTAL, np.int64))
    return Axis(names, ascending(star, names, np.concatenate(parts)) if names else lines)


def ascending(star: Star, names: tuple[tuple[str, str], ...], lines: Array) -> Array:
    """The different lines in order, totals after their parts."""
    if not len(lines):
        return lines
    ranks = [np.append(ranks_of := member_ranks(star, table, column), len(ranks_of)) for table, column in names]  # a total is behind them
    _, firsts = combine([(rank[lines[:, i]], len(rank) - 1) for i, rank in enumerate(ranks)])
    return lines[firsts]


def _combinations(star: Star, base: Batch, table: str, columns: list[str], budget: Budget) -> Array:
    """int64[k, c]: the distinct members of these columns among the table's rows visible under the page."""
    flow = star.inflow(table, star.state)
    filters = [s for s in selectors(star, flow, base, budget) if s.index[0] >= 0]
    few = _few_members(star, table, columns, filters)
    if few is not None:
        return few
    rows = np.flatnonzero(visible(star, flow, base, budget))
    coded = [(star.domain(table, (c,)).codes[rows], star.domain(table, (c,)).size) for c in columns]
    if not len(rows):
        return np.zeros((0, len(columns)), np.int64)
    if len(coded) == 1:
        seen = np.zeros(coded[0][1], bool)
        seen[coded[0][0]] = True
        return np.flatnonzero(seen)[:, None]
    _, firsts = combine(coded)
    return np.stack([codes[firsts].astype(np.int64) for codes, _ in coded], axis=1)


def _few_members(star: Star, table: str, columns: list[str], filters: Sequence[Selector]) -> Array | None:
    """The same where all filters are on a few columns of the table itself: then their combinations are looked at, not
    the rows. None where it is not so, or the rows are as few."""
    own = {c for s in filters for c in s.columns or ()} | set(columns)
    if star.size(table) not in FEW_ROWS or len(own) > 4 or any(s.chain or s.columns is ROWS or s.table != table for s in filters):
        return None
    names = tuple(c for c in star.rows[table].columns if c in own)
    joint = star.domain(table, names)
    shown = np.ones(joint.size, bool)
    shown[-1] = star.has_unmatched(table)
    for s in filters:
        domain = star.domain(table, s.columns)
        shown &= s.sets.mask(int(s.index[0]), domain.size)[domain.codes[joint.firsts]]
    at = joint.firsts[shown]
    coded = [(star.domain(table, (c,)).codes[at], star.domain(table, (c,)).size) for c in columns]
    if not len(at):
        return np.zeros((0, len(columns)), np.int64)
    _, firsts = combine(coded)
    return np.stack([codes[firsts].astype(np.int64) for codes, _ in coded], axis=1)


def cells(star: Star, base: Batch, rows: Axis, columns: Axis, budget: Budget) -> Batch:
    """The batch of all cells: the page's filters, then a filter an axis column."""
    count = len(rows.lines) * len(columns.lines)
    # Of each an index, and where on an axis it is: what the steps are to hold comes on top of it.
    budget.take(count, 8 * (len(base.filters) + 1) + 9 * (len(rows.columns) + len(columns.columns)), f"{count:,} cells")
    added = []
    axes = {}
    places = np.arange(count)
    for part, line_of in ((rows, places // max(len(columns.lines), 1)), (columns, places % max(len(columns.lines), 1))):
        for i, (table, column) in enumerate(part.columns):
            sets, of_line = _coordinates(star.domain(table, (column,)).size, part.lines[:, i])
            index = of_line[line_of]
            added.append(Filter(table, (column,), sets, index, "coordinate"))
            axes[table, column] = index != TOTAL
    return replace(base.at(np.zeros(count, np.int64)).adding(*added), axes=axes)


def _coordinates(size: int, codes: Array) -> tuple[Sets, Array]:
    """A set for each member that lines have, and its number line by line, -1 at totals; of a large column that few lines show only the
    members at hand, for what is done with the sets grows with them."""
    used = distinct(codes[codes != TOTAL])
    if len(used) * FEW_USED > size:
        return each_member(size), codes
    return Sets(np.arange(len(used) + 1), used), np.where(codes == TOTAL, -1, np.searchsorted(used, codes))


def _shown(grid: Grid) -> Grid:
    """Only the lines on which some measure is not empty somewhere; an axis without columns keeps its one line."""
    shape = len(grid.rows.lines), len(grid.columns.lines)
    filled = np.zeros(shape, bool)
    for vector in grid.values:
        filled |= answered(vector).reshape(shape)
    rows = np.flatnonzero(filled.any(axis=1)) if grid.rows.columns else np.arange(shape[0])
    columns = np.flatnonzero(filled.any(axis=0)) if grid.columns.columns else np.arange(shape[1])
    return grid.taken(rows, columns)
