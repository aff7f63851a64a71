"""Compiled loops over blocks of rows. Without branches where it pays, without the interpreter's lock; each is compiled
once for the widths it meets and kept on disk. The stages of a scan are: mask, row numbers, groups, sums.

Row numbers and groups are unsigned, for then no index can be negative and none is checked for it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from nexorem.core.values import Array

ONE = np.uint64(1)
Loop = TypeVar("Loop", bound=Callable[..., Any])


def compiled(loop: Loop) -> Loop:
    """A loop as machine code."""
    return cast(Loop, njit(nogil=True, cache=True, boundscheck=False)(loop))


@intrinsic
def lowest_bit(_context: Any, _word: Any) -> Any:
    """The place of the lowest bit that is set in a word that is not zero."""

    def generate(_codegen: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.cttz(arguments[0], ir.Constant(ir.IntType(1), 1))

    return types.uint64(types.uint64), generate


@compiled
def _run_through(starts: Array, picked: Array, places: Array) -> None:
    at = 0
    for i in range(len(picked)):
        for place in range(starts[picked[i]], starts[picked[i] + 1]):
            places[at] = place
            at += 1


def run_through(starts: Array, picked: Array, total: int) -> Array:
    """int64 [total]: for each picked i the places from starts[i] up to starts[i + 1], one after the other."""
    places = np.empty(total, np.int64)
    _run_through(np.ascontiguousarray(starts, np.int64), np.ascontiguousarray(picked, np.int64), places)
    return places


@compiled
def within(codes: Array, low: Any, high: Any, mask: Array) -> None:
    """mask[i]: is a code from `low` to `high`, which are of its width."""
    for i in range(len(codes)):
        mask[i] = (codes[i] >= low) & (codes[i] <= high)


@compiled
def and_within(codes: Array, low: Any, high: Any, mask: Array) -> None:
    """The same where the mask is set already; elsewhere it stays unset."""
    for i in range(len(codes)):
        mask[i] = mask[i] & (codes[i] >= low) & (codes[i] <= high)


@compiled
def or_within(codes: Array, low: Any, high: Any, mask: Array) -> None:
    """The same where the mask is not set; elsewhere it stays set."""
    for i in range(len(codes)):
        mask[i] = mask[i] | ((codes[i] >= low) & (codes[i] <= high))


@compiled
def and_kept(codes: Array, keep: Array, mask: Array) -> None:
    """Unsets the mask where the code is not kept."""
    for i in range(len(codes)):
        mask[i] = mask[i] & (keep[codes[i]] != 0)


@compiled
def set_aside(mask: Array, last: int, groups: Array) -> None:
    """Puts rows that are not in the mask into the last group."""
    for i in range(len(mask)):
        groups[i] = groups[i] if mask[i] else last


@compiled
def bit_rows(words: Array, start: int, rows: Array) -> int:
    """Row numbers, counted from `start`, of the bits that are set; the first row is the lowest bit of the first word."""
    kept = 0
    for w in range(len(words)):
        word = words[w]
        base = start + 64 * w
        while word != 0:
            rows[kept] = base + lowest_bit(word)  # type: ignore[call-arg]
            word &= word - ONE
            kept += 1
    return kept


@compiled
def kept_rows(codes: Array, keep: Array, start: int, rows: Array) -> int:
    """Row numbers, counted from `start`, whose code is kept; `rows` has a place to spare. Returns how many."""
    count = 0
    for i in range(len(codes)):
        rows[count] = start + i
        count += keep[codes[i]]
    return count


@compiled
def fewer_rows(codes: Array, keep: Array, rows: Array, count: int, flags: Array) -> int:
    """Of the first `count` row numbers those whose code is kept, in place; `flags` uint8 is for its own use.

    The codes are read in a loop of their own: there many of them can be on their way from memory at once.
    """
    for i in range(count):
        flags[i] = keep[codes[rows[i]]]
    left = 0
    for i in range(count):
        rows[left] = rows[i]
        left += flags[i]
    return left


@compiled
def add_offsets(codes: Array, offsets: Array, rows: Array, groups: Array) -> None:
    """Adds to the group of each row number what its code stands for."""
    for i in range(len(rows)):
        groups[i] += offsets[codes[rows[i]]]


@compiled
def add_offsets_all(codes: Array, offsets: Array, groups: Array) -> None:
    """The same for rows that follow one another."""
    for i in range(len(codes)):
        groups[i] += offsets[codes[i]]


@compiled
def gather(values: Array, rows: Array, gathered: Array) -> None:
    """The values of row numbers."""
    for i in range(len(rows)):
        gathered[i] = values[rows[i]]


@compiled
def gather_coded(codes: Array, members: Array, rows: Array, gathered: Array) -> None:
    """The values of row numbers, by their codes."""
    for i in range(len(rows)):
        gathered[i] = members[codes[rows[i]]]


@compiled
def coded(codes: Array, members: Array, values: Array) -> None:
    """The values that codes stand for."""
    for i in range(len(codes)):
        values[i] = members[codes[i]]


@compiled
def count_groups(groups: Array, counts: Array) -> None:
    """Rows by group."""
    for i in range(len(groups)):
        counts[groups[i]] += 1


@compiled
def add_values(values: Array, groups: Array, sums: Array, counts: Array) -> None:
    """Sums and counts by group."""
    for i in range(len(values)):
        group = groups[i]
        sums[group] += values[i]
        counts[group] += 1


@compiled
def add_sums(values: Array, groups: Array, sums: Array) -> None:
    """Sums by group."""
    for i in range(len(values)):
        sums[groups[i]] += values[i]


@compiled
def add_valid(values: Array, valid: Array, groups: Array, sums: Array, counts: Array, filled: Array) -> None:
    """Sums, rows and filled rows by group; an entry that is not valid adds nothing."""
    for i in range(len(values)):
        group = groups[i]
        counts[group] += 1
        if valid[i]:
            sums[group] += values[i]
            filled[group] += 1


@compiled
def extremes(values: Array, valid: Array, groups: Array, low: Array, high: Array, counts: Array, filled: Array) -> None:
    """Smallest and largest by group."""
    for i in range(len(values)):
        group = groups[i]
        counts[group] += 1
        if valid[i]:
            value = values[i]
            filled[group] += 1
            low[group] = min(low[group], value)
            high[group] = max(high[group], value)


@compiled
def count_new(keys: Array, groups: Array, none: int, last: Array, rows: Array) -> None:
    """Distinct keys by group, where equal keys stand together; `none` is the key of an empty value."""
    for i in range(len(keys)):
        group = groups[i]
        key = keys[i]
        if last[group] != key:
            last[group] = key
            rows[group] += key != none


@compiled
def count_changes(keys: Array, groups: Array, none: int, last: Array, rows: Array, counts: Array) -> None:
    """The same, with the rows by group."""
    for i in range(len(keys)):
        group = groups[i]
        key = keys[i]
        counts[group] += 1
        if key != none and last[group] != key:
            last[group] = key
            rows[group] += 1
