"""Executes a plan for a batch of contexts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.aggregate import aggregate
from nexorem.core.engine.context import Batch, Filter, classes, constant_filter, sets_of_pairs, without
from nexorem.core.engine.plan import ContextStep, Plan, ValueStep
from nexorem.core.engine.scalar import computed, evaluate
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector

CHUNK = 4_000_000  # members × right sides tried at a time


@dataclass(frozen=True, slots=True, eq=False)
class Execution:
    """What a plan gave: each value step's vector, or the error its computation ended with, and each context."""

    plan: Plan
    values: dict[int, Vector | CellError]
    contexts: dict[int, Batch | CellError]

    def root(self, place: int) -> Vector | CellError:
        """The value of the root at that place."""
        return self.values[self.plan.roots[place]]


def execute(star: Star, plan: Plan, batch: Batch, budget: Budget) -> Execution:
    """Every step in order. A step that builds on a failed one has failed with the same error."""
    run = Execution(plan, {}, {0: batch})
    for step in plan.steps:
        budget.check()
        try:
            if isinstance(step, ContextStep):
                run.contexts[step.number] = _context(star, step, run, budget)
            else:
                run.values[step.number] = _value(star, step, run, budget)
        except CellError as error:
            place: dict[int, Vector | CellError] | dict[int, Batch | CellError]
            place = run.contexts if isinstance(step, ContextStep) else run.values
            place[step.number] = error
    return run


def _batch(run: Execution, context: int) -> Batch:
    found = run.contexts[context]
    if isinstance(found, CellError):
        raise found
    return found


def _vector(run: Execution, step: int) -> Vector:
    found = run.values[step]
    if isinstance(found, CellError):
        raise found
    return found


def _value(star: Star, step: ValueStep, run: Execution, budget: Budget) -> Vector:
    batch = _batch(run, step.context)
    if isinstance(step.node, t.Aggregate):
        plans = {id(node): plan for node, plan in step.inner}

        def inner(node: t.InRow, pairs: Batch) -> Vector:
            found = execute(star, plans[id(node)], pairs, budget).root(0)
            if isinstance(found, CellError):
                raise found
            return found

        return aggregate(star, step.node, batch, budget, inner)
    return computed(step.node, [_vector(run, n) for n in step.inputs], batch.size)


def _context(star: Star, step: ContextStep, run: Execution, budget: Budget) -> Batch:
    before = _batch(run, step.parent)
    edit = step.edit
    if isinstance(edit, t.Cleared):
        for table, columns in edit.columns.items():
            before = without(star, before, table, columns)
        return before
    added = condition_filter(star, edit, before, {id(n): _vector(run, v) for n, v in step.inputs}, budget)
    return without(star, before, edit.table, edit.replaces).adding(added)


def condition_filter(star: Star, edit: t.Condition, batch: Batch, outer: dict[int, Vector], budget: Budget) -> Filter:
    """The filter of a condition, tried on each member of its columns; on the unmatched member all are empty.

    `outer` has the values of what stands on its right, one a context. Contexts with equal values share one set.
    """
    firsts = star.domain(edit.table, edit.columns).firsts
    if not outer:
        return constant_filter(batch, edit.table, edit.columns, _tried(star, edit, firsts, {}), edit.text)
    _, index, first_contexts = classes([v.codes()[0] for v in outer.values()], batch.size)
    distinct = {key: v.take(first_contexts) for key, v in outer.items()}
    owners, members = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    step = max(CHUNK // len(firsts), 1)
    for start in range(0, len(first_contexts), step):
        budget.check()
        part = np.arange(start, min(start + step, len(first_contexts)))
        tiled = {key: v.take(np.repeat(part, len(firsts))) for key, v in distinct.items()}
        true = np.flatnonzero(_tried(star, edit, np.tile(firsts, len(part)), tiled))
        owners.append(part[true // len(firsts)])
        members.append(true % len(firsts))
    sets = sets_of_pairs(np.concatenate(owners), np.concatenate(members), len(first_contexts))
    return Filter(edit.table, edit.columns, sets, index, edit.text)


def _tried(star: Star, edit: t.Condition, rows: Array, outer: dict[int, Vector]) -> Array:
    def leaf(node: t.Typed) -> Vector | None:
        if isinstance(node, t.ColumnValue):
            return star.column(node.table, node.column).take(rows)
        return outer[id(node)] if isinstance(node, t.InContext) else None

    return widen(evaluate(edit.predicate, leaf, len(rows)), "boolean").true()
