"""Table expressions as relations: the rows of each context, told apart by members of theirs."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, assert_never

import sqlalchemy as sa

from nexorem.core.functions.registry import common_type
from nexorem.core.language import typed as t
from nexorem.core.model.paths import LinkState
from nexorem.core.plan.effects import row_effect
from nexorem.core.plan.tree import children
from nexorem.sql.build import Reader, reader_of
from nexorem.sql.contexts import Base, Classes, Coordinate, Ctx, Env, Filter, Value, in_order, left_in
from nexorem.sql.dialects import TYPES, number, zero
from nexorem.sql.reach import Reach, reaches, visible
from nexorem.sql.row_values import row_value
from nexorem.sql.scalars import Sql, Typed, test, truth, widen
from nexorem.sql.tree import EMPTY, UNMATCHED, VALUE, Pair, Relation, Slot, labelled, pair_of, same

if TYPE_CHECKING:
    from nexorem.sql.steps import Around


@dataclass(frozen=True, slots=True)
class Column:
    """Where a column of a table expression is: a member of its rows, a plain column of the relation, or (neither) one of the table whose
    rows these are. `lost`: it may be that of an unmatched member."""

    dtype: str
    slot: Slot | None = None
    name: str = ""
    lost: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Rows:
    """A table expression in every context: `deps` are the members of contexts on which its rows depend, `keys` those that tell rows of one
    context apart, `row` that of a table's rows."""

    shape: t.Rows
    relation: Relation
    deps: frozenset[Slot]
    keys: tuple[Slot, ...]
    columns: tuple[Column, ...]
    row: Slot | None = None


class RowScope:
    """The rows of a table expression in contexts, as contexts themselves; `state` is that of the context the expression stands in."""

    def __init__(self, rows: Rows, ctx: Ctx, around: Around, state: LinkState) -> None:
        self.rows, self.ctx, self.around, self.state = rows, ctx, around, state
        self.build = around.build
        self.base = Base(self.build, ctx.base, rows, rows.keys, rows.relation)
        self._inner: Ctx | None = None

    @property
    def inner(self) -> Ctx:
        """The contexts of the rows: each with its row as one more filter, or in place of those on the row's columns."""
        if self._inner is None:
            rows, effect = self.rows, row_effect(self.build.model, self.rows.shape)
            added = []
            for target in effect.adds:
                if target.columns is None:
                    assert rows.row
                    added.append(Filter(target.table, None, Coordinate(rows.row)))
                else:
                    place = next(i for i, c in enumerate(rows.shape.columns) if (c.table, (c.column,)) == (target.table, target.columns))
                    slot = rows.columns[place].slot
                    assert slot
                    added.append(Filter(target.table, target.columns, Coordinate(slot)))
            self._inner = replace(self.ctx, base=self.base, filters=(*left_in(self.build, effect, self.ctx), *added))
        return self._inner

    def tree(self, tree: t.Typed) -> RowTree:
        """A row-shaped tree, compiled: what it needs of contexts is made."""
        values: dict[int, Value] = {}
        self._values(tree, values)
        return RowTree(self, tree, values)

    def _values(self, tree: t.Typed, values: dict[int, Value]) -> None:
        """What a tree, and the names of a `let` in it, look up in the contexts of the rows."""
        if isinstance(tree, t.InRow):
            if id(tree) not in values:
                values[id(tree)] = self.around.inner(tree, self)
            return
        for child in (tree.definition.node,) if isinstance(tree, t.LetValue) else children(tree):
            self._values(child, values)

    def classes(self, deps: Iterable[Slot]) -> Classes:
        """The rows in contexts that these members, and those of the rows, tell apart."""
        return self.base.classes(frozenset(deps) | self.rows.deps | frozenset(self.rows.keys))

    def deps(self, *trees: RowTree | None) -> frozenset[Slot]:
        """The members of outer contexts on which rows and trees over them depend."""
        deps = frozenset(s for x in trees if x is not None for s in x.deps) | self.rows.deps
        return deps - frozenset(self.rows.keys)

    def env(self, classes: Classes, deps: frozenset[Slot]) -> RowEnv:
        """A FROM of the rows."""
        return RowEnv(self, classes, deps | self.rows.deps | frozenset(self.rows.keys))


