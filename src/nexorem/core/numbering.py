"""Distinct whole numbers, and the number of each among them: by counting where they lie close together, else by one sort of numbers that
carry their places along. A library's own way sorts places, or hashes, which takes several times as long."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

Numbers = np.ndarray[Any, Any]

CLOSE = 65_536  # places more than four times the numbers that are counted
FEW = 10_000  # different values, which are found quickly
LOOKED_AT = 4_096  # numbers at the front that mostly tell whether all are ascending


def distinct(values: Numbers) -> Numbers:
    """The different ones of some whole numbers, ascending, of their type."""
    if not len(values):
        return values[:0]
    low, span = _span(values)
    if span <= 4 * len(values) + CLOSE:
        seen = np.zeros(span, bool)
        seen[values - low if low else values] = True
        return (np.flatnonzero(seen) + low).astype(values.dtype)
    return distinct_any(values)


def distinct_any(values: Numbers) -> Numbers:
    """`distinct` of any values that have an order, texts too. A library's own way imports masked arrays, which commands would wait for."""
    ordered = np.sort(values)
    return ordered[_begins(ordered)]


def numbered(values: Numbers) -> tuple[Numbers, Numbers]:
    """The different ones of some whole numbers, ascending, and int64[n]: the place of each among them."""
    if not len(values):
        return values[:0], np.zeros(0, np.int64)
    low, span = _span(values)
    if span <= 4 * len(values) + CLOSE:
        seen = np.zeros(span, bool)
        own = values - low if low else values
        seen[own] = True
        return (np.flatnonzero(seen) + low).astype(values.dtype), (np.cumsum(seen) - 1)[own]
    index, firsts = firsts_of(values)
    return values[firsts], index


def firsts_of(values: Numbers) -> tuple[Numbers, Numbers]:
    """int64[n]: the place of each of some whole numbers among the different ones, ascending, and for each of these where it comes first."""
    if not len(values):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    low, span = _span(values)
    bits = max(len(values) - 1, 1).bit_length()
    if (span - 1).bit_length() + bits > 63:
        _, firsts, index = np.unique(values, return_index=True, return_inverse=True)
        return index.astype(np.int64).reshape(-1), firsts.astype(np.int64)
    # Each carries its place in its lowest bits: equal ones stay in their order, and nothing but numbers is sorted.
    both = np.subtract(values, low, dtype=np.int64)
    both <<= bits
    both |= np.arange(len(values))
    both.sort()
    places = both & ((1 << bits) - 1)
    both >>= bits
    begins = _begins(both)
    index = np.empty(len(values), np.int64)
    index[places] = np.cumsum(begins) - 1
    return index, places[begins]


def numbered_floats(values: Numbers) -> tuple[Numbers, Numbers]:
    """`numbered` of other values than whole numbers; a few different ones are looked up, not sorted with their places."""
    found = distinct_any(values)
    if len(found) <= FEW:
        return found, np.searchsorted(found, values)
    different, index = np.unique(values, return_inverse=True)
    return different, index.reshape(-1)


def is_ascending(values: Numbers) -> bool:
    """Whether none is less than the one before it. Costs a look at the first few where these tell."""
    first = values[:LOOKED_AT]
    return not (first[1:] < first[:-1]).any() and not (values[1:] < values[:-1]).any()


def numbered_ascending(values: Numbers) -> tuple[Numbers, Numbers]:
    """`firsts_of` numbers that are ascending already: nothing is sorted."""
    begins = _begins(values)
    return np.cumsum(begins) - 1, np.flatnonzero(begins)


def _span(values: Numbers) -> tuple[int, int]:
    low = int(values.min())
    return low, int(values.max()) - low + 1


def _begins(ordered: Numbers) -> Numbers:
    """bool: where another number begins than the one before."""
    begins = np.empty(len(ordered), bool)
    begins[:1] = True
    np.not_equal(ordered[1:], ordered[:-1], out=begins[1:])
    return begins


@lru_cache(maxsize=64)
def spread_out(count: int, most: int) -> Numbers:
    """int64: of so many places at most so many, ascending, each once, as far from each other as they can be. Kept: not to be written
    to."""
    places = np.arange(count) if count <= most else np.linspace(0, count - 1, most).astype(np.int64)
    places.flags.writeable = False
    return places
