"""The page of a probe as one context, computed."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.context import Batch, Filter, constant_filter
from nexorem.core.engine.execute import Execution
from nexorem.core.engine.planned import ProbePlan
from nexorem.core.engine.probe import Probe, member_mask
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.plan.logical import Planner
from nexorem.core.values import FAULTS


def page(star: Star, plan: ProbePlan, probe: Probe, budget: Budget) -> Batch:
    """The page as one context: picks, then conditions in their order, each computed under what stands before it."""
    batch = Batch(1)
    for pick in probe.picks:
        batch = batch.adding(constant_filter(batch, pick.table, (pick.column,), member_mask(star, pick), "pick"))
    for text, edit, settled in zip(probe.conditions, plan.conditions, plan.settled, strict=True):
        make = partial(_computed, star, edit, batch, budget)
        batch = batch.adding(star.conditions.kept(text, make) if settled else make())
    filters = tuple(replace(f, page=place) for place, f in enumerate(batch.filters))
    return replace(batch, filters=filters, page=filters)


def _computed(star: Star, edit: t.Condition, batch: Batch, budget: Budget) -> Filter:
    planner = Planner(star.model)
    number = planner.edited((edit,), 0)[-1]
    after = Execution(star, planner.plan, budget).run(batch).contexts[number]
    if after.failed is not None:
        code, message = FAULTS[after.failed.max()]
        raise refuse(code, message, place="where")
    return after.filters[-1]
