"""What an edit makes of contexts: the filters that it leaves, and the one that it puts there."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, assert_never

import sqlalchemy as sa

from nexorem.core.language import typed as t
from nexorem.core.plan.logical import ContextStep
from nexorem.core.plan.tree import inner_nodes
from nexorem.sql.build import Build, Path, Reader, reader_of
from nexorem.sql.calendars import moved
from nexorem.sql.contexts import Ctx, Env, Filter, Members, Predicate, Value, in_order, left_in
from nexorem.sql.dialects import number, zero
from nexorem.sql.row_values import row_value
from nexorem.sql.rows import Rows, RowScope, rows_of
from nexorem.sql.scalars import Typed, alike, truth
from nexorem.sql.tree import EMPTY, UNMATCHED, VALUE, Pair, Slot, labelled, pair_of, same

if TYPE_CHECKING:
    from nexorem.sql.steps import Around

Sql = sa.ColumnElement[Any]


def edited(step: ContextStep, ctx: Ctx, around: Around) -> Ctx:
    """The contexts after an edit."""
    build, edit = around.build, step.edit
    left = replace(ctx, filters=left_in(build, step.effect, ctx), state=step.effect.state or ctx.state)
    match edit:
        case t.Cleared() | t.Restored() | t.Switched() | t.Turned():
            return left
        case t.Matched():
            values = {id(n): around.cells[id(n.body)] for n in inner_nodes(edit.predicate) if isinstance(n, t.InContext)}
            return replace(left, compared={**left.compared, id(edit.link): values}) if values else left
        case t.Condition():
            added = condition(build, edit, ctx, around)
        case t.Listing():
            added = listed(build, edit, ctx, around)
        case t.Moved():
            added = moved(build, edit, ctx, around.cells[id(edit.by)] if edit.by is not None else None)
        case _:
            assert_never(edit)
    return replace(left, filters=(*left.filters, added))


def condition(build: Build, edit: t.Condition, ctx: Ctx, around: Around) -> Filter:
    """The filter of a condition: the same everywhere, or by what stands on its right in the context before it."""
    values = {id(n): around.cells[id(n.body)] for n in inner_nodes(edit.predicate) if isinstance(n, t.InContext)}
    if not any(v.reads for v in values.values()):
        return Filter(edit.table, edit.columns, Predicate(lambda reader, path: _true(build, edit, reader, path, values, None)))
    deps = frozenset(s for v in values.values() for s in v.deps)
    classes, slots = ctx.base.classes(deps), tuple(build.slot_of(edit.table, c) for c in edit.columns)

    def members() -> sa.SelectBase:
        source, reader = reader_of(build, edit.table, True)
        return sa.select(*_pairs(reader, edit.columns, slots)).select_from(source.joined).distinct()

    every = build.add(f"{edit.table}_members", slots, members)

    def write() -> sa.SelectBase:
        env, table = Env(build, classes, in_order(deps)), every.table
        env.source.inner(table, sa.true())
        held = {c: pair_of(table, s) for c, s in zip(edit.columns, slots, strict=True)}

        def leaf(node: t.Typed) -> Typed | None:
            if isinstance(node, t.ColumnValue):
                pair = held[node.column]
                return Typed(sa.case((pair.kind == number(VALUE), pair.value)), node.dtype)
            return Typed(values[id(node)].sql(env), values[id(node)].dtype) if isinstance(node, t.InContext) else None

        true = truth(row_value(build.dialect, edit.predicate, leaf))
        columns = [c for s in slots for c in labelled(s, pair_of(table, s))]
        return env.select(*env.labelled(in_order(deps)), *columns).where(true)

    relation = build.add(f"{edit.table}_allowed", (*in_order(deps), *slots), write, edit.text)
    return Filter(edit.table, edit.columns, Members(relation, deps, slots))


def _true(build: Build, edit: t.Condition, reader: Reader, path: Path, values: dict[int, Value], env: Any) -> Sql:
    def leaf(node: t.Typed) -> Typed | None:
        if isinstance(node, t.ColumnValue):
            return Typed(reader.value(path, node.column), node.dtype)
        return Typed(values[id(node)].sql(env), values[id(node)].dtype) if isinstance(node, t.InContext) else None

    return truth(row_value(build.dialect, edit.predicate, leaf))


def _pairs(reader: Reader, columns: tuple[str, ...], slots: tuple[Slot, ...]) -> list[Sql]:
    return [c for s, name in zip(slots, columns, strict=True) for c in labelled(s, reader.pair((), name))]


def listed(build: Build, edit: t.Listing, ctx: Ctx, around: Around) -> Filter:
    """The filter of `COLS in ROWS`."""
    rows = rows_of(edit.rows, ctx, around, edit.state)
    if edit.columns is None:
        assert rows.row
        return Filter(edit.table, None, Members(rows.relation, rows.deps, (rows.row,)))
    scope = RowScope(rows, ctx, around, edit.state)
    return Filter(edit.table, edit.columns, _named(build, edit, scope, rows))


def _named(build: Build, edit: t.Listing, scope: RowScope, rows: Rows) -> Members:
    """The members that rows name. Null is the member `(empty)`; an unmatched one is itself on its own columns and nothing on any other.
    Combinations that no row of the table has are none, and neither are values of another type that none equals."""
    assert edit.columns
    columns = edit.columns
    slots = tuple(build.slot_of(edit.table, c) for c in columns)
    classes, deps = scope.classes(frozenset()), in_order(rows.deps)
    own = [_is_own(edit, rows, c, place) for c, place in zip(columns, edit.places, strict=True)]
    exact = len(columns) > 1 or any(rows.columns[p].dtype not in (s.dtype, "null") for s, p in zip(slots, edit.places, strict=True))

    def write() -> sa.SelectBase:
        env = scope.env(classes, frozenset())
        pairs = [env.pair(place) for place in edit.places]
        there = [p.kind != number(UNMATCHED) for p, is_own in zip(pairs, own, strict=True) if not is_own]
        if not exact:
            dtypes = [rows.columns[p].dtype for p in edit.places]
            kept = [p if d == s.dtype else Pair(p.kind, zero(s.dtype)) for s, p, d in zip(slots, pairs, dtypes, strict=True)]
            columns_ = [c for s, p in zip(slots, kept, strict=True) for c in labelled(s, p)]
            return env.select(*env.labelled(deps), *columns_).where(*there).distinct()
        source, reader = reader_of(build, edit.table, True)
        members = sa.select(*_pairs(reader, columns, slots)).select_from(source.joined).distinct().subquery(build.names.new("members"))
        mine = [pair_of(members, s) for s in slots]
        dtypes = [rows.columns[p].dtype for p in edit.places]
        on = [_equal(a, s.dtype, b, d) for a, s, b, d in zip(mine, slots, pairs, dtypes, strict=True)]
        env.source.inner(members, sa.and_(*on))
        columns_ = [c for s, p in zip(slots, mine, strict=True) for c in labelled(s, p)]
        return env.select(*env.labelled(deps), *columns_).where(*there).distinct()

    relation = build.add(f"{edit.table}_listed", (*deps, *slots), write, edit.text)
    return Members(relation, rows.deps, slots)


def _is_own(edit: t.Listing, rows: Rows, column: str, place: int) -> bool:
    given = rows.shape.columns[place]
    return (given.table, given.column) == (edit.table, column)


def _equal(a: Pair, dtype: str, b: Pair, other: str) -> Sql:
    """Whether a member of a table is one of rows, whose type may be another."""
    if other in (dtype, "null"):
        return same(a, b) if other == dtype else sa.and_(a.kind == b.kind, a.kind == number(EMPTY))
    x, y = alike([Typed(a.value, dtype), Typed(b.value, other)])
    return sa.and_(a.kind == b.kind, sa.or_(a.kind != number(VALUE), x.sql == y.sql))
