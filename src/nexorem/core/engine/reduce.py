"""Aggregate functions over entries in groups."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nexorem.core.functions.convert import widen
from nexorem.core.limits import Budget
from nexorem.core.numbering import distinct
from nexorem.core.values import Array, Vector, combine, empties, encode, faults, keys_of, worst


@dataclass(frozen=True, slots=True, eq=False)
class Rows:
    """What is aggregated: an entry each, with its group. `values` is None for `rows`; `failed` has the faults of entries whose own
    condition could not be computed."""

    groups: Array
    count: int
    values: Vector | None
    failed: Array | None = None

    def failed_groups(self) -> Array | None:
        """uint8[count]: the faults of the groups that have an entry which failed."""
        return spread_faults(worst(self.failed, self.values.failed if self.values is not None else None), self.groups, self.count)


def spread_faults(failed: Array | None, owners: Array, count: int) -> Array | None:
    """uint8[count]: the worst of the faults of entries, by owner."""
    if failed is None:
        return None
    worst_of = np.zeros(count, np.uint8)
    np.maximum.at(worst_of, owners, failed)
    return worst_of


def count_distinct(owners: Array, codes: Array, size: int, count: int) -> Vector:
    """How many codes below `size` each owner has; empty for an owner without entries."""
    present = np.bincount(owners, minlength=count) > 0
    real = codes < size
    if not real.all():
        owners, codes = owners[real], codes[real]
    key = keys_of([(owners, count), (codes, size)])
    if key is None:
        _, firsts = combine([(owners, count), (codes, size)])
        of = owners[firsts]
    else:  # which rows they are in nobody asks
        of = distinct(key) // (size + 1)
    return Vector("integer", np.bincount(of, minlength=count), present)


def reduce_rows(function: str, dtype: str, distinct: bool, rows: Rows, extra: Vector | None = None, budget: Budget | None = None) -> Vector:
    """One of the aggregate functions, by group: a vector of `rows.count` entries.

    `extra` is percentile's share or listagg's separator, one a group.

    A group without rows is empty; one whose values are all empty is 0 for count and empty for the rest; one with a failed value has failed.
    """
    return _reduced(function, dtype, distinct, rows, extra, budget or Budget()).failing(rows.failed_groups())


def _reduced(function: str, dtype: str, distinct: bool, rows: Rows, extra: Vector | None, budget: Budget) -> Vector:
    values = rows.values
    if values is None:
        reduced = np.bincount(rows.groups, minlength=rows.count)
        return Vector("integer", reduced, reduced > 0)
    if distinct:
        codes, size = values.codes()
        return count_distinct(rows.groups, codes, size, rows.count)
    if function == "count":
        present = np.bincount(rows.groups, minlength=rows.count) > 0
        return Vector("integer", np.bincount(rows.groups[values.valid], minlength=rows.count), present)
    if values.dtype == "null":
        return empties(dtype, rows.count)
    groups, data = rows.groups[values.valid], values.data[values.valid]
    counts = np.bincount(groups, minlength=rows.count)
    if function in ("min", "max"):
        return widen(_extreme(function, values, groups, data, counts), dtype)
    if function in ("median", "percentile"):
        share = extra if function == "percentile" and extra is not None else None
        return _percentile(groups, data.astype(np.float64), counts, share)
    if function == "stddev":
        return _stddev(groups, data.astype(np.float64), counts)
    if function == "listagg":
        return _listagg(groups, data, values.words, counts, extra, budget)
    if function == "avg":
        return divided(widen(_sum("number", groups, data.astype(np.float64), counts), "number"), counts)
    return widen(_sum(values.dtype, groups, data, counts), dtype)


def _extreme(function: str, values: Vector, groups: Array, data: Array, counts: Array) -> Vector:
    op = np.minimum if function == "min" else np.maximum
    extremes = np.zeros(len(counts), dtype=data.dtype)
    if len(data):
        extremes[groups] = data  # any value of the group to start from
        op.at(extremes, groups, data)
    return Vector(values.dtype, extremes, counts > 0, values.words)


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
    wrong = faults("overflow", np.abs(near - exact.astype(np.float64)) > 2.0**62)
    return Vector("integer", exact, counts > 0).failing(wrong)


def divided(total: Vector, items: Array) -> Vector:
    """A mean from a sum and a count."""
    with np.errstate(all="ignore"):
        return Vector("number", total.data / items, total.valid & (items > 0))


def _percentile(groups: Array, data: Array, counts: Array, share: Vector | None) -> Vector:
    """Interpolated between the two nearest values in order, as SQL's percentile_cont; outside 0 to 1 it is empty."""
    order = np.lexsort((data, groups))
    ordered = data[order]
    starts = np.cumsum(counts) - counts
    at = np.full(len(counts), 0.5) if share is None else widen(share, "number").data
    valid = (counts > 0) & (True if share is None else share.valid & (at >= 0) & (at <= 1))
    place = np.where(valid, at * (counts - 1), 0.0)
    low = np.floor(place).astype(np.int64)
    high = np.ceil(place).astype(np.int64)
    percentiles = np.zeros(len(counts))
    if len(ordered):
        below = ordered[np.where(valid, starts + low, 0)]
        above = ordered[np.where(valid, starts + high, 0)]
        percentiles = np.where(low == high, below, below + (place - low) * (above - below))
    return Vector("number", percentiles, valid)


def _stddev(groups: Array, data: Array, counts: Array) -> Vector:
    """The sample's standard deviation, in two passes; of one value it is empty."""
    size = len(counts)
    with np.errstate(all="ignore"):
        mean = np.bincount(groups, weights=data, minlength=size) / counts
        squares = np.bincount(groups, weights=(data - mean[groups]) ** 2, minlength=size)
        deviations = np.sqrt(squares / (counts - 1))
    return Vector("number", deviations, (counts > 1) & np.isfinite(deviations))


def _listagg(groups: Array, data: Array, words: Array, counts: Array, between: Vector | None, budget: Budget) -> Vector:
    """The texts of each group in ascending order, repeats kept; empty where there is nothing to put between them."""
    order = np.lexsort((data, groups))
    ordered = data[order]
    ends = np.cumsum(counts)
    texts = np.full(len(counts), "", dtype=object)
    valid = counts > 0
    long = np.zeros(len(counts), bool)
    for group in np.flatnonzero(valid):
        budget.check()
        separator = between.at(int(group)) if between is not None else ""
        if separator is None:
            valid[group] = False
            continue
        parts = words[ordered[ends[group] - counts[group] : ends[group]]]
        length = sum(map(len, parts)) + len(str(separator)) * (len(parts) - 1)
        long[group] = length > budget.limits.text_bytes
        if not long[group]:
            texts[group] = str(separator).join(parts)
    return encode(texts, valid & ~long).failing(faults("limit_text_bytes", long))
