"""Executes a plan for a batch of contexts."""

from __future__ import annotations

from collections import Counter

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.aggregate import aggregate, single
from nexorem.core.engine.context import Batch
from nexorem.core.engine.cubes import Cube
from nexorem.core.engine.edits import edited
from nexorem.core.engine.iterate import iterated, ranked
from nexorem.core.engine.rows import Around
from nexorem.core.engine.scalar import Leaf, computed, evaluate
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import ROWS, Star
from nexorem.core.plan.logical import ContextStep, Needs, Plan, ValueStep
from nexorem.core.values import Array, Vector


class Execution:
    """A plan at work, and what it gave: each value step's vector, or the error its computation ended with, and each
    context.

    `outer` is the execution around this one and `owners` says which of its contexts each of ours stands in; `leaf`
    gives the columns of the row each of ours stands in.
    """

    def __init__(
        self, star: Star, plan: Plan, budget: Budget, outer: Execution | None = None, owners: Array | None = None, leaf: Leaf | None = None
    ) -> None:
        self.star, self.plan, self.budget = star, plan, budget
        self.outer, self.owners, self.leaf = outer, owners, leaf
        self.values: dict[int, Vector | CellError] = {}
        self.contexts: dict[int, Batch | CellError] = {}
        self.told: dict[int, tuple[int, float]] = {}  # by id of a step: its contexts, and how long it took
        asked = Counter(id(s.node) for s in plan.steps if isinstance(s, ValueStep) and isinstance(s.node, t.Aggregate))
        self._cubes: dict[int, list[Cube]] = {key: [] for key, times in asked.items() if times > 1}

    def root(self, place: int) -> Vector | CellError:
        """The value of the root at that place."""
        return self.values[self.plan.roots[place]]

    def run(self, batch: Batch) -> Execution:
        """Every step in order. A step that builds on a failed one has failed with the same error."""
        self.contexts[0] = batch
        for step in self.plan.steps:
            self.budget.check()
            start = self.budget.milliseconds()
            try:
                if isinstance(step, ContextStep):
                    self.contexts[step.number] = self._context(step)
                else:
                    self.values[step.number] = self._value(step)
            except CellError as error:
                if isinstance(step, ContextStep):
                    self.contexts[step.number] = error
                else:
                    self.values[step.number] = error
            self.told[id(step)] = (batch.size, self.budget.milliseconds() - start)
        return self

    def batch(self, context: int) -> Batch:
        """The batch of a context."""
        found = self.contexts[context]
        if isinstance(found, CellError):
            raise found
        return found

    def vector(self, step: int) -> Vector:
        """The vector of a value step."""
        found = self.values[step]
        if isinstance(found, CellError):
            raise found
        return found

    def around(
        self, needs: Needs, batch: Batch, met: list[tuple[t.InRow, Execution]] | None = None, cubes: list[Cube] | None = None
    ) -> Around:
        """What a step may look up while it works, every context by itself; `met` collects what its rows execute."""
        plans = {id(x.node): x.plan for x in needs.inner}

        def inner(node: t.InRow, pairs: Batch, owners: Array, leaf: Leaf) -> Vector:
            run = Execution(self.star, plans[id(node)], self.budget, self, owners, leaf).run(pairs)
            if met is not None:
                met.append((node, run))
            found = run.root(0)
            if isinstance(found, CellError):
                raise found
            return found

        cells = {id(node): self.vector(step) for node, step in needs.cells}
        imported = tuple(self.vector(step).codes()[0] for step in needs.imported)
        return Around(self.star, self.budget, batch.size, cells, imported, inner, cubes)

    def _value(self, step: ValueStep) -> Vector:
        node = step.node
        if isinstance(node, t.LetValue):
            return self._brought(step, node)
        batch = self.batch(step.context)
        match node:
            case t.Aggregate():
                return aggregate(node, batch, self.around(step.needs, batch, cubes=self._cubes.get(id(node))))
            case t.Iterated():
                return iterated(node, batch, self.around(step.needs, batch))
            case t.Rank():
                return ranked(node, batch, self.around(step.needs, batch))
            case t.Single():
                return single(node, batch, self.around(step.needs, batch))
            case t.Asked():
                return asked(node, batch)
        return computed(node, [self.vector(n) for n in step.inputs], batch.size)

    def _brought(self, step: ValueStep, node: t.LetValue) -> Vector:
        if step.outer is None:
            assert self.leaf
            return evaluate(node.definition.node, self.leaf, self.batch(0).size)
        assert self.outer and self.owners is not None
        return self.outer.vector(step.outer).take(self.owners)

    def _context(self, step: ContextStep) -> Batch:
        batch = self.batch(step.parent)
        return edited(step, batch, self.around(step.needs, batch))


def execute(star: Star, plan: Plan, batch: Batch, budget: Budget) -> Execution:
    """A plan, executed for a batch."""
    return Execution(star, plan, budget).run(batch)


def asked(node: t.Asked, batch: Batch) -> Vector:
    """`filtered` and `on_axis`."""
    found = np.zeros(batch.size, bool)
    if node.axis:
        assert node.column
        found = batch.axes.get((node.table, node.column), found)
    else:
        for f in batch.filters:
            if f.table == node.table and (node.column is None or f.columns is ROWS or node.column in f.columns):
                found = found | (f.index >= 0)
    return Vector("boolean", found, np.ones(batch.size, bool))
