"""A scalar tree as an expression over a row: its leaves are columns, values that a row's context has, names of a `let`."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from nexorem.core.language import typed as t
from nexorem.core.plan.tree import children
from nexorem.sql import dates, texts
from nexorem.sql.dialects import Dialect, constant
from nexorem.sql.scalars import Typed, applied, cases, empty, fold, member

__all__ = ["computed", "dates", "row_value", "texts"]

Leaf = Callable[[t.Typed], Typed | None]


def computed(dialect: Dialect, node: t.Typed, values: Sequence[Typed]) -> Typed:
    """A scalar node from its children, in their order."""
    match node:
        case t.Const():
            return Typed(constant(node.value, node.dtype), node.dtype)
        case t.Apply():
            return Typed(applied(dialect, node.function, values, node.dtype), node.dtype)
        case t.Fold():
            return Typed(fold(dialect, node.functions, values, node.dtype), node.dtype)
        case t.Cases():
            branches = [(values[2 * i], values[2 * i + 1]) for i in range(len(node.branches))]
            return Typed(cases(branches, values[-1], node.dtype), node.dtype)
        case t.Member():
            return Typed(member(dialect, values[0], values[1:]), "boolean")
    raise AssertionError(f"{type(node).__name__} is not computed from others")


def row_value(dialect: Dialect, node: t.Typed, leaf: Leaf) -> Typed:
    """A tree as an expression. `leaf` gives what is not computed from others, else None."""
    value = leaf(node)
    if value is not None:
        return value
    if isinstance(node, t.Unknown):
        return Typed(empty("null"), "null")
    if isinstance(node, t.Let):
        return row_value(dialect, node.body, leaf)
    if isinstance(node, t.LetValue):
        return row_value(dialect, node.definition.node, leaf)
    return computed(dialect, node, [row_value(dialect, child, leaf) for child in children(node)])
