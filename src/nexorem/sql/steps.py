"""A plan in a base, compiled: each of its contexts, and what each of its values is read from."""

from __future__ import annotations

from dataclasses import dataclass, replace

import sqlalchemy as sa

from nexorem.core.language import typed as t
from nexorem.core.plan.logical import ContextStep, Needs, Plan, ValueStep
from nexorem.core.plan.tree import inner_nodes, table_rows
from nexorem.sql.build import Build, Reader
from nexorem.sql.contexts import Coordinate, Ctx, Env, Value, in_order
from nexorem.sql.dialects import constant, number
from nexorem.sql.edits import edited
from nexorem.sql.pools import Entry, directly, is_pooled, pooled, reduced, tree_over
from nexorem.sql.ranks import ranked
from nexorem.sql.reach import reaches
from nexorem.sql.row_values import computed
from nexorem.sql.rows import Rows, RowScope, RowTree, known, passing, rows_of
from nexorem.sql.scalars import Sql, Typed, test, widen
from nexorem.sql.tree import EMPTY, TOTAL, VALUE, Slot

LARGEST = 150  # nodes of an expression, beyond which it becomes a relation of its own


@dataclass(frozen=True, slots=True, eq=False)
class Around:
    """What stands around a step: the values of its cell-shaped parts by id of the node, and the plans of what is computed for its rows."""

    build: Build
    steps: Steps
    cells: dict[int, Value]
    plans: dict[int, Plan]

    def inner(self, node: t.InRow, scope: RowScope) -> Value:
        """A cell-shaped node in the contexts of rows."""
        run = Steps(self.build, self.plans[id(node)], scope.inner, self.steps, scope)
        return run.run().root(0)


class Steps:
    """A plan in contexts; `outer` is the plan around it and `scope` the rows that it is computed for."""

    def __init__(self, build: Build, plan: Plan, ctx: Ctx, outer: Steps | None = None, scope: RowScope | None = None) -> None:
        self.build, self.plan, self.outer, self.scope = build, plan, outer, scope
        self.contexts: dict[int, Ctx] = {0: ctx}
        self.values: dict[int, Value] = {}

    def root(self, place: int) -> Value:
        """The value of the root at that place."""
        return self.values[self.plan.roots[place]]

    def run(self) -> Steps:
        """Every step in order."""
        for step in self.plan.steps:
            if isinstance(step, ContextStep):
                ctx = self.contexts[step.parent]
                self.contexts[step.number] = edited(step, ctx, self.around(step.needs))
            else:
                self.values[step.number] = self._value(step)
        return self

    def around(self, needs: Needs) -> Around:
        """What a step may look up."""
        cells = {id(node): self.values[step] for node, step in needs.cells}
        return Around(self.build, self, cells, {id(x.node): x.plan for x in needs.inner})

    def _value(self, step: ValueStep) -> Value:
        node = step.node
        if isinstance(node, t.LetValue):
            return self._brought(step, node)
        ctx, around = self.contexts[step.context], self.around(step.needs)
        match node:
            case t.Aggregate():
                return aggregate(node, ctx, around)
            case t.Iterated():
                scope = RowScope(rows_of(node.over, ctx, around, node.state), ctx, around, node.state)
                return iterated(node, scope, around)
            case t.Rank():
                return ranked(node, ctx, around)
            case t.Single():
                return single(node, ctx, around)
            case t.Asked():
                return asked(node, ctx)
        return self._computed(node, [self.values[n] for n in step.inputs], ctx)

    def _computed(self, node: t.Typed, inputs: list[Value], ctx: Ctx) -> Value:
        build = self.build
        deps = frozenset(s for v in inputs for s in v.deps)

        def sql(env: Env) -> Sql:
            return computed(build.dialect, node, [Typed(v.sql(env), v.dtype) for v in inputs]).sql

        size = 1 + 2 * sum(v.size for v in inputs)
        value = Value(node.dtype, deps, sql, size, any(v.reads for v in inputs), _known(node, inputs))
        return held(build, value, ctx, "computed") if size > LARGEST else value

    def _brought(self, step: ValueStep, node: t.LetValue) -> Value:
        """A name of a `let` outside: of the plan around this one, or of the row."""
        if step.outer is not None:
            assert self.outer
            return self.outer.values[step.outer]
        scope = self.scope
        assert scope
        key = "let", id(node.definition), id(scope)
        if key not in self.build.kept:
            tree = scope.tree(node.definition.node)
            self.build.kept[key] = node, scope, _of_row(scope, tree, node.definition.name, node.dtype)
        return self.build.kept[key][2]  # type: ignore[no-any-return]


def _known(node: t.Typed, inputs: list[Value]) -> int | None:
    """A whole number that a formula writes, with its sign."""
    if isinstance(node, t.Const):
        return node.value if node.dtype == "integer" and isinstance(node.value, int) else None
    negated = isinstance(node, t.Apply) and node.function.name == "negate" and inputs[0].known is not None
    return -(inputs[0].known or 0) if negated else None


def _of_row(scope: RowScope, tree: RowTree, name: str, dtype: str) -> Value:
    """What a tree comes to for each row, as a relation."""
    build, deps = scope.build, scope.deps(tree)
    classes, column = scope.classes(deps), scope.build.names.new(name)
    slots = in_order(deps | scope.rows.deps | frozenset(scope.rows.keys))

    def write() -> sa.SelectBase:
        env = scope.env(classes, deps)
        value = widen(tree.over(env), dtype).label(column)
        return env.select(*env.labelled(slots), value)

    relation = build.add(name, slots, write, name, {column: dtype})
    return Value(dtype, frozenset(slots), lambda env: env.join(relation, slots).c[column], 2)


