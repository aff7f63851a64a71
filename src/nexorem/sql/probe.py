"""A probe as one statement: its page, the lines of its axes, its cells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import sqlalchemy as sa

from nexorem.core.engine.planned import ProbePlan, planned
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.proven import Proven
from nexorem.sql.build import Build, Places
from nexorem.sql.cleared import under_rules
from nexorem.sql.contexts import Ctx, Env, Filter, Predicate, in_order
from nexorem.sql.dialects import TYPES, Dialect, constant, number, zero
from nexorem.sql.lines import Judging, beginnings, cell_contexts, kept_lines, levels_of
from nexorem.sql.page import page_of, picked
from nexorem.sql.reach import Spot, reaches, visible
from nexorem.sql.scalars import Sql
from nexorem.sql.steps import Steps
from nexorem.sql.tree import EMPTY, TOTAL, UNMATCHED, VALUE, Pair, Relation, Slot, Statement, labelled, pair_of, statement

Names = Sequence[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class Compiled:
    """A statement that answers a probe: its columns are for each axis column, rows first, the member's kind and value, then a column a
    measure, called `names`, whose types are `dtypes`. `tables` are those that it reads."""

    statement: Statement
    rows: tuple[Slot, ...]
    columns: tuple[Slot, ...]
    dtypes: tuple[str, ...]
    tables: tuple[str, ...]
    names: tuple[str, ...]


def compiled(
    star: Proven, probe: Probe, dialect: Dialect, places: Places, limits: Limits = DEFAULT_LIMITS, at: Sequence[Pick] | None = None
) -> Compiled:
    """The statement of a probe, or of its one cell at some coordinates; refuses with the errors of its formulas and what cannot be said in
    the dialect. Its lines stand by their members, by code point; what orders them otherwise is for whoever reads the answer, but for one
    measure over one column."""
    if at is not None:
        probe = replace(
            probe, rows=tuple((p.table, p.column) for p in at), columns=(), totals="none", empty_lines=True, top=None, having=()
        )
    plan = planned(star, probe, limits)
    if star.cleared is not None and not places.ruled:
        places = under_rules(star.unruled, star.cleared.rules, dialect, places)
    build = Build(star, dialect, places)
    build.call([*plan.measures, *plan.having])
    names = [build.names.new(m) for m in probe.measures]
    page = page_of(build, probe, plan.conditions)
    axes = {name: build.slot_of(*name) for name in (*probe.rows, *probe.columns)}
    rows, columns = tuple(axes[n] for n in probe.rows), tuple(axes[n] for n in probe.columns)
    full = _lines(build, page, probe.rows, rows, "row_lines") if not at else build.add("the_cell", rows, lambda: _one(build, rows, at))
    if full is not None and (probe.top or plan.having):
        full = kept_lines(build, Judging(page, plan, probe, axes, full, rows))
    down = _with_totals(build, full, rows, probe.totals, "row_lines")
    across = _with_totals(build, _lines(build, page, probe.columns, columns, "column_lines"), columns, probe.totals, "column_lines")
    cells = down if down is not None and across is None else across if down is None else None
    if cells is None:
        cells = build.add("cells", (*rows, *columns), lambda: _crossed(down, across, rows, columns), "the cells of the grid")
    levels = [[frozenset(part[:n]) for n in levels_of(len(part), probe.totals)] for part in (rows, columns)]
    patterns = tuple(dict.fromkeys(a | b for a in levels[0] for b in levels[1]))
    ctx = cell_contexts(build, page, axes, cells, patterns)
    if at is not None:  # its members are conditions like any other: what lies elsewhere is not looked at
        own = tuple(Filter(p.table, (p.column,), Predicate(picked(build, p))) for p in at)
        ctx = replace(ctx, filters=(*page.filters, *own))
    base, steps = ctx.base, Steps(build, plan.cells, ctx).run()
    values = [steps.root(i) for i in range(len(plan.measures))]
    classes = base.classes(base.slots) if base.slots else page.base.classes(())

    def final() -> sa.SelectBase:
        env = Env(build, classes, in_order(base.slots))
        select = env.select(*env.labelled((*rows, *columns)), *(v.sql(env).label(n) for v, n in zip(values, names, strict=True)))
        if not base.slots:
            return select
        grid = select.subquery("grid")
        table, tests = (grid, []) if probe.empty_lines else _shown(build, grid, rows, columns, names)
        shown = [table.c[c.name] for c in grid.c]
        return sa.select(*shown).where(*tests).order_by(*_order(build, probe, table, (*rows, *columns), names))

    made = statement(build.parts(), final)
    return Compiled(made, rows, columns, tuple(m.dtype for m in plan.measures), build.tables_read(), tuple(names))


def cell_steps(build: Build, probe: Probe, plan: ProbePlan, at: Sequence[Pick]) -> tuple[Steps, Env]:
    """The steps of the one cell at some coordinates, and where their values are read."""
    alone = replace(probe, rows=tuple((p.table, p.column) for p in at), columns=(), totals="none")
    page = page_of(build, alone, plan.conditions)
    axes = {name: build.slot_of(*name) for name in alone.rows}
    slots = tuple(axes.values())
    cell = build.add("the_cell", slots, lambda: _one(build, slots, at) if slots else sa.select(number(0).label("here")))
    ctx = cell_contexts(build, page, axes, cell, (frozenset(slots),))
    own = tuple(Filter(p.table, (p.column,), Predicate(picked(build, p))) for p in at)
    steps = Steps(build, plan.cells, replace(ctx, filters=(*page.filters, *own))).run()
    classes = ctx.base.classes(ctx.base.slots) if slots else page.base.classes(())
    return steps, Env(build, classes, slots)


def _one(build: Build, slots: tuple[Slot, ...], at: Sequence[Pick]) -> sa.SelectBase:
    """The line of one cell."""
    pairs = []
    for slot, pick in zip(slots, at, strict=True):
        value = pick.values[0] if pick.values else None
        kind = UNMATCHED if pick.unmatched else EMPTY if value is None else VALUE
        held = constant(value, slot.dtype) if kind == VALUE else zero(slot.dtype)
        pairs += labelled(slot, Pair(number(kind), sa.cast(held, TYPES[slot.dtype])))
    return sa.select(*pairs)


def _order(build: Build, probe: Probe, lines: sa.FromClause, slots: tuple[Slot, ...], names: list[str]) -> list[Sql]:
    """Totals behind their parts, empties and the unmatched member behind the values; by what the probe says first, so far as it can be said
    of lines alone."""
    by: list[Sql] = []
    alone = len(probe.rows) == 1 and not probe.columns
    for slot, column in zip(slots, (*probe.rows, *probe.columns), strict=True):
        pair = pair_of(lines, slot)
        value = build.dialect.by_code_point(pair.value) if slot.dtype == "text" else pair.value
        by.append(pair.kind == number(TOTAL))
        for order in probe.sort:
            if order.by == column:
                by += [pair.kind, value.desc() if order.descending else value.asc()]
            elif alone and isinstance(order.by, str):
                ranked = lines.c[names[probe.measures.index(order.by)]]
                by += [ranked.is_(None), ranked.desc() if order.descending else ranked.asc()]
        by += [pair.kind, value.asc()]
    return by


def _lines(build: Build, page: Ctx, names: Names, slots: tuple[Slot, ...], wish: str) -> Relation | None:
    """The full lines of an axis: of the tables on it the combinations visible under the page, crossed. None: there are no columns on it."""
    if not names:
        return None
    parts = []
    for table in dict.fromkeys(t for t, _ in names):
        own: list[tuple[Spot, Slot]] = [(((), c), s) for (t, c), s in zip(names, slots, strict=True) if t == table]
        found = reaches(build, page, build.star.inflow(table, build.star.state), page.filters)
        parts.append(visible(build, f"{table}_lines", table, found, own, True, f"what of {table} is visible under the page")[0])
    if len(parts) == 1:
        return parts[0]

    def full() -> sa.SelectBase:
        tables = [p.table for p in parts]
        joined: sa.FromClause = tables[0]
        for table in tables[1:]:
            joined = joined.join(table, sa.true())
        held = {s: pair_of(table, s) for part, table in zip(parts, tables, strict=True) for s in part.slots}
        return sa.select(*(c for s in slots for c in labelled(s, held[s]))).select_from(joined)

    return build.add(wish, slots, full)


def _with_totals(build: Build, lines: Relation | None, slots: tuple[Slot, ...], totals: str, wish: str) -> Relation | None:
    levels = levels_of(len(slots), totals)
    if lines is None or len(levels) == 1:
        return lines
    return build.add(f"{wish}_and_totals", slots, lambda: beginnings(lines, slots, levels))


def _crossed(down: Relation | None, across: Relation | None, rows: tuple[Slot, ...], columns: tuple[Slot, ...]) -> sa.SelectBase:
    """Every row line with every column line."""
    sides = [(x, slots) for x, slots in ((down, rows), (across, columns)) if x is not None]
    tables = [(x.table, slots) for x, slots in sides]
    joined: sa.FromClause = tables[0][0]
    for table, _ in tables[1:]:
        joined = joined.join(table, sa.true())
    return sa.select(*(c for table, slots in tables for s in slots for c in labelled(s, pair_of(table, s)))).select_from(joined)


def _shown(
    build: Build, grid: sa.FromClause, rows: tuple[Slot, ...], columns: tuple[Slot, ...], names: list[str]
) -> tuple[sa.FromClause, list[Sql]]:
    """A grid, and what is true of the lines on which some measure is not empty somewhere; an axis without columns keeps its one line."""
    some = sa.or_(*(grid.c[n].is_not(None) for n in names))
    if not rows or not columns:  # a line is a cell
        return grid, [some]
    filled = sa.case((some, number(1)), else_=number(0))
    flags: list[Any] = []
    for slots, word in ((rows, "row_filled"), (columns, "column_filled")):
        if slots:
            by = [c for s in slots for c in (grid.c[s.kind], grid.c[s.name])]
            flags.append(sa.func.max(filled).over(partition_by=by).label(build.names.new(word)))
    marked = sa.select(*grid.c, *flags).subquery("marked")
    return marked, [marked.c[f.name] == number(1) for f in flags]
