"""What a column holds: type, distinct, empty, extremes, commonest values and a small histogram."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.model.star import Star
from nexorem.core.results import Result
from nexorem.core.values import Json, iso

BINS = 16
COMMONEST = 5


@dataclass(frozen=True, slots=True)
class Commonest(Result):
    """A value with the rows that have it."""

    value: Json
    count: int


@dataclass(frozen=True, slots=True)
class Profile(Result):
    """What a column holds. `histogram` counts equal steps from the smallest value to the largest, or the commonest members of a text; empty
    for a column without values. Of a table that stays elsewhere the commonest and the histogram are those of a `sample` of so many rows;
    where it is `rough`, so is everything but the rows."""

    column: str
    dtype: str
    rows: int
    distinct: int
    empty: int
    smallest: Json
    largest: Json
    commonest: tuple[Commonest, ...]
    histogram: tuple[int, ...]
    unique: bool
    sample: int = 0
    rough: bool = False


def profile(star: Star, table: str, column: str) -> Profile:
    """The profile of one column. Cost: the column's rows, once."""
    size = star.size(table)
    vector = star.column(table, column).take(np.arange(size))
    domain = star.domain(table, (column,))
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)[:-1]
    members = star.column(table, column).take(domain.firsts[:-1])
    filled = np.flatnonzero(members.valid)
    most = filled[np.argsort(-counts[filled], kind="stable")][:COMMONEST]
    smallest, largest = ((iso(members.at(int(filled[at]))) if len(filled) else None) for at in (0, -1))
    commonest = tuple(Commonest(iso(members.at(int(m))), int(counts[m])) for m in most)
    histogram = tuple(_histogram(vector.dtype, vector.data[vector.valid], counts[filled]))
    unique, empty = bool(len(filled) == size and size > 0), int((~vector.valid).sum())
    return Profile(column, vector.dtype, size, len(filled), empty, smallest, largest, commonest, histogram, unique)


def _histogram(dtype: str, data: Any, counts: Any) -> list[int]:
    if not len(data):
        return []
    if dtype in ("text", "boolean"):
        return [int(x) for x in np.sort(counts)[::-1][:BINS]]
    low, high = float(data.min()), float(data.max())
    if low == high:
        return [len(data)]
    places = ((data.astype(np.float64) - low) / (high - low) * BINS).astype(np.int64)
    return [int(x) for x in np.bincount(np.minimum(places, BINS - 1), minlength=BINS)]
