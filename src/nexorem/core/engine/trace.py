"""One cell explained: the plan of its measure, executed for that cell alone and told step by step (formats.md, 4).

The tree has a node for each measure, aggregate, `given` and question about the context met. Everything in it is read
from the same plan, contexts and values that a grid is computed with, so the value at the root is the grid's.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.context import Batch, constant_filter
from nexorem.core.engine.execute import Execution, execute
from nexorem.core.engine.page import page
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Pick, Probe, member_mask
from nexorem.core.engine.trace_beside import emptied
from nexorem.core.engine.trace_filters import At, FilterTeller
from nexorem.core.engine.trace_rows import RowOrder, Scanned, first_rows, scan, through, used_rows
from nexorem.core.engine.traced import (
    CellFailure,
    CellValue,
    TableFilter,
    Trace,
    TracedEdit,
    TracedRow,
    TracedRows,
    TraceNode,
    UsedRows,
    Within,
)
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.specs import UNMATCHED, ConditionPick, MemberPick, PickSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.contexts import Context, in_row
from nexorem.core.plan.logical import Needs, Plan, placed
from nexorem.core.plan.tree import children
from nexorem.core.values import Json, iso

MET = (t.MeasureValue, t.Aggregate, t.Edited, t.Iterated, t.Single, t.Asked, t.Rank)
KINDS: dict[type[t.Typed], Literal["measure", "aggregate", "given", "iteration", "rank"]] = {
    t.MeasureValue: "measure",
    t.Aggregate: "aggregate",
    t.Edited: "given",
    t.Iterated: "iteration",
    t.Rank: "rank",
}


def trace(star: Star, probe: Probe, measure: str, at: Iterable[Pick], budget: Budget, into: Sequence[tuple[str, int]] = ()) -> Trace:
    """The cell of `measure` at the coordinates `at`, under the probe's page.

    `into` goes on in a row of an iteration: (`path` of its node, `key` of the row), one after the other; the tree told
    is then that of the row, and `within` says where it stands.
    """
    at = list(at)
    if star.elsewhere is not None and (there := star.elsewhere.trace(star, probe, measure, at, budget)) is not None:
        if into:
            raise refuse("rows_stay", "Rows of an iteration over tables that stay elsewhere are not gone into.", "Pick the row's members.")
        assert isinstance(there, Trace)
        return there
    return traced(star, probe, measure, at, budget, into)[0]


def traced(
    star: Star, probe: Probe, measure: str, at: Iterable[Pick], budget: Budget, into: Sequence[tuple[str, int]] = ()
) -> tuple[Trace, Met]:
    """The same, with what its nodes were told from, by their paths."""
    of_measure = replace(probe, measures=(measure,), having=())
    plan = planned(star, of_measure, budget.limits)
    bound = plan.measures[0]
    base = page(star, plan, of_measure, budget)
    at = list(at)
    for pick in at:
        base = base.adding(constant_filter(base, pick.table, (pick.column,), member_mask(star, pick), "coordinate"))
    base = replace(base, axes={(p.table, p.column): np.ones(1, bool) for p in at})
    met: Met = {}
    start = plan.context(of_measure, [(p.table, p.column) for p in at])
    teller = Teller(star, execute(star, plan.cells, base, budget), start, budget, met)
    node = teller.node(bound, 0, "0")
    within: list[Within] = []
    tree = node
    for path, key in into:
        tree, row = enter(met, path, key)
        within.append(Within(path, key, row))
    return trace_of(probe, bound.name, at, node, tree, within), met


def trace_of(probe: Probe, name: str, at: Sequence[Pick], node: TraceNode, tree: TraceNode, within: Sequence[Within] = ()) -> Trace:
    """The trace of a measure whose whole tree is `node`, and of whose row `tree` is told."""
    coordinates = {f"{p.table}.{p.column}": _member(p) for p in at}
    picks: list[PickSpec] = [*map(_pick_spec, probe.picks), *map(ConditionPick, probe.conditions)]
    return Trace(name, coordinates, tuple(picks), node.value, tree, tuple(within), emptied(tree))


def trace_rows(
    star: Star, probe: Probe, measure: str, at: Iterable[Pick], budget: Budget, into: Sequence[tuple[str, int]], path: str, order: RowOrder
) -> UsedRows:
    """The rows that an aggregate of a trace used, by the `path` of its node: all of them, ordered, a page at a time."""
    at = list(at)
    if star.elsewhere is not None and not into:
        there = star.elsewhere.used_rows(star, probe, measure, at, path, order, budget)
        if there is not None:
            assert isinstance(there, UsedRows)
            return there
    _, met = traced(star, probe, measure, at, budget, into)
    teller, node, context = met.get(path, (None, None, 0))
    if teller is None or not isinstance(node, t.Aggregate):
        raise refuse("no_such_node", f"There is no arithmetic at {path}.", "Take the path of an aggregate's node.", "path")
    batch = teller.batch(context)
    return used_rows(teller.filters, node, batch, teller.run.around(teller.needs(node, context), batch), order)


def _member(pick: Pick) -> Json:
    return "(unmatched)" if pick.unmatched else iso(pick.values[0])


def _pick_spec(pick: Pick) -> MemberPick:
    return MemberPick(f"{pick.table}.{pick.column}", (*map(iso, pick.values), *([UNMATCHED] if pick.unmatched else [])))


Met = dict[str, "tuple[Teller, t.Typed, int]"]  # by path: who told a node, the node, and its context


class Told:
    """Tells a plan of one context, which starts in `start`: its nodes, with what somebody knows of their contexts and rows."""

    def __init__(self, star: Star, plan: Plan, start: Context, budget: Budget) -> None:
        self.star, self.plan, self.budget = star, plan, budget
        self.contexts = next(placed(star.model, plan, start)).contexts
        self.told: dict[str, tuple[t.Typed, int]] = {}  # by path, the nodes with their contexts

    def value(self, node: t.Typed, context: int) -> CellValue:
        """A node's value as JSON."""
        raise NotImplementedError

    def traced(self, context: int) -> tuple[TableFilter, ...]:
        """The filters of a context, by table."""
        raise NotImplementedError

    def changed(self, edit: t.TypedEdit, context: int, after: int) -> TracedEdit:
        """What an edit made of a context."""
        raise NotImplementedError

    def scanned(self, node: t.Aggregate | t.Single, context: int) -> Scanned:
        """Flows, blocked links and arithmetic of an aggregate, or of `the` and `single`."""
        raise NotImplementedError

    def iterated(self, node: t.Iterated | t.Rank, context: int) -> TracedRows:
        """The rows that were run over."""
        raise NotImplementedError

    def listed(self, edit: t.Listing, context: int, after: int) -> TracedRows | None:
        """The rows that an edit lists."""
        raise NotImplementedError

    def meet(self, path: str, node: t.Typed, context: int) -> None:
        """Notes a node that is told."""
        self.told[path] = node, context

    def node(self, node: t.Typed, context: int, path: str) -> TraceNode:
        """A node of the tree, with those below it."""
        self.budget.check()
        self.meet(path, node, context)
        traced = TraceNode(KINDS.get(type(node), "question"), path, "", node.dtype, self.value(node, context), self.traced(context))
        if isinstance(node, t.MeasureValue):
            return replace(traced, name=node.name, text=node.formula, children=self.nested([node.body], context, path))
        if isinstance(node, t.Edited):
            return self.edited(node, context, traced)
        assert isinstance(node, t.Aggregate | t.Iterated | t.Single | t.Asked | t.Rank)
        needs = self.needs(node, context)
        traced = replace(traced, text=node.text, children=self.nested([tree for tree, _ in needs.cells], context, path))
        if isinstance(node, t.Aggregate | t.Single):
            s = self.scanned(node, context)
            return replace(traced, flows=s.flows, tables=s.tables, blocked=s.blocked, unreached=s.unreached, arithmetic=s.arithmetic)
        if isinstance(node, t.Iterated | t.Rank):
            return replace(traced, iteration=self.iterated(node, context))
        return traced

    def needs(self, node: t.Typed, context: int) -> Needs:
        """What the step of a node needed."""
        return self.plan.value_step(node, context).needs

    def nested(self, nodes: Iterable[t.Typed], context: int, path: str) -> tuple[TraceNode, ...]:
        """The nearest nodes of the tree at or below some nodes; their paths go on from `path`."""
        trees: list[t.Typed] = []

        def gather(node: t.Typed) -> None:
            if isinstance(node, MET):
                trees.append(node)
                return
            for child in children(node):
                gather(child)

        for node in nodes:
            gather(node)
        taken = sum(1 for p in self.told if p.startswith(f"{path}.") and "." not in p[len(path) + 1 :])
        return tuple(self.node(n, context, f"{path}.{taken + i}") for i, n in enumerate(trees))

    def edited(self, node: t.Edited, context: int, traced: TraceNode) -> TraceNode:
        """The edits of a `given`, and what is computed after them."""
        edits = []
        for edit in node.edits:
            step = self.plan.context_step(edit, context)
            one = self.changed(edit, context, step.number)
            one = replace(one, children=self.nested([tree for tree, _ in step.needs.cells], context, traced.path))
            if isinstance(edit, t.Listing):
                one = replace(one, rows=self.listed(edit, context, step.number))
            edits.append(one)
            context = step.number
        return replace(
            traced,
            text=f"given ({', '.join(e.text for e in node.edits)})",
            edits=tuple(edits),
            filters=self.traced(context),
            children=self.nested([node.body], context, traced.path),
        )


