"""What a scan takes its rows through: blocks of them, the stages that let them pass, and the totals they go to."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

import numpy as np

from nexorem.core.engine.visibility import Selector
from nexorem.core.values import Array

MOST_RUNS = 4


@dataclass(frozen=True, slots=True, eq=False)
class Digit:
    """A selector's part in a scan. place int32[members]: the digit of a member, -1 where it does not pass; `size`
    digits, 1 for a selector that only filters."""

    selector: Selector
    place: Array
    size: int


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """Some rows at work: `rows` are their numbers, None for all from `start`. groups uint32[count]."""

    rows: Array | None
    start: int
    count: int
    groups: Array

    def numbers(self) -> Array:
        """The row numbers."""
        if self.rows is None:
            return np.arange(self.start, self.start + self.count)
        return self.rows[: self.count].astype(np.int64)


@dataclass(slots=True, eq=False)
class Totals:
    """Sums and the like by group: rows, filled rows, and in `values` what the aggregate adds up; `largest` is the
    largest size of a value that was added."""

    rows: Array
    filled: Array
    values: Array
    other: Array
    largest: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Stages:
    """listed: the row numbers that pass the most selective filter, None where they are not from an index · masked:
    filters whose members stand in a few runs, as (codes, first and last of each) · keeps: others, as (codes, keep
    uint8[members]) · offsets: (codes, offset uint32[members]) of the digits · joined: the group of each row, where that is kept."""

    listed: Array | None
    masked: list[tuple[Array, list[tuple[Any, Any]]]]
    keeps: list[tuple[Array, Array]]
    offsets: list[tuple[Array, Array]]
    joined: Array | None


Work = Callable[[Block, Totals], None]


def parts_of(digits: Sequence[Digit], places: Sequence[Array]) -> tuple[object, ...]:
    """Digits as a key: what they look at, and something for each member."""
    selectors = [d.selector for d in digits]
    return tuple((s.table, s.columns, s.chain, sha256(place.tobytes()).digest()) for s, place in zip(selectors, places, strict=True))


def runs_of(members: Array) -> list[tuple[int, int]]:
    """First and last of each run of members that follow one another; none where there are more than a few."""
    ends = np.flatnonzero(np.diff(members) > 1)
    if len(ends) >= MOST_RUNS:
        return []
    firsts, lasts = members[np.append(0, ends + 1)], members[np.append(ends, len(members) - 1)]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))


def in_runs(masked: Sequence[tuple[Array, list[tuple[Any, Any]]]], start: int, stop: int, mask: Array, more: Array) -> None:
    """mask[i]: are all codes of row start + i in their runs? Whole registers of narrow codes are compared at once."""
    from nexorem.core.engine import kernels as k

    size = stop - start
    mask[size:] = False  # the last block may be short
    for i, (codes, runs) in enumerate(masked):
        block = codes[start:stop]
        if i and len(runs) == 1:
            k.and_within(block, *runs[0], mask[:size])
            continue
        here = more[:size] if i else mask[:size]
        k.within(block, *runs[0], here)
        for run in runs[1:]:
            k.or_within(block, *run, here)
        if i:
            np.logical_and(mask[:size], here, out=mask[:size])