@dataclass(frozen=True, slots=True, eq=False)
class RowTree:
    """A row-shaped tree with the values of contexts that it looks up, by node."""

    scope: RowScope
    tree: t.Typed
    values: dict[int, Value]

    @property
    def deps(self) -> frozenset[Slot]:
        """The members on which it depends, those of the rows aside."""
        return frozenset(s for v in self.values.values() for s in v.deps)

    def over(self, env: RowEnv) -> Typed:
        """Its expression."""

        def leaf(node: t.Typed) -> Typed | None:
            if isinstance(node, t.ColumnValue):
                return Typed(env.named(node.table, node.column), node.dtype)
            if isinstance(node, t.RowName):
                return Typed(env.value(node.place), self.scope.rows.columns[node.place].dtype)
            if isinstance(node, t.InRow):
                value = self.values[id(node)]
                return Typed(value.sql(env), value.dtype)
            return None

        return row_value(env.build.dialect, self.tree, leaf)


class RowEnv(Env):
    """A FROM of the rows of a table expression, in contexts."""

    def __init__(self, scope: RowScope, classes: Classes, slots: Iterable[Slot]) -> None:
        super().__init__(scope.build, classes, in_order(slots))
        self.scope, self.rows = scope, scope.rows
        self._reader: Reader | None = None
        self._places = {(c.table, c.column): i for i, c in enumerate(self.rows.shape.columns) if c.table}

    def reader(self) -> Reader:
        """The table whose rows these are."""
        if self._reader is None:
            rows, build = self.rows, self.build
            assert rows.row and rows.shape.identity
            table, mine = rows.shape.identity, self.pairs[rows.row]
            alias = self.source.table(build, table)
            self.source.left(alias, sa.and_(mine.kind == number(VALUE), alias.c[build.places.key(table)] == mine.value))
            lost = mine.kind == number(UNMATCHED) if build.star.has_unmatched(table) else None
            self._reader = Reader(build, self.source, table, alias, lost)
        return self._reader

    def named(self, table: str, column: str) -> Sql:
        """A column of a table: of the rows, or looked up from them."""
        place = self._places.get((table, column))
        if place is not None:
            return self.value(place)
        identity = self.rows.shape.identity
        assert identity
        return self.reader().value(self.build.star.lookups(identity, self.scope.state)[table], column)

    def value(self, place: int) -> Sql:
        """A column's value; that of an unmatched member is empty."""
        column = self.rows.columns[place]
        if column.slot:
            pair = self.pairs[column.slot]
            return sa.case((pair.kind == number(VALUE), pair.value))
        if column.name:
            return self._relation().c[column.name]
        return self.reader().value((), self._column(place))

    def pair(self, place: int) -> Pair:
        """A column as a member."""
        column = self.rows.columns[place]
        if column.slot:
            return self.pairs[column.slot]
        return as_pair(self.value(place), column.dtype) if column.name else self.reader().pair((), self._column(place))

    def _column(self, place: int) -> str:
        name = self.rows.shape.columns[place].column
        assert name
        return name

    def _relation(self) -> sa.FromClause:
        relation = self.rows.relation
        return self.start if self.start.name == relation.name else self.join(relation, relation.slots)  # type: ignore[attr-defined]


def as_pair(value: Sql, dtype: str) -> Pair:
    """A value as a member that is never unmatched."""
    dtype = "integer" if dtype == "null" else dtype
    kind = sa.case((value.is_(None), number(EMPTY)), else_=number(VALUE))
    return Pair(kind, sa.func.coalesce(value, zero(dtype), type_=TYPES[dtype]))


def rows_of(shape: t.Rows, ctx: Ctx, around: Around, state: LinkState) -> Rows:
    """A table expression in every context of a base; `state` is that of the context it stands in."""
    match shape:
        case t.BaseRows():
            return _base(shape, ctx, around)
        case t.KnownRows():
            return known(rows_of(shape.rows, ctx, around, state), ctx, around, state, shape)
        case t.WhereRows():
            scope = RowScope(rows_of(shape.rows, ctx, around, state), ctx, around, state)
            return passing(scope, shape.predicate, shape)
        case t.TopRows():
            return _top(shape, ctx, around, state)
        case t.WithRows():
            return _with(shape, ctx, around, state)
        case t.ListedRows():
            return _listed(shape, ctx, around)
        case t.JoinedRows():
            return _joined(shape, ctx, around, state)
    assert_never(shape)


