"""Evaluation of scalar nodes over vectors: the same code for the rows of a table and for the cells of a batch."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import assert_never

import numpy as np

from nexorem.core.functions.arithmetic import alike, choose
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.plan.tree import children
from nexorem.core.values import Array, Vector, constant, empties

Leaf = Callable[[t.Typed], Vector | None]


def computed(node: t.Typed, values: Sequence[Vector], size: int) -> Vector:
    """A scalar node's vector from those of its children."""
    match node:
        case t.Const():
            return constant(node.dtype, node.value, size)
        case t.Apply():
            # A null literal takes the type that the function asks for, through its result rule.
            result = widen(node.function.kernel(*_typed_nulls(values)), node.dtype)
            return result.failing(*(_reached(values) if node.function.name == "COALESCE" else (v.failed for v in values)))
        case t.Fold():
            result = values[0]
            for function, value in zip(node.functions, values[1:], strict=True):
                result = function.kernel(*_typed_nulls([result, value])).failing(result.failed, value.failed)
            return widen(result, node.dtype)
        case t.Cases():
            result = widen(values[-1], node.dtype)
            for i in range(len(node.branches) - 1, -1, -1):
                result = chosen(values[2 * i], values[2 * i + 1], result)
            return widen(result, node.dtype)
        case t.Member():
            return _member(values).failing(*(v.failed for v in values))
        case t.Aggregate() | t.Iterated() | t.Single() | t.Asked() | t.Rank() | t.Let() | t.LetValue() | t.MeasureValue() | t.Edited():
            raise AssertionError("has no value of its own here")
        case t.Unknown() | t.ColumnValue() | t.RowName() | t.InRow() | t.InContext():
            raise AssertionError("is a leaf")
    assert_never(node)


def chosen(condition: Vector, then: Vector, otherwise: Vector) -> Vector:
    """One branch of a CASE. A branch that is not taken fails nothing."""
    result = choose(condition, then, otherwise)
    if condition.failed is None and then.failed is None and otherwise.failed is None:
        return result
    none = np.zeros(len(result), np.uint8)
    taken = np.where(condition.true(), *(none if v.failed is None else v.failed for v in (then, otherwise)))
    return result.failing(condition.failed, taken)


def _reached(values: Sequence[Vector]) -> list[Array | None]:
    """What failed of the arguments of COALESCE, where those before are empty."""
    reached: list[Array | None] = []
    empty = np.ones(len(values[0]), bool)
    for v in values:
        reached.append(None if v.failed is None else np.where(empty, v.failed, 0).astype(np.uint8))
        empty = empty & ~v.valid
    return reached


def _typed_nulls(values: Sequence[Vector]) -> list[Vector]:
    """Null vectors take the type of another argument, so that every kernel sees a type it knows."""
    dtype = next((v.dtype for v in values if v.dtype != "null"), None)
    if dtype is None:
        return list(values)
    return [widen(v, dtype) if v.dtype == "null" else v for v in values]


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
    value = leaf(node)
    if value is not None:
        return value
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
