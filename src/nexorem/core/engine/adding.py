"""What a scan adds up: the values of its blocks, to totals by group."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress

import numpy as np

from nexorem.core.columns import MOST_CODED, Column
from nexorem.core.diagnostics import CellError
from nexorem.core.engine.exact import exact, side_by_side
from nexorem.core.engine.row_values import row_values
from nexorem.core.engine.scalar import evaluate
from nexorem.core.engine.stages import Block, Totals
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import children
from nexorem.core.values import NO_WORDS, NUMERIC, STORAGE, Array, Vector

EXACT = 2.0**62


class Adder:
    """Adds the values of blocks to totals: `values` has sums, or lows, and `other` highs.

    `where` is what is left of the aggregate's own condition once its simple parts became selectors.
    """

    def __init__(self, star: Star, node: t.Aggregate, where: t.Typed | None) -> None:
        self.star, self.node, self.where = star, node, where
        argument = node.argument
        self.kind = argument.dtype if argument is not None else "integer"
        self.column: Column | None = None
        if isinstance(argument, t.ColumnValue) and argument.table == node.grain:
            self.column = side_by_side(star, argument.table, argument.column)
        self.extremes = node.function in ("min", "max")
        self.full = argument is None or (self.column is not None and self.column.full())
        self.counts_only = argument is None or (node.function == "count" and self.full)
        self._members: dict[int, tuple[Array, Vector] | None] = {}
        self.failed = False  # a row could not be computed: which cells that fails, the plain way knows
        self.counted = False  # how many rows each group has is known
        self.exact = exact(star, node, argument) if node.function in ("sum", "avg") and self.kind == "integer" else None
        self.full = self.full or self.exact is not None
        self.bounded = self.exact is not None and self.exact.largest * star.size(node.grain) < EXACT

    def empty(self, groups: int) -> Totals:
        """Totals of nothing."""
        data = np.float64 if self.kind == "number" else np.int64
        rows, filled = np.zeros(groups, np.int64), np.zeros(groups, np.int64)
        if not self.extremes:
            return Totals(rows, filled, np.zeros(groups, data), rows)
        top, bottom = (np.inf, -np.inf) if self.kind == "number" else (np.iinfo(np.int64).max, np.iinfo(np.int64).min)
        return Totals(rows, filled, np.full(groups, top, data), np.full(groups, bottom, data))

    def __call__(self, block: Block, totals: Totals) -> None:
        from nexorem.core.engine import kernels as k

        if self.where is not None:
            block = self._kept(block)
        if not block.count:
            return
        groups = block.groups[: block.count]
        if self.counts_only:
            k.count_groups(groups, totals.rows)
            return
        data, valid = self._values(block)
        if self.kind == "integer" and not self.extremes and not self.bounded and len(data):
            totals.largest = max(totals.largest, abs(float(data.max())), abs(float(data.min())))
        if self.extremes:
            full = np.ones(block.count, bool) if valid is None else valid
            k.extremes(data, full, groups, totals.values, totals.other, totals.rows, totals.filled)
        elif valid is None and self.counted:
            k.add_sums(data, groups, totals.values)
        elif valid is None:
            k.add_values(data, groups, totals.values, totals.rows)
        else:
            k.add_valid(data, valid, groups, totals.values, totals.rows, totals.filled)

    def _kept(self, block: Block) -> Block:
        assert self.where is not None
        rows = block.numbers()
        held = widen(row_values(self.star, self.node, self.where, rows), "boolean")
        self.failed |= held.failed is not None
        true = np.flatnonzero(held.true())
        return Block(rows[true].astype(np.uint32), block.start, len(true), block.groups[: block.count][true])

    def _leaf(self, block: Block) -> Callable[[t.Typed], Vector | None]:
        """The columns of a block's rows, those of the grain itself read in compiled loops."""
        looked_up: dict[str, Array] = {}

        def leaf(node: t.Typed) -> Vector | None:
            if not isinstance(node, t.ColumnValue):
                known = self._by_member(node)
                return None if known is None else _at_members(*known, block)
            column = self.star.column(node.table, node.column)
            if node.table == self.node.grain and column.full():
                if block.rows is None:
                    return run_of(column, block.start, block.count)
                return gathered(column, block.rows[: block.count])
            if node.table not in looked_up:
                looked_up[node.table] = self.star.partner_along(self.node.lookups[node.table], block.numbers())
            return column.take(looked_up[node.table])

        return leaf

    def _by_member(self, node: t.Typed) -> tuple[Array, Vector] | None:
        """What a tree over one column of the grain comes to at each of its few members, and their codes; None for any other tree."""
        key = id(node)
        if key not in self._members:
            self._members[key] = self._found_by_member(node)
        return self._members[key]

    def _found_by_member(self, node: t.Typed) -> tuple[Array, Vector] | None:
        columns = columns_alone(node)
        if columns is None or len(columns) != 1:
            return None
        table, name = next(iter(columns))
        column = self.star.column(table, name)
        if table != self.node.grain or column.codes is None or column.members is None or len(column.members) > MOST_CODED:
            return None
        members = column.members
        with suppress(CellError):  # a row may be none of those for which it cannot be computed
            return column.codes, evaluate(node, lambda x: members if isinstance(x, t.ColumnValue) else None, len(members))
        return None

    def _values(self, block: Block) -> tuple[Array, Array | None]:
        """The values of a block, and where they are valid; None where all are."""
        from nexorem.core.engine import kernels as k

        column = self.column
        if column is None and self.exact is not None and not isinstance(data := self.exact.read(block), int):
            return data, None
        if column is None or not self.full:
            assert self.node.argument is not None
            values = widen(evaluate(self.node.argument, self._leaf(block), block.count), self.kind)
            self.failed |= values.failed is not None
            return values.data, values.valid
        if column.raw is not None:
            if block.rows is None:
                return column.raw[block.start : block.start + block.count], None
            data = np.empty(block.count, column.raw.dtype)
            k.gather(column.raw, block.rows[: block.count], data)
            return data, None
        assert column.codes is not None and column.members is not None
        data = np.empty(block.count, column.members.data.dtype)
        if block.rows is None:
            k.coded(column.codes[block.start : block.start + block.count], column.members.data, data)
            return data, None
        k.gather_coded(column.codes, column.members.data, block.rows[: block.count], data)
        return data, None

    def together(self, parts: Sequence[Totals]) -> Totals:
        """The totals of all threads as one."""
        first = parts[0]
        for part in parts[1:]:
            first.rows += part.rows
            first.filled += part.filled
            if self.extremes:
                np.minimum(first.values, part.values, out=first.values)
                np.maximum(first.other, part.other, out=first.other)
            else:
                first.values += part.values
            first.largest = max(first.largest, part.largest)
        if self.full:
            first.filled = first.rows
        return first


