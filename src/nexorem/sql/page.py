"""The page of a probe as a context of a statement."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import sqlalchemy as sa

from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.plan.logical import Planner
from nexorem.sql.build import Build, Path, Reader
from nexorem.sql.contexts import Base, Ctx, Filter, Predicate
from nexorem.sql.dialects import constant
from nexorem.sql.scalars import Sql
from nexorem.sql.steps import Steps


def page_of(build: Build, probe: Probe, conditions: Sequence[Any]) -> Ctx:
    """The page as one context: picks, then conditions in their order, each computed under what stands before it."""
    base = Base(build, None, None, (), None)
    filters = [Filter(p.table, (p.column,), Predicate(picked(build, p))) for p in probe.picks]
    ctx = Ctx(base, tuple(filters), (), build.star.state)
    for edit in conditions:
        planner = Planner(build.model)
        number_ = planner.edited((edit,), 0)[-1]
        ctx = Steps(build, planner.plan, ctx).run().contexts[number_]
    page = tuple(Filter(f.table, f.columns, f.form, place) for place, f in enumerate(ctx.filters))
    return Ctx(base, page, page, build.star.state)


def picked(build: Build, pick: Pick) -> Any:
    """Whether a row of the pick's table is one that it lets through."""
    dtype = build.dtype(pick.table, pick.column)

    def condition(reader: Reader, path: Path) -> Sql:
        value, lost = reader.value(path, pick.column), reader.lost(path)
        values = [constant(v, dtype) for v in pick.values if v is not None]
        tests: list[Sql] = []
        if values:
            tests.append(value == values[0] if len(values) == 1 else value.in_(values))
        if None in pick.values:
            tests.append(value.is_(None) if lost is None else sa.and_(value.is_(None), sa.not_(lost)))
        if pick.unmatched:
            tests.append(sa.false() if lost is None else lost)
        return sa.or_(*tests) if tests else sa.false()

    return condition
