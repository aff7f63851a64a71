"""The page of a probe as one context, computed."""

from __future__ import annotations

from dataclasses import replace

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.context import Batch, Filter, constant_filter
from nexorem.core.engine.execute import Execution
from nexorem.core.engine.planned import ProbePlan
from nexorem.core.engine.probe import Probe, member_mask
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.plan.logical import Planner
from nexorem.core.plan.tree import inner_nodes
from nexorem.core.values import FAULTS


def page(star: Star, plan: ProbePlan, probe: Probe, budget: Budget) -> Batch:
    """The page as one context: picks, then conditions in their order, each computed under what stands before it."""
    batch = Batch(1)
    for pick in probe.picks:
        batch = batch.adding(constant_filter(batch, pick.table, (pick.column,), member_mask(star, pick), "pick"))
    for text, edit in zip(probe.conditions, plan.conditions, strict=True):
        batch = batch.adding(_condition(star, text, edit, batch, budget))
    filters = tuple(replace(f, page=place) for place, f in enumerate(batch.filters))
    return replace(batch, filters=filters, page=filters)


def _condition(star: Star, text: str, edit: t.Condition, batch: Batch, budget: Budget) -> Filter:
    """The filter of a condition. One that looks at nothing but its own columns is the same on every page, and kept."""
    if not inner_nodes(edit.predicate):
        return star.conditions.kept(text, lambda: _computed(star, edit, batch, budget))
    return _computed(star, edit, batch, budget)


def _computed(star: Star, edit: t.Condition, batch: Batch, budget: Budget) -> Filter:
    planner = Planner(star.model)
    number = planner.edited((edit,), 0)[-1]
    after = Execution(star, planner.plan, budget).run(batch).contexts[number]
    if after.failed is not None:
        code, message = FAULTS[after.failed.max()]
        raise refuse(code, message, place="where")
    return after.filters[-1]