def _base(shape: t.BaseRows, ctx: Ctx, around: Around) -> Rows:
    build = around.build
    filters = {"": ctx.filters, "page": ctx.page, "every": ()}[shape.quantifier]
    found = reaches(build, ctx, build.star.inflow(shape.grain, shape.state), filters)
    if shape.identity:
        row = build.slot_of(shape.grain, None)
        spots = [(((), None), row)]
        columns = tuple(Column(c.dtype, lost=True) for c in shape.columns)
        keys: tuple[Slot, ...] = (row,)
    else:
        spots, listed = [], []
        for c in shape.columns:
            assert c.table and c.column
            slot = build.slot_of(c.table, c.column)
            spots.append(((shape.lookups[c.table], c.column), slot))  # type: ignore[arg-type]
            listed.append(Column(c.dtype, slot, lost=True))
        columns, keys, row = tuple(listed), tuple(s for _, s in spots), None
    relation, deps = visible(build, f"{shape.grain}_rows", shape.grain, found, spots, True, shape.text)  # type: ignore[arg-type]
    return Rows(shape, relation, deps, keys, columns, row)


def _again(
    scope: RowScope,
    shape: t.Rows,
    deps: frozenset[Slot],
    wish: str,
    where: Callable[[RowEnv], list[Sql]],
    more: dict[str, Callable[[RowEnv], Sql]],
) -> Rows:
    """The rows of a scope for which something is true, with more plain columns."""
    rows, build = scope.rows, scope.build
    classes = scope.classes(deps)
    slots = in_order(deps | rows.deps | frozenset(rows.keys))
    kept = {c.name: c.dtype for c in rows.columns if c.name and not c.slot}
    added = shape.columns[len(rows.columns) :]
    plain = kept | {name: column.dtype for name, column in zip(more, added, strict=True)}

    def write() -> sa.SelectBase:
        env = scope.env(classes, deps)
        columns = env.labelled(slots)
        columns += [env._relation().c[name].label(name) for name in kept]
        columns += [make(env).label(name) for name, make in more.items()]
        tests = where(env)
        return env.select(*columns).where(*tests)

    relation = build.add(wish, slots, write, shape.text, plain)
    columns = (*rows.columns, *(Column(c.dtype, name=name) for name, c in zip(more, added, strict=True)))
    return Rows(shape, relation, deps | rows.deps, rows.keys, columns, rows.row)


def passing(scope: RowScope, predicate: t.Typed, shape: t.Rows) -> Rows:
    """The rows for which a condition is true."""
    tree = scope.tree(predicate)
    return _again(scope, shape, scope.deps(tree), f"{scope.rows.relation.name}_where", lambda env: [truth(tree.over(env))], {})


def known(rows: Rows, ctx: Ctx, around: Around, state: LinkState, shape: t.Rows) -> Rows:
    """Without the rows that are unmatched in every column that comes from a table."""
    lost = [i for i, c in enumerate(rows.columns) if c.lost]
    if not lost:
        return replace(rows, shape=shape)

    def there(env: RowEnv) -> list[Sql]:
        if rows.row:
            return [env.pairs[rows.row].kind != number(UNMATCHED)]
        return [sa.or_(*(env.pair(i).kind != number(UNMATCHED) for i in lost))]

    scope = RowScope(rows, ctx, around, state)
    return _again(scope, shape, rows.deps, f"{rows.relation.name}_known", there, {})


def _with(shape: t.WithRows, ctx: Ctx, around: Around, state: LinkState) -> Rows:
    scope = RowScope(rows_of(shape.rows, ctx, around, state), ctx, around, state)
    trees = [scope.tree(v) for v in shape.values]
    made = shape.columns[len(scope.rows.columns) :]
    more: dict[str, Callable[[RowEnv], Sql]] = {}
    for tree, column in zip(trees, made, strict=True):
        more[around.build.names.new(column.name)] = lambda env, x=tree, dtype=column.dtype: widen(x.over(env), dtype)  # type: ignore[misc]
    return _again(scope, shape, scope.deps(*trees), f"{scope.rows.relation.name}_with", lambda env: [], more)