def held(build: Build, value: Value, ctx: Ctx, wish: str) -> Value:
    """A value as a relation of its own."""
    deps, column = in_order(value.deps), build.names.new(wish)
    classes = ctx.base.classes(deps)

    def write() -> sa.SelectBase:
        env = Env(build, classes, deps)
        expression = value.sql(env).label(column)
        return env.select(*env.labelled(deps), expression)

    relation = build.add(wish, deps, write, "", {column: value.dtype})
    return Value(value.dtype, value.deps, lambda env: env.join(relation, deps).c[column], 2)


def aggregate(node: t.Aggregate, ctx: Ctx, around: Around) -> Value:
    """An aggregate over the visible rows of its grain."""
    build = around.build
    extra = around.cells[id(node.extra)] if node.extra is not None else None
    if inner_nodes(node.argument) or inner_nodes(node.where) or (extra and extra.reads):
        rows = rows_of(table_rows(build.model, node), ctx, around, node.state)
        scope = RowScope(known(rows, ctx, around, node.state, rows.shape), ctx, around, node.state)
        return iterated(node, scope, around)
    found = reaches(build, ctx, build.star.inflow(node.grain, node.state), ctx.filters)
    argument = tree_over(build, node.argument, node.lookups) if node.argument is not None else None
    where = tree_over(build, node.where, node.lookups) if node.where is not None else None
    if is_pooled(node):
        called = build.name_of(node, f"{node.function}_{node.grain}")
        return pooled(build, node.grain, Entry(called, id(node), node.function, argument, where, found, node.dtype))
    assert argument
    share = extra.sql(Env(build, ctx.base.classes(()), ())) if extra else None
    return directly(build, node, found, argument, where, share)


def iterated(node: t.Iterated | t.Aggregate, scope: RowScope, around: Around) -> Value:
    """An aggregate over rows, each in its own context."""
    build, ctx, state = around.build, scope.ctx, node.state
    extra = around.cells[id(node.extra)] if node.extra is not None else None
    if node.function == "rows":
        scope = RowScope(known(scope.rows, ctx, around, state, scope.rows.shape), ctx, around, state)
    if node.where is not None:
        scope = RowScope(passing(scope, node.where, scope.rows.shape), ctx, around, state)
    tree = scope.tree(node.argument) if node.argument is not None else None
    deps = scope.deps(tree) | (extra.deps if extra else frozenset())
    ordered, classes = in_order(deps), scope.classes(deps)
    called = build.name_of(node, f"{node.function}_of_rows")
    column = build.names.new(called)

    def write() -> sa.SelectBase:
        env = scope.env(classes, deps)
        x = tree.over(env) if tree is not None else None
        more = extra.sql(env) if extra is not None else None
        return reduced(build, node, env.labelled(ordered), x, more, column, env.select)

    relation = build.add(f"{called}_over_rows", ordered, write, node.text, {column: node.dtype})
    return Value(node.dtype, deps, lambda env: env.join(relation, ordered).c[column], 2)


def single(node: t.Single, ctx: Ctx, around: Around) -> Value:
    """`the` and `single`: the smallest and the largest member that is visible are one and the same."""
    build = around.build
    found = reaches(build, ctx, build.star.inflow(node.table, node.state), ctx.filters)
    dtype = build.dtype(node.table, node.column)

    def part(function: str, is_kind: bool) -> Value:
        def argument(reader: Reader) -> Typed:
            pair = reader.pair((), node.column)
            return Typed(pair.kind, "integer") if is_kind else Typed(pair.value, dtype)

        called = f"{function}_{node.column}{'_kind' if is_kind else ''}"
        kind = "integer" if is_kind else dtype
        return pooled(build, node.table, Entry(called, (id(node), is_kind), function, argument, None, found, kind))

    kinds, values = [part(f, True) for f in ("min", "max")], [part(f, False) for f in ("min", "max")]
    default = around.cells[id(node.default)] if node.default is not None else None
    deps = frozenset(s for v in (*kinds, *values, *([default] if default else [])) for s in v.deps)

    def sql(env: Env) -> Sql:
        low, high = (v.sql(env) for v in kinds)
        first, last = (v.sql(env) for v in values)
        one = sa.and_(test(low, "=", high), test(first, "=", last))
        if node.test:
            return sa.func.coalesce(one, sa.false(), type_=sa.Boolean())
        there = sa.case((low == number(VALUE), first))
        otherwise = Typed(default.sql(env), default.dtype) if default else Typed(constant(None, dtype), dtype)
        return sa.case((one, widen(Typed(there, dtype), node.dtype)), else_=widen(otherwise, node.dtype))

    return Value(node.dtype, deps, sql, 10 + (default.size if default else 0))


def asked(node: t.Asked, ctx: Ctx) -> Value:
    """`filtered` and `on_axis`: a constant, or whether the context has a member."""
    slots: list[Slot] = []
    if node.axis:
        slot = ctx.base.axes.get((node.table, node.column or ""))
        if slot is None:
            return Value("boolean", frozenset(), lambda env: sa.false(), 1, False)
        slots = [slot]
    else:
        on = [f for f in ctx.filters if f.table == node.table and (node.column is None or f.columns is None or node.column in f.columns)]
        optional = [f.form.slot for f in on if isinstance(f.form, Coordinate) and f.form.slot in ctx.base.optional]
        if len(optional) < len(on):
            return Value("boolean", frozenset(), lambda env: sa.true(), 1, False)
        slots = optional
    if not slots:
        return Value("boolean", frozenset(), lambda env: sa.false(), 1, False)
    return Value("boolean", frozenset(slots), lambda env: sa.or_(*(env.pairs[s].kind != number(TOTAL) for s in slots)), 2)


__all__ = ["EMPTY", "Around", "Rows", "Steps", "aggregate", "asked", "held", "iterated", "replace", "single"]
