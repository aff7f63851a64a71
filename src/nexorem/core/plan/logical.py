"""The logical plan: typed trees as one flat list of numbered steps, in which nothing is computed twice and no row is touched.

There are two kinds of steps. A `ContextStep` makes a context out of another one by a single edit; a `ValueStep` computes one node in one
context. What is computed for each row of a scan or of a table expression is a plan of its own, for all pairs of a context and a row at
once (`RowPlan`): row contexts are decorrelated here.

The steps are the same on every level of totals. What the contexts are made of there is read with `placed`, which gives every step with its
symbolic context: execution, trace, ledger, marks and whatever is written from a plan see the same filters.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.plan.contexts import Context, edited, in_row
from nexorem.core.plan.effects import Effect, effect_of
from nexorem.core.plan.tree import cell_trees, children, inner_nodes, row_scopes


@dataclass(frozen=True, slots=True, eq=False)
class RowPlan:
    """What is computed for each row of `rows`: `node`, by a plan whose context 0 is that of the row."""

    node: t.InRow
    rows: t.Rows
    plan: Plan


@dataclass(frozen=True, slots=True, eq=False)
class Needs:
    """What a step needs besides its context: `cells`, the value steps of its cell-shaped parts, by node; `inner`, the plan of each
    cell-shaped node that is computed for its rows; `imported`, the value steps these plans look up."""

    cells: tuple[tuple[t.Typed, int], ...] = ()
    inner: tuple[RowPlan, ...] = ()
    imported: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class ContextStep:
    """Context `number` is `parent` after `edit`, which has this `effect`. What it needs is computed in the parent."""

    number: int
    parent: int
    edit: t.TypedEdit
    effect: Effect
    needs: Needs


@dataclass(frozen=True, slots=True, eq=False)
class ValueStep:
    """Value `number` is `node` in `context`; `inputs` are value steps, in the order of the node's children.

    A `LetValue` is taken from outside the plan: from step `outer` of the plan around it, or (None) from the row.
    """

    number: int
    context: int
    node: t.Typed
    inputs: tuple[int, ...] = ()
    needs: Needs = field(default_factory=Needs)
    outer: int | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Given:
    """A `given` in a plan: the contexts before it and after each of its edits."""

    node: t.Edited
    contexts: tuple[int, ...]


@dataclass(eq=False)
class Plan:
    """The steps in order, the value step of each root, where each (node, context) is computed, and what is given where.

    Context 0 is the one the plan is executed in: of a grid's cells, or of the rows a scan runs over.
    """

    steps: list[ContextStep | ValueStep] = field(default_factory=list)
    roots: list[int] = field(default_factory=list)
    values: dict[tuple[int, int], int] = field(default_factory=dict)
    contexts: dict[tuple[int, int], int] = field(default_factory=dict)
    givens: list[Given] = field(default_factory=list)
    count: int = 1
    value_steps: dict[int, ValueStep] = field(default_factory=dict)
    context_steps: dict[int, ContextStep] = field(default_factory=dict)

    def value_step(self, node: t.Typed, context: int) -> ValueStep:
        """The step that computes a node in a context."""
        return self.value_steps[self.values[id(node), context]]

    def context_step(self, edit: t.TypedEdit, parent: int) -> ContextStep:
        """The step that makes an edit of a context."""
        return self.context_steps[self.contexts[id(edit), parent]]


class Planner:
    """Lowers typed trees into one plan, sharing what they have in common.

    `parent` lowers the plan around this one; `row` is the row scope that this plan's node stands in.
    """

    def __init__(self, model: Model, parent: Planner | None = None, row: object | None = None) -> None:
        self.model, self.parent, self.row = model, parent, row
        self.plan = Plan()
        self._lets: dict[int, int] = {}
        self._imports: dict[tuple[int, int | None], int] = {}

    def add_root(self, node: t.Typed) -> None:
        """Adds a tree whose value is asked for."""
        self.plan.roots.append(self.value(node, 0))

    def value(self, node: t.Typed, context: int) -> int:
        """The value step for a node in a context."""
        key = id(node), context
        if isinstance(node, t.LetValue):
            self.plan.values[key] = self._let_value(node.definition, node)
            return self.plan.values[key]
        if key not in self.plan.values:
            self.plan.values[key] = self._lower(node, context)
        return self.plan.values[key]

    def _lower(self, node: t.Typed, context: int) -> int:
        match node:
            case t.MeasureValue():
                return self.value(node.body, context)
            case t.Edited():
                contexts = self.edited(node.edits, context)
                self.plan.givens.append(Given(node, contexts))
                return self.value(node.body, contexts[-1])
            case t.Let():
                for definition in node.definitions:
                    self._lets[id(definition)] = self.value(definition.node, context)
                return self.value(node.body, context)
        needs = self.needs(node, context)
        inputs = tuple(self.value(child, context) for child in children(node))
        return self._add(ValueStep(len(self.plan.steps), context, node, inputs, needs))

    def _let_value(self, definition: t.LetDefinition, node: t.LetValue) -> int:
        """The step that has a definition's value: one of this plan, or one that brings it in."""
        if id(definition) in self._lets:
            return self._lets[id(definition)]
        of_row = definition.scope is not None and definition.scope is self.row
        assert of_row or self.parent
        outer = None if of_row or not self.parent else self.parent._let_value(definition, node)
        key = id(definition), outer
        if key not in self._imports:
            self._imports[key] = self._add(ValueStep(len(self.plan.steps), 0, node, outer=outer))
        return self._imports[key]

    def edited(self, edits: Sequence[t.TypedEdit], context: int) -> tuple[int, ...]:
        """The contexts before the first and after each edit."""
        contexts = [context]
        for edit in edits:
            key = id(edit), context
            if key not in self.plan.contexts:
                needs = self.needs(edit, context)
                self.plan.contexts[key] = number = self.plan.count
                self.plan.count += 1
                self.plan.context_steps[number] = step = ContextStep(number, context, edit, effect_of(self.model, edit), needs)
                self.plan.steps.append(step)
            context = self.plan.contexts[key]
            contexts.append(context)
        return tuple(contexts)

    def needs(self, node: t.Node, context: int) -> Needs:
        """What the step of a node needs, planned."""
        cells = tuple((tree, self.value(tree, context)) for tree in cell_trees(node))
        inner, imported = [], []
        for rows, tree in row_scopes(self.model, node):
            for below in inner_nodes(tree):
                if isinstance(below, t.InRow):
                    planner = Planner(self.model, self, below.scope)
                    planner.add_root(below.body)
                    inner.append(RowPlan(below, rows, planner.plan))
                    imported += [s.outer for s in planner.plan.steps if isinstance(s, ValueStep) and s.outer is not None]
        return Needs(cells, tuple(inner), tuple(dict.fromkeys(imported)))

    def _add(self, step: ValueStep) -> int:
        self.plan.steps.append(step)
        self.plan.value_steps[step.number] = step
        return step.number


def make_plan(model: Model, roots: Sequence[t.Typed]) -> Plan:
    """The plan for several trees at once."""
    planner = Planner(model)
    for root in roots:
        planner.add_root(root)
    return planner.plan


@dataclass(frozen=True, slots=True, eq=False)
class Placed:
    """A plan with the symbolic contexts it is executed in, by number; `depth` says how many plans of rows are around it."""

    plan: Plan
    contexts: tuple[Context, ...]
    depth: int


def placed(model: Model, plan: Plan, start: Context, depth: int = 0) -> Iterator[Placed]:
    """A plan, and every plan of rows in it, with their contexts, where context 0 of the outermost is `start`."""
    contexts = [start]
    for step in plan.steps:
        if isinstance(step, ContextStep):
            contexts.append(edited(model, step.edit, contexts[step.parent]))
    yield Placed(plan, tuple(contexts), depth)
    for step in plan.steps:
        before = contexts[step.parent if isinstance(step, ContextStep) else step.context]
        for inner in step.needs.inner:
            yield from placed(model, inner.plan, in_row(model, inner.rows, before), depth + 1)