def columns_alone(node: t.Typed) -> set[tuple[str, str]] | None:
    """The columns of a tree that is computed from columns and constants alone; None for any other."""
    if isinstance(node, t.ColumnValue):
        return {(node.table, node.column)}
    if isinstance(node, t.Const):
        return set()
    if not isinstance(node, t.Apply | t.Fold | t.Cases | t.Member):
        return None
    parts = [columns_alone(child) for child in children(node)]
    return None if any(part is None for part in parts) else {c for part in parts for c in part or ()}


def _at_members(codes: Array, known: Vector, block: Block) -> Vector:
    """What is known of each member, at a block's rows."""
    from nexorem.core.engine import kernels as k

    rows = None if block.rows is None else block.rows[: block.count]
    mine = codes[block.start : block.start + block.count] if rows is None else codes[rows]
    # No row is the last, the unmatched one.
    if known.dtype not in NUMERIC or known.failed is not None or not known.valid[:-1].all():
        return known.take(mine)
    data = np.empty(block.count, STORAGE[known.dtype])
    k.coded(mine, known.data, data)
    return Vector(known.dtype, data, np.ones(block.count, bool))


def run_of(column: Column, start: int, count: int) -> Vector:
    """The values of rows that follow one another, of a column that has no empty ones."""
    from nexorem.core.engine import kernels as k

    every = np.ones(count, bool)
    if column.codes is None or column.members is None:
        assert column.raw is not None
        return Vector(column.dtype, column.raw[start : start + count].astype(STORAGE[column.dtype], copy=False), every)
    data = np.empty(count, STORAGE[column.dtype])
    k.coded(column.codes[start : start + count], column.members.data, data)
    return Vector(column.dtype, data, every, column.members.words)


def gathered(column: Column, rows: Array) -> Vector:
    """The values of a column that has no empty ones; rows uint32."""
    from nexorem.core.engine import kernels as k

    data = np.empty(len(rows), STORAGE[column.dtype])
    if column.codes is not None and column.members is not None:
        k.gather_coded(column.codes, column.members.data, rows, data)
    else:
        assert column.raw is not None
        k.gather(column.raw, rows, data)
    words = column.members.words if column.members is not None else NO_WORDS
    return Vector(column.dtype, data, np.ones(len(rows), bool), words)
