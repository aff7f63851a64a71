"""Whole numbers out of full columns, where what they come to is known to stay within 64 bits: nothing is asked row by row whether it is
empty, or has become too large."""

from __future__ import annotations

import operator
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.columns import MOST_CODED, Column, narrow
from nexorem.core.engine.stages import Block
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.values import Array

EXACT = 2**62
OPERATIONS: dict[str, Callable[[Any, Any], Any]] = {"+": operator.add, "-": operator.sub, "*": operator.mul}


@dataclass(frozen=True, slots=True, eq=False)
class Exact:
    """What a tree comes to at each row of a block, int64, and between which bounds that is. `read` gives a number where it is the same
    everywhere."""

    read: Callable[[Block], Array | int]
    low: int
    high: int

    @property
    def largest(self) -> int:
        """The largest size of a value."""
        return max(abs(self.low), abs(self.high))


def exact(star: Star, node: t.Aggregate, tree: t.Typed | None) -> Exact | None:
    """An aggregate's argument, read so; None where it has other parts than full columns of whole numbers of the grain, whole constants and
    their sums, differences and products. Cost: one look at all values of a column, kept for the next time."""
    match tree:
        case t.Const(value=int() as value) if not isinstance(value, bool):
            return Exact(lambda _: value, value, value)
        case t.ColumnValue() if tree.table == node.grain and tree.dtype == "integer":
            column = side_by_side(star, tree.table, tree.column)
            if not column.full():
                return None
            low, high = star.derive(("range", tree.table, tree.column), lambda: _range(column))
            return Exact(lambda block: whole_numbers(column, block), low, high)
        case t.Fold():
            return _folded(star, node, tuple(f.name for f in tree.functions), tree.arguments)
        case t.Apply():
            return _folded(star, node, (tree.function.name,), tree.arguments)
    return None


def side_by_side(star: Star, table: str, name: str) -> Column:
    """A full column; where its members are more than a processor's cache holds, and it is asked for again, with its values side by side in
    place of codes."""
    column = star.column(table, name)
    codes, members = column.codes, column.members
    if codes is None or members is None or len(members) <= MOST_CODED or column.dtype == "text" or not column.full():
        return column
    raw = star.derived.joined(table, ("side by side", name), lambda: np.take(narrow(members.data), codes))
    return column if raw is None else Column(column.dtype, column.size, None, None, raw, None)


def _folded(star: Star, node: t.Aggregate, names: tuple[str, ...], arguments: tuple[t.Typed, ...]) -> Exact | None:
    if not set(names) <= OPERATIONS.keys() or len(arguments) != len(names) + 1:
        return None
    whole = exact(star, node, arguments[0])
    for name, argument in zip(names, arguments[1:], strict=True):
        other = exact(star, node, argument)
        if whole is None or other is None:
            return None
        whole = _joined(OPERATIONS[name], whole, other)
    return whole


def _joined(operation: Callable[[Any, Any], Any], a: Exact, b: Exact) -> Exact | None:
    ends = [operation(x, y) for x in (a.low, a.high) for y in (b.low, b.high)]
    if max(map(abs, ends)) >= EXACT:
        return None
    return Exact(lambda block: operation(a.read(block), b.read(block)), min(ends), max(ends))


def _range(column: Column) -> tuple[int, int]:
    """The smallest and the largest value of a full column."""
    data = column.members.data[:-1] if column.members is not None else column.raw[:-1] if column.raw is not None else np.zeros(0, np.int64)
    return (int(data.min()), int(data.max())) if len(data) else (0, 0)


def whole_numbers(column: Column, block: Block) -> Array:
    """int64: the values of a full column at a block's rows."""
    from nexorem.core.engine import kernels as k

    span = slice(block.start, block.start + block.count)
    data = np.empty(block.count, np.int64)
    if column.codes is not None and column.members is not None:
        if block.rows is None:
            return np.asarray(column.members.data[column.codes[span]])
        k.gather_coded(column.codes, column.members.data, block.rows[: block.count], data)
        return data
    assert column.raw is not None
    if block.rows is None:
        data[:] = column.raw[span]
    else:
        k.gather(column.raw, block.rows[: block.count], data)
    return data
