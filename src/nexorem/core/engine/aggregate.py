"""Aggregates over the visible rows of a table, for all contexts of a batch in one pass over the rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.context import Batch, Filter, classes, each_member
from nexorem.core.engine.scalar import evaluate, inner_nodes
from nexorem.core.engine.visibility import Assignment, Selector, assign, ranges, selectors
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import ROWS, Star
from nexorem.core.values import NUMERIC, Array, Vector, combine, empties

Inner = Callable[[t.InRow, Batch], Vector]


@dataclass(frozen=True, slots=True, eq=False)
class Rows:
    """What is aggregated: an entry each, with its group. `values` is None for `rows`."""

    groups: Array
    count: int
    values: Vector | None


def row_values(star: Star, node: t.Aggregate, tree: t.Typed, rows: Array, inner: Callable[[t.InRow], Vector] | None = None) -> Vector:
    """A row-shaped tree at these rows of the grain."""
    looked_up: dict[str, Array] = {}

    def leaf(found: t.Typed) -> Vector | None:
        if isinstance(found, t.ColumnValue):
            if found.table not in looked_up:
                looked_up[found.table] = star.partner_along(node.lookups[found.table], rows)
            return star.column(found.table, found.column).take(looked_up[found.table])
        if isinstance(found, t.InRow):
            assert inner
            return inner(found)
        return None

    return evaluate(tree, leaf, len(rows))


def aggregate(star: Star, node: t.Aggregate, batch: Batch, budget: Budget, inner: Inner) -> Vector:
    """The aggregate's value in each context of the batch; `inner` evaluates what stands in a row's context."""
    found = selectors(star, star.inflow(node.grain, node.state), batch.filters, budget)
    rows = np.arange(star.size(node.grain))
    if inner_nodes(node.argument) or inner_nodes(node.where):
        return _with_inner(star, node, batch, budget, inner, rows)
    combinations, index, _ = classes([s.index for s in found], batch.size)
    if node.where is not None:
        rows = np.flatnonzero(widen(row_values(star, node, node.where, rows), "boolean").true())
    values = row_values(star, node, node.argument, rows) if node.argument is not None else None
    place = np.full(star.size(node.grain), -1, dtype=np.int64)
    place[rows] = np.arange(len(rows))
    results = empties(node.dtype, len(combinations))
    for part in assign(star, found, combinations, rows, budget):
        picked = values.take(place[part.rows]) if values is not None else None
        results = _merged(results, _reduced(node, part, picked, len(combinations), budget))
    return results.take(index)


def _with_inner(star: Star, node: t.Aggregate, batch: Batch, budget: Budget, inner: Inner, rows: Array) -> Vector:
    """Row by row in each context: the inner nodes are evaluated in one batch of (context, row) pairs."""
    combinations, index, firsts = classes([f.index for f in batch.filters], batch.size)
    outer = batch.at(firsts)
    found = selectors(star, star.inflow(node.grain, node.state), outer.filters, budget)
    owners, members = visible_pairs(star, found, outer.size, rows, budget)
    budget.take(len(owners), 64 + 16 * len(batch.filters), "Running over the rows of every cell")
    each = Filter(node.grain, ROWS, each_member(star.size(node.grain) + 1), members, "row")
    pairs = outer.at(owners).adding(each)

    def in_row(leaf: t.InRow) -> Vector:
        return inner(leaf, pairs)

    keep = np.ones(len(members), bool)
    if node.where is not None:
        keep = widen(row_values(star, node, node.where, members, in_row), "boolean").true()
    values = row_values(star, node, node.argument, members, in_row).take(np.flatnonzero(keep)) if node.argument is not None else None
    part = Rows(owners[keep], len(combinations), values)
    return reduce_rows(node.function, node.dtype, node.distinct, part).take(index)


def visible_pairs(star: Star, found: Sequence[Selector], size: int, rows: Array, budget: Budget) -> tuple[Array, Array]:
    """(context, row) for every visible row of each of `size` contexts, by context, then row."""
    combinations, index, _ = classes([s.index for s in found], size)
    owners, members = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    for part in assign(star, found, combinations, rows, budget):
        order = np.argsort(part.groups, kind="stable")
        starts = np.searchsorted(part.groups[order], np.arange(len(part.group_firsts) + 1))
        repeats, at = ranges(starts, part.pair_groups, budget)
        owners.append(np.repeat(part.pair_classes, repeats))
        members.append(part.rows[order[at]])
    by_class, listed = np.concatenate(owners), np.concatenate(members)
    order = np.lexsort((listed, by_class))
    by_class, listed = by_class[order], listed[order]
    # From classes of equal selectors back to the contexts themselves.
    starts = np.searchsorted(by_class, np.arange(len(combinations) + 1))
    repeats, at = ranges(starts, index, budget)
    return np.repeat(np.arange(size), repeats), listed[at]


def _merged(a: Vector, b: Vector) -> Vector:
    """Two results whose valid places do not overlap; they share one dictionary or one has none."""
    words = b.words if len(b.words) else a.words
    return Vector(a.dtype, np.where(b.valid, b.data, a.data), a.valid | b.valid, words)


def _reduced(node: t.Aggregate, part: Assignment, values: Vector | None, count: int, budget: Budget) -> Vector:
    """Aggregates the rows of one assignment to its classes; rows are reduced to groups before groups are spread."""
    groups = len(part.group_firsts)
    if _one_to_one(part, groups):
        target = np.full(groups, -1, dtype=np.int64)
        target[part.pair_groups] = part.pair_classes
        owner = target[part.groups]
        keep = np.flatnonzero(owner >= 0)
        kept = values.take(keep) if values is not None else None
        return reduce_rows(node.function, node.dtype, node.distinct, Rows(owner[keep], count, kept))
    if node.distinct and values is not None:
        return _distinct_spread(part, values, count, budget)
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
    owners, found = np.repeat(part.pair_classes, repeats), codes[at]
    return _count_distinct(owners, found, size, count)


def _count_distinct(owners: Array, codes: Array, size: int, count: int) -> Vector:
    present = np.bincount(owners, minlength=count) > 0
    real = codes < size
    _, firsts = combine([(owners[real], count), (codes[real], size)])
    return Vector("integer", np.bincount(owners[real][firsts], minlength=count), present)


def _partials(node: t.Aggregate, rows: Rows) -> dict[str, Vector]:
    """What is needed of each group so that groups can be put together: its rows, count, sum or extreme."""
    found = {"rows": reduce_rows("rows", "integer", False, Rows(rows.groups, rows.count, None))}
    if rows.values is None:
        return found
    found["count"] = reduce_rows("count", "integer", False, rows)
    if node.function in ("sum", "avg"):
        kind = rows.values.dtype if rows.values.dtype in NUMERIC else "number"
        found["sum"] = reduce_rows("sum", kind, False, rows)
    elif node.function in ("min", "max"):
        found[node.function] = reduce_rows(node.function, node.dtype, False, rows)
    return found


def _combined(node: t.Aggregate, partial: dict[str, Vector], part: Assignment, count: int) -> Vector:
    def spread(name: str, function: str) -> Vector:
        picked = partial[name].take(part.pair_groups)
        return reduce_rows(function, picked.dtype, False, Rows(part.pair_classes, count, picked))

    if node.function == "rows":
        return spread("rows", "sum")
    if node.function == "count":
        return spread("count", "sum")
    if node.function == "avg":
        total, items = widen(spread("sum", "sum"), "number"), spread("count", "sum")
        return _divided(total, items.data)
    return widen(spread(node.function, node.function), node.dtype)


def _divided(total: Vector, items: Array) -> Vector:
    with np.errstate(all="ignore"):
        return Vector("number", total.data / items, total.valid & (items > 0))


def reduce_rows(function: str, dtype: str, distinct: bool, rows: Rows) -> Vector:
    """One of the aggregate functions, by group: a vector of `rows.count` entries.

    A group without rows is empty; one whose values are all empty is 0 for count and empty for the rest.
    """
    values = rows.values
    if values is None:
        found = np.bincount(rows.groups, minlength=rows.count)
        return Vector("integer", found, found > 0)
    if distinct:
        codes, size = values.codes()
        return _count_distinct(rows.groups, codes, size, rows.count)
    if function == "count":
        present = np.bincount(rows.groups, minlength=rows.count) > 0
        return Vector("integer", np.bincount(rows.groups[values.valid], minlength=rows.count), present)
    if values.dtype == "null":
        return empties(dtype, rows.count)
    groups, data = rows.groups[values.valid], values.data[values.valid]
    counts = np.bincount(groups, minlength=rows.count)
    if function in ("min", "max"):
        return widen(_extreme(function, values, groups, data, counts), dtype)
    if function == "avg":
        return _divided(widen(_sum("number", groups, data.astype(np.float64), counts), "number"), counts)
    return widen(_sum(values.dtype, groups, data, counts), dtype)


def _extreme(function: str, values: Vector, groups: Array, data: Array, counts: Array) -> Vector:
    op = np.minimum if function == "min" else np.maximum
    found = np.zeros(len(counts), dtype=data.dtype)
    if len(data):
        found[groups] = data  # any value of the group to start from
        op.at(found, groups, data)
    return Vector(values.dtype, found, counts > 0, values.words)


def _sum(dtype: str, groups: Array, data: Array, counts: Array) -> Vector:
    """Whole numbers are added exactly: in doubles where 53 bits hold every possible sum, else in 64 bits."""
    near = np.bincount(groups, weights=data, minlength=len(counts))
    if dtype == "number":
        return Vector("number", near, (counts > 0) & np.isfinite(near))
    if float(np.abs(data.astype(np.float64)).max(initial=0.0)) * len(data) < 2.0**53:
        return Vector("integer", near.astype(np.int64), counts > 0)
    exact = np.zeros(len(counts), np.int64)
    np.add.at(exact, groups, data)
    # Beyond 64 bits the exact sum wraps round, and is far from the same sum in doubles.
    if (np.abs(near - exact.astype(np.float64)) > 2.0**62).any():
        raise CellError("overflow", "A sum of whole numbers grew beyond 64 bits.")
    return Vector("integer", exact, counts > 0)
