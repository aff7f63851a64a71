"""Executes a plan for a batch of contexts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable
from dataclasses import dataclass, field, replace

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.aggregate import MOST_PAIRS, Ready, aggregate, single
from nexorem.core.engine.context import Batch
from nexorem.core.engine.cubes import Cube
from nexorem.core.engine.edits import edited
from nexorem.core.engine.fast import Spread
from nexorem.core.engine.iterate import iterated, ranked
from nexorem.core.engine.rows import Around
from nexorem.core.engine.scalar import Leaf, computed, evaluate
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import ROWS, Star
from nexorem.core.plan.logical import ContextStep, Needs, Plan, ValueStep
from nexorem.core.values import FAULT_CODES, Array, Vector, empties, worst


@dataclass(slots=True, eq=False)
class KeptSteps:
    """What steps of a plan did for the contexts of one batch, by their numbers, that does not depend on the values of cells: how
    aggregates scan, and the contexts after edits; and the same of the plans of rows, by id of their nodes, which whoever keeps this
    keeps as well, for the pairs of context and row."""

    scans: Ready = field(default_factory=dict)
    contexts: dict[int, Batch] = field(default_factory=dict)
    inner: dict[int, tuple[Batch, KeptSteps]] = field(default_factory=dict)

    def of_rows(self, node: t.InRow, pairs: Batch) -> KeptSteps | None:
        """What is kept for the plan of a row; None for more pairs than is kept for."""
        if pairs.size > MOST_PAIRS:
            return None
        there = self.inner.get(id(node))
        if there and there[0].same(pairs):
            return there[1]
        made = KeptSteps()
        self.inner[id(node)] = pairs, made
        return made


class Execution:
    """A plan at work, and what it gave: each value step's vector and each context.

    `outer` is the execution around this one and `owners` says which of its contexts each of ours stands in; `leaf`
    gives the columns of the row each of ours stands in. `kept` is what this plan did for these very contexts before.
    """

    def __init__(
        self,
        star: Star,
        plan: Plan,
        budget: Budget,
        outer: Execution | None = None,
        owners: Array | None = None,
        leaf: Leaf | None = None,
        kept: KeptSteps | None = None,
    ) -> None:
        self.star, self.plan, self.budget, self.kept = star, plan, budget, kept
        self.outer, self.owners, self.leaf = outer, owners, leaf
        self.values: dict[int, Vector] = {}
        self.contexts: dict[int, Batch] = {}
        self.measured: dict[int, tuple[int, float]] = {}  # by id of a step: its contexts, and how long it took
        uses = Counter(id(s.node) for s in plan.steps if isinstance(s, ValueStep) and isinstance(s.node, t.Aggregate))
        self._sums: dict[int, dict[Hashable, Spread]] = {}  # by context
        self._cubes: dict[int, list[Cube]] = {key: [] for key, times in uses.items() if times > 1}

    def root(self, place: int) -> Vector:
        """The value of the root at that place."""
        return self.values[self.plan.roots[place]]

    def run(self, batch: Batch) -> Execution:
        """Every step in order."""
        self.contexts[0] = batch
        self.budget.keep(batch.bytes_beside(Batch(batch.size)), "Filters of every cell")
        with self.budget.bounding_texts():
            for step in self.plan.steps:
                self.budget.check()
                start = self.budget.milliseconds()
                if isinstance(step, ContextStep):
                    self.contexts[step.number] = after = self._kept_context(step)
                    self.budget.keep(after.bytes_beside(self.contexts[step.parent]), "Filters of every cell")
                else:
                    self.values[step.number] = value = self._value(step)
                    self.budget.keep(value.nbytes, "Values of every cell")
                self.measured[id(step)] = (batch.size, self.budget.milliseconds() - start)
        return self

    def around(
        self,
        needs: Needs,
        batch: Batch,
        met: list[tuple[t.InRow, Execution]] | None = None,
        cubes: list[Cube] | None = None,
        sums: dict[Hashable, Spread] | None = None,
    ) -> Around:
        """What a step may look up while it works, every context by itself; `met` collects what its rows execute."""
        plans = {id(x.node): x.plan for x in needs.inner}

        def inner(node: t.InRow, pairs: Batch, owners: Array, leaf: Leaf) -> Vector:
            kept = self.kept.of_rows(node, pairs) if self.kept is not None else None
            with self.budget.keeping():
                run = Execution(self.star, plans[id(node)], self.budget, self, owners, leaf, kept).run(pairs)
            if met is not None:
                met.append((node, run))
            return run.root(0)

        cells = {id(node): self.values[step] for node, step in needs.cells}
        imported = tuple(self.values[step].codes()[0] for step in needs.imported)
        failed = np.zeros(batch.size, np.uint8)
        return Around(self.star, self.budget, batch.size, cells, imported, inner, cubes, {} if sums is None else sums, failed=failed)

    def _value(self, step: ValueStep) -> Vector:
        """A step's vector. It has failed where its context has, or what it needs, or a row that it had to judge."""
        node = step.node
        if isinstance(node, t.LetValue):
            return self._brought(step, node)
        batch = self.contexts[step.context]
        around = self.around(step.needs, batch, cubes=self._cubes.get(id(node)), sums=self._sums.setdefault(step.context, {}))
        try:
            value = self._computed(step, batch, around)
        except CellError as error:
            value = empties(node.dtype, batch.size).failing(np.full(batch.size, FAULT_CODES.index(error.code), np.uint8))
        return value.failing(batch.failed, around.failed, *(self.values[x].failed for _, x in step.needs.cells))

    def _computed(self, step: ValueStep, batch: Batch, around: Around) -> Vector:
        node = step.node
        match node:
            case t.Aggregate():
                return aggregate(node, batch, around, self.kept.scans if self.kept else None, step.number)
            case t.Iterated():
                return iterated(node, batch, around)
            case t.Rank():
                return ranked(node, batch, around)
            case t.Single():
                return single(node, batch, around)
            case t.Asked():
                return asked(node, batch)
        return computed(node, [self.values[n] for n in step.inputs], batch.size)

    def _brought(self, step: ValueStep, node: t.LetValue) -> Vector:
        if step.outer is None:
            assert self.leaf
            return evaluate(node.definition.node, self.leaf, self.contexts[0].size)
        assert self.outer and self.owners is not None
        return self.outer.values[step.outer].take(self.owners)

    def _kept_context(self, step: ContextStep) -> Batch:
        """The contexts after an edit, kept where they depend on no value of a cell, nor those before it."""
        kept = self.kept.contexts if self.kept is not None else {}
        after = kept.get(step.number)
        if after is None:
            after = self._context(step)
            if not step.needs.cells and not step.needs.inner and (step.parent == 0 or step.parent in kept):
                kept[step.number] = after
        return after

    def _context(self, step: ContextStep) -> Batch:
        """The contexts after an edit. Those have failed that had before, or where what the edit needs has."""
        batch = self.contexts[step.parent]
        around = self.around(step.needs, batch)
        after = edited(step, batch, around)
        failed = worst(batch.failed, around.failed, *(self.values[x].failed for _, x in step.needs.cells))
        return after if failed is None else replace(after, failed=failed)


def execute(star: Star, plan: Plan, batch: Batch, budget: Budget, kept: KeptSteps | None = None) -> Execution:
    """A plan, executed for a batch; `kept` is of the very same batch."""
    with budget.keeping():
        return Execution(star, plan, budget, kept=kept).run(batch)


def asked(node: t.Asked, batch: Batch) -> Vector:
    """`filtered` and `on_axis`."""
    shown = np.zeros(batch.size, bool)
    if node.axis:
        assert node.column
        shown = batch.axes.get((node.table, node.column), shown)
    else:
        for f in batch.filters:
            if f.table == node.table and (node.column is None or f.columns is ROWS or node.column in f.columns):
                shown = shown | (f.index >= 0)
    return Vector("boolean", shown, np.ones(batch.size, bool))
