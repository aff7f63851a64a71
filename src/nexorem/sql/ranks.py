"""`rank`: the place of a context's own value among those of rows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import sqlalchemy as sa

from nexorem.core.functions.registry import common_type
from nexorem.core.language import typed as t
from nexorem.sql.contexts import Ctx, Env, Value, in_order
from nexorem.sql.dialects import number
from nexorem.sql.rows import RowScope, rows_of
from nexorem.sql.scalars import Typed, as_bigint, op, widen
from nexorem.sql.tree import labelled, pair_of, same

if TYPE_CHECKING:
    from nexorem.sql.steps import Around


def ranked(node: t.Rank, ctx: Ctx, around: Around) -> Value:
    """Competition rank. Those who are placed and their competitors stand in one list; a place is how many competitors are better,
    by running sums: the cost is that of a sort."""
    build = around.build
    scope = RowScope(rows_of(node.among, ctx, around, node.state), ctx, around, node.state)
    tree, own = scope.tree(node.by), around.cells[id(node.operand)]
    by = scope.deps(tree)
    deps = by | own.deps
    classes, rows_classes = ctx.base.classes(deps), scope.classes(by)
    ordered, apart = in_order(deps), in_order(by)
    dtype = common_type([own.dtype, node.by.dtype]) or own.dtype
    dtype = "integer" if dtype == "null" else dtype
    name, x_name, competes, place_name = (build.names.new(n) for n in ("own", "their_own", "competes", "place"))

    def ask() -> sa.SelectBase:
        env = Env(build, classes, ordered)
        value = widen(Typed(own.sql(env), own.dtype), dtype)
        return env.select(*env.labelled(ordered), value.label(name))

    asking = build.add("ranked", ordered, ask, node.text, {name: dtype})

    def compete() -> sa.SelectBase:
        env = scope.env(rows_classes, by)
        x = tree.over(env)
        theirs = env.select(*env.labelled(apart), widen(x, dtype).label(x_name), number(1).label(competes)).where(x.sql.is_not(None))
        table = asking.table
        mine = sa.select(
            *(c for s in apart for c in labelled(s, pair_of(table, s))), table.c[name].label(x_name), number(0).label(competes)
        )
        both = sa.union_all(theirs, mine.where(table.c[name].is_not(None)).distinct()).subquery(build.names.new("all"))
        keys = [c for s in apart for c in (both.c[s.kind], both.c[s.name])]
        x_ = build.dialect.by_code_point(both.c[x_name]) if dtype == "text" else both.c[x_name]
        order = x_.asc() if node.ascending else x_.desc()
        before = sa.func.sum(both.c[competes]).over(partition_by=keys or None, order_by=order, range_=(None, 0))
        equal = sa.func.sum(both.c[competes]).over(partition_by=[*keys, both.c[x_name]])
        place = as_bigint(op(op(before, "-", equal), "+", number(1)))
        return sa.select(
            *(c for s in apart for c in labelled(s, pair_of(both, s))), both.c[x_name].label(x_name), place.label(place_name)
        ).distinct()

    places = build.add("places", apart, compete, "", {x_name: dtype, place_name: "integer"})
    column = build.names.new("rank")

    def write() -> sa.SelectBase:
        mine, table = asking.table, places.table
        on = [same(pair_of(mine, s), pair_of(table, s)) for s in apart]
        joined = mine.join(table, sa.and_(*on, mine.c[name] == table.c[x_name]))
        return sa.select(*(c for s in ordered for c in labelled(s, pair_of(mine, s))), table.c[place_name].label(column)).select_from(
            joined
        )

    relation = build.add("rank", ordered, write, node.text, {column: "integer"})
    return Value("integer", deps, lambda env: env.join(relation, ordered).c[column], 2)