class Teller(Told):
    """Tells an executed plan."""

    def __init__(self, star: Star, run: Execution, start: Context, budget: Budget, met: Met) -> None:
        super().__init__(star, run.plan, start, budget)
        self.run, self.met = run, met
        self.filters = FilterTeller(star, budget)

    def meet(self, path: str, node: t.Typed, context: int) -> None:
        """Notes a node that is told, with what it is told from."""
        self.told[path] = node, context
        self.met[path] = self, node, context

    def at(self, context: int) -> At:
        """A context, and the filters that its execution made of it; none where that failed."""
        batch = self.run.contexts[context]
        if batch.failed is not None:
            return At(replace(self.contexts[context], filters=()), replace(batch, filters=()))
        return At(self.contexts[context], batch)

    def batch(self, context: int) -> Batch:
        """The filters of a context; none where its computation failed."""
        return self.at(context).batch

    def value(self, node: t.Typed, context: int) -> CellValue:
        """A node's value as JSON."""
        vector = self.run.values[self.run.plan.values[id(node), context]]
        fault = vector.fault(0)
        return CellFailure(*fault) if fault else iso(vector.at(0))

    def traced(self, context: int) -> tuple[TableFilter, ...]:
        """The filters of a context, by table."""
        return self.filters.traced(self.at(context))

    def changed(self, edit: t.TypedEdit, context: int, after: int) -> TracedEdit:
        """What an edit made of a context."""
        return self.filters.edit(edit, self.at(context), self.at(after))

    def scanned(self, node: t.Aggregate | t.Single, context: int) -> Scanned:
        """Flows, blocked links and arithmetic of an aggregate, or of `the` and `single`."""
        return scan(self.filters, node, self.at(context), self.run.around(self.needs(node, context), self.batch(context)))

    def iterated(self, node: t.Iterated | t.Rank, context: int) -> TracedRows:
        """The rows that were run over."""
        over, batch = node.over if isinstance(node, t.Iterated) else node.among, self.batch(context)
        return first_rows(over, node.state, batch, self.run.around(self.needs(node, context), batch), node)

    def listed(self, edit: t.Listing, context: int, after: int) -> TracedRows | None:
        """The rows that an edit lists; None where it failed."""
        if self.run.contexts[after].failed is not None:
            return None
        around = self.run.around(self.plan.context_step(edit, context).needs, self.batch(context))
        return first_rows(edit.rows, edit.state, self.batch(context), around)