def _top(shape: t.TopRows, ctx: Ctx, around: Around, state: LinkState) -> Rows:
    scope = RowScope(rows_of(shape.rows, ctx, around, state), ctx, around, state)
    rows, build, tree, count = scope.rows, scope.build, scope.tree(shape.by), around.cells[id(shape.count)]
    deps = scope.deps(tree) | count.deps
    classes = scope.classes(deps)
    slots = in_order(deps | rows.deps | frozenset(rows.keys))
    kept = {c.name: c.dtype for c in rows.columns if c.name and not c.slot}
    place_name, most_name = build.names.new("place"), build.names.new("most")

    def write() -> sa.SelectBase:
        env = scope.env(classes, deps)
        x = tree.over(env)
        value = build.dialect.by_code_point(x.sql) if x.dtype == "text" else x.sql
        apart = [c for s in in_order(deps) for c in (env.pairs[s].kind, env.pairs[s].value)]
        place = sa.func.rank().over(partition_by=apart or None, order_by=value.asc() if shape.ascending else value.desc())
        plain = [env._relation().c[name].label(name) for name in kept]
        inner = env.select(*env.labelled(slots), *plain, place.label(place_name), count.sql(env).label(most_name)).where(x.sql.is_not(None))
        placed = inner.subquery(build.names.new("placed"))
        columns = [c for s in slots for c in labelled(s, pair_of(placed, s))] + [placed.c[name] for name in kept]
        return sa.select(*columns).where(test(placed.c[place_name], "<=", placed.c[most_name]))

    relation = build.add(f"{rows.relation.name}_top", slots, write, shape.text, kept)
    return Rows(shape, relation, deps, rows.keys, rows.columns, rows.row)


def _listed(shape: t.ListedRows, ctx: Ctx, around: Around) -> Rows:
    """The lines of `values`, told apart by their numbers."""
    build = around.build
    values = [[around.cells[id(x)] for x in line] for line in shape.lines]
    deps = frozenset(s for line in values for v in line for s in v.deps)
    classes, line_number = ctx.base.classes(deps), build.slot("line", "integer")
    names = [build.names.new(c.name) for c in shape.columns]
    slots = (*in_order(deps), line_number)

    def write() -> sa.SelectBase:
        parts = []
        for place, line in enumerate(values):
            env = Env(build, classes, in_order(deps))
            here = labelled(line_number, Pair(number(VALUE), number(place)))
            cells = [widen(Typed(v.sql(env), v.dtype), c.dtype).label(name) for v, c, name in zip(line, shape.columns, names, strict=True)]
            parts.append(env.select(*env.labelled(in_order(deps)), *here, *cells))
        return parts[0] if len(parts) == 1 else sa.union_all(*parts)

    plain = {name: c.dtype for name, c in zip(names, shape.columns, strict=True)}
    relation = build.add("listed", slots, write, shape.text, plain)
    columns = tuple(Column(c.dtype, name=name) for name, c in zip(names, shape.columns, strict=True))
    return Rows(shape, relation, deps, (line_number,), columns)


def _joined(shape: t.JoinedRows, ctx: Ctx, around: Around, state: LinkState) -> Rows:
    """SQL's set operators: columns correspond by place, an unmatched member equals only another one."""
    parts: list[t.Rows] = []
    ops: list[t.JoinedRows] = []
    at: t.Rows = shape
    while isinstance(at, t.JoinedRows):
        parts.append(at.right)
        ops.append(at)
        at = at.left
    left = rows_of(at, ctx, around, state)
    for part, op in zip(reversed(parts), reversed(ops), strict=True):
        right = rows_of(part, ctx, around, state)
        scopes = RowScope(left, ctx, around, state), RowScope(right, ctx, around, state)
        left = _union(op, *scopes) if op.op == "union" else _compared(op, *scopes)
    return left


def _both(left: RowScope, right: RowScope) -> list[str]:
    """The types in which columns are compared, by place."""
    pairs = zip(left.rows.columns, right.rows.columns, strict=True)
    return [common_type([a.dtype, b.dtype]) or a.dtype for a, b in pairs]


def _wide(pair: Pair, mine: str, dtype: str) -> Pair:
    dtype = "integer" if dtype == "null" else dtype
    if mine == dtype:
        return pair
    value = sa.case((pair.kind == number(VALUE), widen(Typed(pair.value, mine), dtype)), else_=zero(dtype))
    return Pair(pair.kind, sa.cast(value, TYPES[dtype]))


def _sides(shape: t.JoinedRows, left: RowScope, right: RowScope) -> tuple[frozenset[Slot], list[int], bool]:
    """The members that tell contexts apart, the places of the columns that are compared, and whether rows are as well."""
    rows = bool(left.rows.shape.identity) and left.rows.shape.identity == right.rows.shape.identity
    places = [i for i, c in enumerate(left.rows.shape.columns) if not (rows and c.table)]
    return left.rows.deps | right.rows.deps, places, rows


