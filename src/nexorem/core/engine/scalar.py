"""Evaluation of scalar nodes over vectors: the same code for the rows of a table and for the cells of a batch."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from nexorem.core.functions.arithmetic import alike, choose
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.values import Vector, constant, empties

Leaf = Callable[[t.Typed], Vector | None]


def children(node: t.Typed) -> tuple[t.Typed, ...]:
    """The scalar nodes a node is computed from, in the order `computed` takes their values."""
    match node:
        case t.Apply() | t.Fold():
            return node.arguments
        case t.Cases():
            return (*(x for branch in node.branches for x in branch), node.otherwise)
        case t.Member():
            return (node.operand, *node.items)
        case t.Let():
            return (*(d.node for d in node.definitions), node.body)
    return ()


def computed(node: t.Typed, values: Sequence[Vector], size: int) -> Vector:
    """A scalar node's vector from those of its children."""
    match node:
        case t.Const():
            return constant(node.dtype, node.value, size)
        case t.Apply():
            # A null literal takes the type that the function asks for, through its result rule.
            return widen(node.function.kernel(*_typed_nulls(values)), node.dtype)
        case t.Fold():
            found = values[0]
            for function, value in zip(node.functions, values[1:], strict=True):
                found = function.kernel(*_typed_nulls([found, value]))
            return widen(found, node.dtype)
        case t.Cases():
            found = widen(values[-1], node.dtype)
            for i in range(len(node.branches) - 1, -1, -1):
                found = choose(values[2 * i], values[2 * i + 1], found)
            return widen(found, node.dtype)
        case t.Member():
            return _member(values)
    raise AssertionError(node)


def _typed_nulls(values: Sequence[Vector]) -> list[Vector]:
    """Null vectors take the type of another argument, so that every kernel sees a type it knows."""
    known = next((v.dtype for v in values if v.dtype != "null"), None)
    if known is None:
        return list(values)
    return [widen(v, known) if v.dtype == "null" else v for v in values]


def _member(values: Sequence[Vector]) -> Vector:
    operand, *items = alike(*values)
    true = np.zeros(len(operand), bool)
    unknown = ~operand.valid
    for item in items:
        both = operand.valid & item.valid
        true |= both & (operand.data == item.data)
        unknown |= ~item.valid
    return Vector("boolean", true, true | ~unknown)


def evaluate(node: t.Typed, leaf: Leaf, size: int, lets: dict[int, Vector] | None = None) -> Vector:
    """A tree over `size` rows. `leaf` gives the vector of a node that is not computed from others, else None.

    `lets` keeps what the definitions of the rows' own `let`s gave.
    """
    found = leaf(node)
    if found is not None:
        return found
    lets = {} if lets is None else lets
    if isinstance(node, t.Unknown):
        return empties("null", size)
    if isinstance(node, t.Let):
        return evaluate(node.body, leaf, size, lets)
    if isinstance(node, t.LetValue):
        key = id(node.definition)
        if key not in lets:
            lets[key] = evaluate(node.definition.node, leaf, size, lets)
        return lets[key]
    return computed(node, [evaluate(child, leaf, size, lets) for child in children(node)], size)


def inner_nodes(node: t.Typed | None) -> list[t.InRow | t.InContext]:
    """The cell-shaped nodes used inside a row-shaped one, in order."""
    if node is None:
        return []
    if isinstance(node, t.InRow | t.InContext):
        return [node]
    return [inner for child in children(node) for inner in inner_nodes(child)]


def rows_within(rows: t.Rows) -> list[t.Rows]:
    """A table expression and every one inside it, the innermost first."""
    found, queue = [], [rows]
    while queue:
        at = queue.pop()
        found.append(at)
        if isinstance(at, t.JoinedRows):
            queue += [at.left, at.right]
        elif isinstance(at, t.KnownRows | t.WhereRows | t.TopRows | t.WithRows):
            queue.append(at.rows)
    return found[::-1]


def row_trees(node: t.Typed | t.TypedEdit | t.Rows) -> list[t.Typed]:
    """The row-shaped trees that a node, an edit or a table expression evaluates for rows of its own."""
    match node:
        case t.Aggregate():
            return [x for x in (node.argument, node.where) if x]
        case t.Iterated():
            return [*row_trees(node.over), *(x for x in (node.where, node.argument) if x)]
        case t.Rank():
            return [*row_trees(node.among), node.by]
        case t.Condition():
            return [node.predicate]
        case t.Matched():
            return [node.predicate] if node.predicate else []
        case t.Listing():
            return row_trees(node.rows)
        case t.Rows():
            trees: list[t.Typed] = []
            for part in rows_within(node):
                if isinstance(part, t.WhereRows):
                    trees.append(part.predicate)
                elif isinstance(part, t.TopRows):
                    trees.append(part.by)
                elif isinstance(part, t.WithRows):
                    trees += part.values
            return trees
    return []


def cell_trees(node: t.Typed | t.TypedEdit | t.Rows) -> list[t.Typed]:
    """The cell-shaped trees beside a node's own rows, computed once in the context it stands in."""
    match node:
        case t.Aggregate():
            return [node.extra] if node.extra else []
        case t.Iterated():
            return [*cell_trees(node.over), *([node.extra] if node.extra else [])]
        case t.Single():
            return [node.default] if node.default else []
        case t.Rank():
            return [node.operand, *cell_trees(node.among)]
        case t.Condition() | t.Matched():
            return [n.body for n in inner_nodes(node.predicate) if isinstance(n, t.InContext)]
        case t.Listing():
            return cell_trees(node.rows)
        case t.Moved():
            return [node.by] if node.by else []
        case t.Rows():
            trees: list[t.Typed] = []
            for part in rows_within(node):
                if isinstance(part, t.ListedRows):
                    trees += [x for line in part.lines for x in line]
                elif isinstance(part, t.TopRows):
                    trees.append(part.count)
            return trees
    return []