def enter(met: Met, path: str, key: int) -> tuple[TraceNode, TracedRow]:
    """The tree of one row of an iteration, and the row."""
    teller, node, context = met.get(path, (None, None, 0))
    if teller is None or not isinstance(node, t.Iterated | t.Rank):
        raise refuse("no_such_node", f"There is no iteration at {path}.", "Take the path of an iteration's node.", "into")
    needs = teller.needs(node, context)
    entered = through(node, teller.batch(context), teller.run, needs, key)
    if entered is None:
        raise refuse("no_such_row", f"The iteration at {path} has no row {key}.", "Take the key of one of its rows.", "into")
    runs, batch, row = entered
    trees = list[TraceNode]()
    rows = {id(x.node): x.rows for x in needs.inner}
    own = in_row(teller.star.model, node.over if isinstance(node, t.Iterated) else node.among, teller.contexts[context])
    for place, (inner, run) in enumerate(runs):
        below = Teller(teller.star, run, in_row(teller.star.model, rows[id(inner)], teller.contexts[context]), teller.budget, met)
        trees += below.nested([inner.body], 0, f"{path}[{key}].{place}")
    filters = teller.filters.traced(At(own, batch))
    return TraceNode("row", f"{path}[{key}]", node.text, node.dtype, row.value, filters, children=tuple(trees)), row
