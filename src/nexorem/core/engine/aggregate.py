"""Aggregates over the visible rows of a table, for all contexts of a batch in one pass over the rows."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from nexorem.core.engine.context import Batch, classes
from nexorem.core.engine.fast import Spread, counted, scanned, suits, suits_counting
from nexorem.core.engine.folding import folded
from nexorem.core.engine.reduce import Rows, count_distinct, divided, reduce_rows, spread_faults
from nexorem.core.engine.row_values import row_values
from nexorem.core.engine.rows import Around, Relation, over_rows, passing, relation, without_unmatched
from nexorem.core.engine.visibility import Assignment, Pattern, assign, assign_pattern, patterns, ranges, selectors
from nexorem.core.functions.arithmetic import alike
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.plan.tree import inner_nodes, table_rows
from nexorem.core.values import NUMERIC, Array, Vector, combine, constant, empties, same_words, worst

MOST_PAIRS = 200_000  # of context and row that a plan is kept ready for
BY_PARTS = ("rows", "count", "sum", "avg", "min", "max")


@dataclass(slots=True, eq=False)
class Setup:
    """What an aggregate does for the contexts of a batch, whatever the rows hold: how many classes of contexts there are, which one each
    is of, and the patterns of filters with their scans, kept once they were made."""

    batch: Batch
    count: int
    index: Array
    patterns: list[Pattern]
    scans: list[dict[str, Any]]


@dataclass(slots=True, eq=False)
class RowPairs:
    """The rows that an aggregate runs over in contexts that differ, a pair of context and row each; `batches` has the contexts of the pairs
    once they were asked for."""

    batch: Batch
    rows: Relation
    batches: list[Batch] = field(default_factory=list)


# By number of a step what it did before for the same contexts.
Ready = dict[int, Setup | RowPairs]


def setup_of(star: Star, node: t.Aggregate, batch: Batch, budget: Budget) -> Setup:
    """The filters of a batch's contexts over the rows of an aggregate, put in classes."""
    filters = selectors(star, star.inflow(node.grain, node.state), batch, budget)
    combinations, index, _ = classes([s.index for s in filters], batch.size)
    several = [folded(star, p, budget) for p in patterns(filters, combinations)]
    return Setup(batch, len(combinations), index, several, [{} for _ in several])


def aggregate(node: t.Aggregate, batch: Batch, around: Around, kept: Ready | None = None, number: int = 0) -> Vector:
    """The aggregate's value in each context of the batch. `kept` has by `number` what this step of this probe did before."""
    star, budget = around.star, around.budget
    extra = around.cells[id(node.extra)] if node.extra is not None else None
    varies = extra is not None and len(distinct_any(extra.codes()[0])) > 1
    if inner_nodes(node.argument) or inner_nodes(node.where) or varies:
        return _by_pairs(node, batch, around, {} if kept is None else kept, number)
    setup = kept.get(number) if kept is not None else None
    if not isinstance(setup, Setup) or not (setup.batch is batch or setup.batch.same(batch)):
        setup = setup_of(star, node, batch, budget)
        if kept is not None:
            kept[number] = setup
    count = setup.count
    results = empties(node.dtype, count)
    if extra is not None:
        extra = extra.take(np.zeros(count, np.int64)) if len(extra) else empties(extra.dtype, count)
    slow: _Slow | None = None
    cubes = around.cubes if around.cubes is not None else [] if len(setup.patterns) > 1 else None
    for i, (pattern, scans) in enumerate(zip(setup.patterns, setup.scans, strict=True)):
        budget.check()
        spread = None
        if suits(star, node):
            spread = _shared(node, i, around.sums)
            if spread is None:
                spread = scanned(star, node, pattern.selectors, pattern.wanted, budget, cubes, scans)
            if spread is not None and (key := _summed(node, i)) is not None:
                for known in (key, (None, *key[1:])):  # the rows of the groups are known of any column
                    if known not in around.sums or "sum" in spread.partial:
                        around.sums[known] = spread
        elif suits_counting(star, node):
            spread = counted(star, node, pattern.selectors, pattern.wanted, budget, scans)
        if spread is not None:
            own = replace(spread, pair_classes=pattern.members[spread.pair_classes])
            results = _merged(results, _combined(node, own.partial, own, count))
            continue
        slow = slow or _Slow(star, node)
        assigned = assign_pattern(star, pattern, slow.rows, budget)
        part = _reduced(node, assigned, slow.values_at(assigned.rows), count, extra, budget)
        results = _merged(results, part.failing(_failed_classes(assigned, slow.failed_at(assigned.rows), count)))
    return results.take(setup.index)


