"""The lines of axes: beginnings of lines, and which row lines conditions and the top leave."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from nexorem.core.engine.planned import ProbePlan
from nexorem.core.engine.probe import Probe
from nexorem.sql.build import Build
from nexorem.sql.contexts import Base, Coordinate, Ctx, Env, Filter, Pattern, Value, in_order
from nexorem.sql.dialects import TYPES, number
from nexorem.sql.reach import total
from nexorem.sql.scalars import Sql
from nexorem.sql.steps import Steps
from nexorem.sql.tree import TOTAL, Pair, Relation, Slot, labelled, pair_of, same


def levels_of(count: int, totals: str) -> list[int]:
    """How many columns of an axis have a coordinate, on each of its levels."""
    return list(range(count, -1, -1)) if totals == "all" else [count, 0] if totals == "grand" and count else [count]


def beginnings(lines: Relation, slots: tuple[Slot, ...], levels: Sequence[int]) -> sa.SelectBase:
    """Lines, and their beginnings of some lengths, totalled over the rest; that of none is always there."""
    selects: list[Any] = []
    for level in levels:
        if level == 0:
            selects.append(sa.select(*(c for s in slots for c in _total(s))))
            continue
        table = lines.table
        columns = [c for s in slots[:level] for c in labelled(s, pair_of(table, s))] + [c for s in slots[level:] for c in _total(s)]
        select = sa.select(*columns)
        selects.append(select if level == len(slots) else select.distinct())
    return selects[0] if len(selects) == 1 else sa.union_all(*selects)


def _total(slot: Slot) -> list[Sql]:
    pair = total(slot)
    return labelled(slot, Pair(pair.kind, sa.cast(pair.value, TYPES[slot.dtype])))


def cell_contexts(build: Build, page: Ctx, axes: Mapping[tuple[str, str], Slot], cells: Relation, patterns: tuple[Pattern, ...]) -> Ctx:
    """The contexts of cells: under the page, each with the members that it has."""
    slots = tuple(axes.values())
    base = Base(build, page.base, None, slots, cells)
    base.axes, base.patterns = axes, patterns
    base.optional = frozenset(s for s in slots if not all(s in p for p in patterns))
    own = tuple(Filter(table, (column,), Coordinate(slot)) for (table, column), slot in axes.items())
    return Ctx(base, (*page.filters, *own), page.page, page.state, page.compared)


@dataclass(frozen=True, slots=True, eq=False)
class Judging:
    """What row lines are judged in: the page, the probe and its plan, the axes, and all full lines with their members."""

    page: Ctx
    plan: ProbePlan
    probe: Probe
    axes: Mapping[tuple[str, str], Slot]
    lines: Relation
    rows: tuple[Slot, ...]

    def level(self, level: int | None) -> int:
        """The place of a level's column, the last one where none is named."""
        return len(self.rows) - 1 if level is None else level


def kept_lines(build: Build, judging: Judging) -> Relation:
    """The full row lines for which the conditions hold, then the top ones, by what these come to on their beginnings over all columns."""
    probe, plan, rows, others = judging.probe, judging.plan, judging.rows, tuple(judging.axes.values())[len(judging.rows) :]
    levels = list(range(len(rows), -1, -1))

    def every() -> sa.SelectBase:
        started = beginnings(judging.lines, rows, levels).subquery(build.names.new("started"))
        columns = [c for s in rows for c in labelled(s, pair_of(started, s))]
        return sa.select(*columns, *(c for s in others for c in _total(s)))

    starts = build.add("beginnings", (*rows, *others), every, "every beginning of a row line, over all columns")
    ctx = cell_contexts(build, judging.page, judging.axes, starts, tuple(frozenset(rows[:n]) for n in levels))
    steps = Steps(build, plan.lines, ctx).run()
    roots = [steps.root(i) for i in range(len(plan.lines.roots))]
    wanted: list[Value] = roots[: len(plan.having)]
    if probe.top:
        wanted.append(roots[len(plan.having) + probe.measures.index(probe.top.by)])
    names = [build.names.new(f"judged_{i + 1}") for i in range(len(wanted))]
    slots = (*rows, *others)
    classes = ctx.base.classes(slots)

    def judge() -> sa.SelectBase:
        env = Env(build, classes, in_order(slots))
        return env.select(*env.labelled(rows), *(v.sql(env).label(n) for v, n in zip(wanted, names, strict=True)))

    judged = build.add("judged", rows, judge, "", {n: v.dtype for n, v in zip(names, wanted, strict=True)})

    def hold() -> sa.SelectBase:
        table = judging.lines.table
        joined: sa.FromClause = table
        for item, name in zip(probe.having, names, strict=False):
            at = judged.table.alias(build.names.new("judged"))
            joined = joined.join(at, sa.and_(*_begins(rows, judging.level(item.level), table, at), at.c[name]))
        return sa.select(*(c for s in rows for c in labelled(s, pair_of(table, s)))).select_from(joined)

    held = build.add("row_lines_that_hold", rows, hold) if probe.having else judging.lines
    if not probe.top:
        return held
    top, level, by = probe.top, judging.level(probe.top.level), names[-1]
    x_name, place_name = build.names.new("x"), build.names.new("place")

    def best() -> sa.SelectBase:
        table, at = held.table, judged.table
        joined = table.join(at, sa.and_(*_begins(rows, level, table, at)))
        begun = [c for s in rows[: level + 1] for c in labelled(s, pair_of(table, s))]
        starts_ = sa.select(*begun, at.c[by].label(x_name)).select_from(joined).where(at.c[by].is_not(None)).distinct().subquery("begun")
        x = build.dialect.by_code_point(starts_.c[x_name]) if wanted[-1].dtype == "text" else starts_.c[x_name]
        order: list[Sql] = [x.asc() if top.ascending else x.desc()]
        own = pair_of(starts_, rows[level])
        apart = [c for s in rows[:level] for c in (starts_.c[s.kind], starts_.c[s.name])] or None
        place = sa.func.rank() if top.ties else sa.func.row_number()
        order += [] if top.ties else [own.kind, build.dialect.by_code_point(own.value) if rows[level].dtype == "text" else own.value]
        members = [c for s in rows[: level + 1] for c in labelled(s, pair_of(starts_, s))]
        placed = sa.select(*members, place.over(partition_by=apart, order_by=order).label(place_name)).subquery("placed")
        lines = held.table.alias(build.names.new("lines"))
        on = [same(pair_of(lines, s), pair_of(placed, s)) for s in rows[: level + 1]]
        few = lines.join(placed, sa.and_(*on, placed.c[place_name] <= number(top.count)))
        return sa.select(*(c for s in rows for c in labelled(s, pair_of(lines, s)))).select_from(few)

    return build.add("top_row_lines", rows, best)


def _begins(rows: tuple[Slot, ...], level: int, line: sa.FromClause, start: sa.FromClause) -> list[Sql]:
    """Whether a beginning up to a level is that of a line."""
    here = [same(pair_of(line, s), pair_of(start, s)) for s in rows[: level + 1]]
    return [*here, *(start.c[s.kind] == number(TOTAL) for s in rows[level + 1 :])]
