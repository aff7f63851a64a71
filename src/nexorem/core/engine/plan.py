"""Typed trees to a plan: a flat list of numbered steps, in which nothing is computed twice.

There are two kinds of steps. A `ContextStep` makes a context out of another one by a single edit; a `ValueStep`
computes one node in one context. What is computed for each row of a scan or of a table expression is a plan of its
own, executed once for all these rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from nexorem.core.engine.scalar import cell_trees, children, inner_nodes, row_trees
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star


@dataclass(frozen=True, slots=True, eq=False)
class Needs:
    """What a step needs besides its context: `cells`, the value steps of its cell-shaped parts, by node; `inner`, the
    plan of each cell-shaped node that is computed for its rows; `imported`, the value steps these plans look up."""

    cells: tuple[tuple[t.Typed, int], ...] = ()
    inner: tuple[tuple[t.InRow, Plan], ...] = ()
    imported: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class ContextStep:
    """Context `number` is `parent` after `edit`."""

    number: int
    parent: int
    edit: t.FilterEdit | t.Matched
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


@dataclass(eq=False)
class Plan:
    """The steps in order, the value step of each root, and where each (node, context) was computed.

    Context 0 is the one the plan is executed in: of a grid's cells, or of the rows a scan runs over.
    """

    steps: list[ContextStep | ValueStep] = field(default_factory=list)
    roots: list[int] = field(default_factory=list)
    values: dict[tuple[int, int], int] = field(default_factory=dict)
    contexts: dict[tuple[int, int], int] = field(default_factory=dict)
    count: int = 1


class Planner:
    """Lowers typed trees into one plan, sharing what they have in common.

    `parent` lowers the plan around this one; `row` is the row scope that this plan's node stands in.
    """

    def __init__(self, star: Star, parent: Planner | None = None, row: object | None = None) -> None:
        self.star, self.parent, self.row = star, parent, row
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
                return self.value(node.body, self.edited(node.edits, context)[-1])
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

    def edited(self, edits: Sequence[t.TypedEdit], context: int) -> list[int]:
        """The contexts before the first and after each edit; one of links alone changes no filter."""
        found = [context]
        for edit in edits:
            if not isinstance(edit, t.LinkEdit) or (isinstance(edit, t.Matched) and cell_trees(edit)):
                key = id(edit), context
                if key not in self.plan.contexts:
                    self.plan.contexts[key] = self._edit(edit, context)
                context = self.plan.contexts[key]
            found.append(context)
        return found

    def _edit(self, edit: t.FilterEdit | t.Matched, context: int) -> int:
        needs = self.needs(edit, context)
        number = self.plan.count
        self.plan.count += 1
        self.plan.steps.append(ContextStep(number, context, edit, needs))
        return number

    def needs(self, node: t.Typed | t.TypedEdit | t.Rows, context: int) -> Needs:
        """What the step of a node needs, planned."""
        cells = tuple((tree, self.value(tree, context)) for tree in cell_trees(node))
        inner, imported = [], []
        for found in (x for tree in row_trees(node) for x in inner_nodes(tree)):
            if isinstance(found, t.InRow):
                planner = Planner(self.star, self, found.scope)
                planner.add_root(found.body)
                inner.append((found, planner.plan))
                imported += [s.outer for s in planner.plan.steps if isinstance(s, ValueStep) and s.outer is not None]
        return Needs(cells, tuple(inner), tuple(dict.fromkeys(imported)))

    def _add(self, step: ValueStep) -> int:
        self.plan.steps.append(step)
        return step.number


def make_plan(star: Star, roots: Sequence[t.Typed]) -> Plan:
    """The plan for several trees at once."""
    planner = Planner(star)
    for root in roots:
        planner.add_root(root)
    return planner.plan