def _summed(node: t.Aggregate, pattern: int) -> tuple[object, ...] | None:
    """What an aggregate adds up, and where: others of the same contexts that add up the same need not look at the rows again. None where
    that is not plain to see."""
    plain = node.argument is None or isinstance(node.argument, t.ColumnValue)
    if not plain or node.where is not None or node.function in ("min", "max"):
        return None
    column = (node.argument.table, node.argument.column) if isinstance(node.argument, t.ColumnValue) else None
    return column, node.grain, node.state, pattern


def _shared(node: t.Aggregate, pattern: int, sums: Mapping[Hashable, Spread]) -> Spread | None:
    """What an aggregate before this one added up, where it is the same: any knows the rows, and sums go along with counts."""
    key = _summed(node, pattern)
    spread = sums.get(key) if key is not None else None
    return spread if spread is not None and (node.function not in ("sum", "avg") or "sum" in spread.partial) else None


class _Slow:
    """The rows that pass an aggregate's own condition, or for which it fails, and the values there."""

    def __init__(self, star: Star, node: t.Aggregate) -> None:
        self.rows = np.arange(star.size(node.grain))
        self.failed: Array | None = None
        if node.where is not None:
            condition = widen(row_values(star, node, node.where, self.rows), "boolean")
            self.rows = np.flatnonzero(condition.true() if condition.failed is None else condition.true() | (condition.failed > 0))
            self.failed = condition.take(self.rows).failed
        self.values = row_values(star, node, node.argument, self.rows) if node.argument is not None else None
        self.failed = worst(self.failed, self.values.failed if self.values is not None else None)
        self.place = np.full(star.size(node.grain), -1, dtype=np.int64)
        self.place[self.rows] = np.arange(len(self.rows))

    def values_at(self, rows: Array) -> Vector | None:
        """The values of some of the rows."""
        return replace(self.values, failed=None).take(self.place[rows]) if self.values is not None else None

    def failed_at(self, rows: Array) -> Array | None:
        """What failed of some of the rows."""
        return None if self.failed is None else self.failed[self.place[rows]]


def _failed_classes(part: Assignment, failed: Array | None, count: int) -> Array | None:
    """uint8[count]: the faults of the classes in which a row is visible that failed."""
    of_groups = spread_faults(failed, part.groups, len(part.group_firsts))
    return None if of_groups is None else spread_faults(of_groups[part.pair_groups], part.pair_classes, count)


def _by_pairs(node: t.Aggregate, batch: Batch, around: Around, kept: Ready, number: int) -> Vector:
    """Row by row in each context: the cell-shaped parts are evaluated in one batch of (context, row) pairs."""
    few, index, own = around.classes(batch)
    ready = kept.get(number)
    if not isinstance(ready, RowPairs) or not ready.batch.same(few):
        ready = RowPairs(few, without_unmatched(relation(table_rows(around.star.model, node), few, own, node.state)))
        if len(ready.rows) <= MOST_PAIRS:
            kept[number] = ready
    pairs, batches = ready.rows, ready.batches
    if node.where is not None:
        pairs, batches = passing(pairs, over_rows(node.where, pairs, few, own, node.state, batches), own), []
    values = over_rows(node.argument, pairs, few, own, node.state, batches) if node.argument is not None else None
    part = Rows(pairs.owners, few.size, values)
    extra = own.cells[id(node.extra)] if node.extra is not None else None
    return reduce_rows(node.function, node.dtype, node.distinct, part, extra, around.budget).failing(own.failed).take(index)


def single(node: t.Single, batch: Batch, around: Around) -> Vector:
    """`the` and `single`: the smallest and the largest member that is visible are one and the same."""
    star, budget = around.star, around.budget
    filters = selectors(star, star.inflow(node.table, node.state), batch, budget)
    combinations, index, _ = classes([s.index for s in filters], batch.size)
    codes = star.domain(node.table, (node.column,)).codes
    low, high = empties("integer", len(combinations)), empties("integer", len(combinations))
    for part in assign(star, filters, combinations, range(star.size(node.table)), budget):
        members = Vector("integer", codes[part.rows].astype(np.int64), np.ones(len(part.rows), bool))
        low = _merged(low, _spread(part, members, "min", len(combinations), budget))
        high = _merged(high, _spread(part, members, "max", len(combinations), budget))
    low, high = low.take(index), high.take(index)
    one = low.valid & (low.data == high.data)
    if node.test:
        return Vector("boolean", one, np.ones(batch.size, bool))
    domain = star.domain(node.table, (node.column,))
    value = star.column(node.table, node.column).take(domain.firsts[np.where(one, low.data, domain.size - 1)])
    default = around.cells[id(node.default)] if node.default is not None else constant(node.dtype, None, batch.size)
    return chosen(one, value, default, node.dtype)