def _union(shape: t.JoinedRows, left: RowScope, right: RowScope) -> Rows:
    build = left.build
    deps, places, by_rows = _sides(shape, left, right)
    kinds = _both(left, right)
    row = build.slot_of(str(shape.identity), None) if by_rows and shape.identity else None
    if row is None:
        places = list(range(len(shape.columns)))
    slots = {i: build.slot(shape.columns[i].name, "integer" if kinds[i] == "null" else kinds[i]) for i in places}
    ordered = in_order(deps)
    classes = [x.classes(deps) for x in (left, right)]

    def side(scope: RowScope, held: Classes) -> sa.Select[Any]:
        env = scope.env(held, deps)
        columns = env.labelled(ordered)
        if row is not None:
            assert scope.rows.row
            columns += labelled(row, env.pairs[scope.rows.row])
        for i, slot in slots.items():
            columns += labelled(slot, _wide(env.pair(i), scope.rows.columns[i].dtype, slot.dtype))
        return env.select(*columns)

    def write() -> sa.SelectBase:
        return sa.union(side(left, classes[0]), side(right, classes[1]))

    keys = ((row,) if row else ()) + tuple(slots.values())
    relation = build.add("union", (*ordered, *keys), write, shape.text)
    columns = tuple(Column(c.dtype, slots.get(i), lost=True) for i, c in enumerate(shape.columns))
    return Rows(shape, relation, deps, keys, columns, row)


def _compared(shape: t.JoinedRows, left: RowScope, right: RowScope) -> Rows:
    """`intersect` and `except`: rows of the left side that the right one has, or has not."""
    build = left.build
    deps, places, by_rows = _sides(shape, left, right)
    kinds = _both(left, right)
    ordered, held = in_order(deps), [x.classes(deps) for x in (left, right)]
    is_row = left.rows.row is not None
    rows = left.rows
    slots = {} if is_row else {i: build.slot(c.name, "integer" if c.dtype == "null" else c.dtype) for i, c in enumerate(shape.columns)}
    kept = {c.name: c.dtype for c in rows.columns if is_row and c.name and not c.slot}

    theirs = {i: build.slot(right.rows.shape.columns[i].name, "integer" if kinds[i] == "null" else kinds[i]) for i in places}
    same_row = (build.slot_of(str(shape.identity), None),) if by_rows else ()

    def write_right() -> sa.SelectBase:
        env = right.env(held[1], deps)
        columns = env.labelled(ordered)
        for slot in same_row:
            assert right.rows.row
            columns += labelled(slot, env.pairs[right.rows.row])
        for i, slot in theirs.items():
            columns += labelled(slot, _wide(env.pair(i), right.rows.columns[i].dtype, slot.dtype))
        return env.select(*columns)

    other = build.add(f"{shape.op}_with", (*ordered, *same_row, *theirs.values()), write_right)

    def write() -> sa.SelectBase:
        mine, table = left.env(held[0], deps), other.table
        columns = mine.labelled(ordered)
        if is_row:
            columns += mine.labelled(rows.keys) + [mine._relation().c[name].label(name) for name in kept]
        for i, slot in slots.items():
            columns += labelled(slot, mine.pair(i))
        on = [same(mine.pairs[s], pair_of(table, s)) for s in ordered]
        on += [same(mine.pairs[rows.keys[0]], pair_of(table, slot)) for slot in same_row]
        for i, slot in theirs.items():
            on.append(same(_wide(mine.pair(i), left.rows.columns[i].dtype, slot.dtype), pair_of(table, slot)))
        there = sa.exists(sa.select(number(1)).select_from(table).where(*on).correlate(*_tables(mine.source.joined)))
        select = mine.select(*columns).where(there if shape.op == "intersect" else sa.not_(there))
        return select if is_row else select.distinct()

    keys = rows.keys if is_row else tuple(slots.values())
    relation = build.add(shape.op, in_order(deps | frozenset(keys)) if is_row else (*ordered, *keys), write, shape.text, kept)
    columns = rows.columns if is_row else tuple(Column(c.dtype, slots[i], lost=rows.columns[i].lost) for i, c in enumerate(shape.columns))
    return Rows(shape, relation, deps, keys, columns, rows.row)


def _tables(joined: sa.FromClause) -> list[sa.FromClause]:
    return [x for side in (joined.left, joined.right) for x in _tables(side)] if isinstance(joined, sa.Join) else [joined]


__all__ = ["Column", "Reach", "RowEnv", "RowScope", "RowTree", "Rows", "as_pair", "known", "passing", "reader_of", "rows_of"]