def chosen(first: Array, a: Vector, b: Vector, dtype: str) -> Vector:
    """`a` where `first`, else `b`."""
    a, b = alike(a, b)
    return widen(Vector(a.dtype, np.where(first, a.data, b.data), np.where(first, a.valid, b.valid), a.words), dtype)


def _spread(part: Assignment, values: Vector, function: str, count: int, budget: Budget) -> Vector:
    """min or max of whole numbers for the classes of one assignment."""
    groups = reduce_rows(function, "integer", False, Rows(part.groups, len(part.group_firsts), values))
    return reduce_rows(function, "integer", False, Rows(part.pair_classes, count, groups.take(part.pair_groups)), budget=budget)


def _merged(a: Vector, b: Vector) -> Vector:
    """Two results whose valid and failed places do not overlap."""
    if a.dtype == "text":
        a, b = same_words([a, b])
    return Vector(a.dtype, np.where(b.valid, b.data, a.data), a.valid | b.valid, b.words, worst(a.failed, b.failed))


def _reduced(node: t.Aggregate, part: Assignment, values: Vector | None, count: int, extra: Vector | None, budget: Budget) -> Vector:
    """Aggregates the rows of one assignment to its classes; rows are reduced to groups before groups are spread."""
    groups = len(part.group_firsts)
    if _one_to_one(part, groups):
        target = np.full(groups, -1, dtype=np.int64)
        target[part.pair_groups] = part.pair_classes
        owner = target[part.groups]
        keep = np.flatnonzero(owner >= 0)
        kept = values.take(keep) if values is not None else None
        return reduce_rows(node.function, node.dtype, node.distinct, Rows(owner[keep], count, kept), extra, budget)
    if node.distinct and values is not None:
        return _distinct_spread(part, values, count, budget)
    if node.function not in BY_PARTS:
        assert values is not None
        order = np.argsort(part.groups, kind="stable")
        starts = np.searchsorted(part.groups[order], np.arange(groups + 1))
        repeats, at = ranges(starts, part.pair_groups, budget)
        spread = Rows(np.repeat(part.pair_classes, repeats), count, values.take(order[at]))
        return reduce_rows(node.function, node.dtype, False, spread, extra, budget)
    partial = _partials(node, Rows(part.groups, groups, values))
    return _combined(node, partial, part, count)


def _one_to_one(part: Assignment, groups: int) -> bool:
    return len(part.pair_groups) <= groups and np.bincount(part.pair_groups, minlength=groups).max(initial=0) <= 1


def _distinct_spread(part: Assignment, values: Vector, count: int, budget: Budget) -> Vector:
    """count(distinct) where a group is in several classes: its distinct values go to each of them."""
    codes, size = values.codes()
    _, firsts = combine([(part.groups, len(part.group_firsts)), (codes, size)])
    groups, codes = part.groups[firsts], codes[firsts]
    order = np.argsort(groups, kind="stable")
    groups, codes = groups[order], codes[order]
    starts = np.searchsorted(groups, np.arange(len(part.group_firsts) + 1))
    repeats, at = ranges(starts, part.pair_groups, budget)
    owners, distinct = np.repeat(part.pair_classes, repeats), codes[at]
    return count_distinct(owners, distinct, size, count)


def _partials(node: t.Aggregate, rows: Rows) -> dict[str, Vector]:
    """What is needed of each group so that groups can be put together: its rows, count, sum or extreme."""
    partials = {"rows": reduce_rows("rows", "integer", False, Rows(rows.groups, rows.count, None))}
    if rows.values is None:
        return partials
    partials["count"] = reduce_rows("count", "integer", False, rows)
    if node.function in ("sum", "avg"):
        # The mean of whole numbers is made in doubles: their sum may be beyond 64 bits where it is not.
        kind = rows.values.dtype if rows.values.dtype in NUMERIC and node.function == "sum" else "number"
        partials["sum"] = reduce_rows("sum", kind, False, replace(rows, values=widen(rows.values, kind)))
    elif node.function in ("min", "max"):
        partials[node.function] = reduce_rows(node.function, node.dtype, False, rows)
    return partials


def _combined(node: t.Aggregate, partial: dict[str, Vector], part: Assignment | Spread, count: int) -> Vector:
    def spread(name: str, function: str) -> Vector:
        picked = partial[name].take(part.pair_groups)
        return reduce_rows(function, picked.dtype, False, Rows(part.pair_classes, count, picked))

    if node.function == "rows":
        return spread("rows", "sum")
    if node.function == "count":
        return spread("count", "sum")
    if node.function == "avg":
        total, items = widen(spread("sum", "sum"), "number"), spread("count", "sum")
        return divided(total, items.data)
    return widen(spread(node.function, node.function), node.dtype)
