"""Columns as they are kept: in the narrowest integers that hold them, repeats by code.

A `Column` has n rows and, at place n, an empty entry that stands for the table's unmatched member. Where few distinct
values repeat it keeps `codes` and `members`; else the values themselves, narrowed. Whoever reads one gets a `Vector`
of the widths that `values` promises.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nexorem.core.values import STORAGE, Array, Value, Vector

MOST_CODED = 65_536  # members that are always worth codes
WIDEST_SPAN = 2**25  # of whole numbers that are coded by counting
UNSIGNED = (np.dtype(np.uint8), np.dtype(np.uint16), np.dtype(np.int32), np.dtype(np.int64))
SIGNED = (np.dtype(np.int8), np.dtype(np.int16), np.dtype(np.int32), np.dtype(np.int64))


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Column:
    """n rows and the empty place n.

    Either codes uint[n+1], places in `members`, a Vector of the distinct values ascending, then an empty one if a row
    is empty, then the empty one of the unmatched member; or raw, narrowed values [n+1], with filled bool[n+1], None
    where every row has a value.
    """

    dtype: str
    size: int
    codes: Array | None
    members: Vector | None
    raw: Array | None
    filled: Array | None

    def take(self, places: Array) -> Vector:
        """The values at `places`."""
        if self.codes is not None and self.members is not None:
            codes = self.codes[places]
            valid = places != self.size if self.full() else self.members.valid[codes]
            return Vector(self.dtype, self.members.data[codes], np.asarray(valid), self.members.words)
        assert self.raw is not None
        data = self.raw[places].astype(STORAGE[self.dtype], copy=False)
        valid = places != self.size if self.filled is None else self.filled[places]
        return Vector(self.dtype, data, np.asarray(valid))

    def at(self, place: int) -> Value:
        """One value; empty is None."""
        return self.take(np.array([place])).at(0)

    def rows(self) -> Vector:
        """The values of all rows, the unmatched member left out."""
        return self.take(np.arange(self.size))

    def full(self) -> bool:
        """Whether every row has a value."""
        if self.members is not None:
            return len(self.members) < 2 or bool(self.members.valid[-2])
        return self.filled is None or bool(self.filled[:-1].all())

    def bytes(self) -> int:
        """What it takes in memory."""
        if self.codes is not None and self.members is not None:
            return self.codes.nbytes + self.members.data.nbytes + len(self.members) + 60 * len(self.members.words)
        assert self.raw is not None
        return self.raw.nbytes + (self.filled.nbytes if self.filled is not None else 0)


def same_column(a: Column, b: Column) -> bool:
    """Whether two columns have the same type and the same values in the same rows."""
    if a is b or (a.dtype, a.size) != (b.dtype, b.size):
        return a is b
    pairs = [(a.codes, b.codes), (a.raw, b.raw), (a.filled, b.filled)]
    if a.members is not None and b.members is not None:
        pairs += [(a.members.data, b.members.data), (a.members.valid, b.members.valid)]
        if a.dtype == "text":
            pairs.append((a.members.words, b.members.words))
    elif a.members is not b.members:
        return False
    return all((x is None and y is None) or (x is not None and y is not None and np.array_equal(x, y)) for x, y in pairs)


def narrow(data: Array, most: int | None = None) -> Array:
    """Whole numbers in the narrowest type that holds them; `most` says that they go from 0 to it."""
    if most is not None:
        return data.astype(next(k for k in UNSIGNED if most <= np.iinfo(k).max), copy=False)
    low, high = (int(data.min()), int(data.max())) if len(data) else (0, 0)
    return data.astype(next(k for k in SIGNED if np.iinfo(k).min <= low and high <= np.iinfo(k).max), copy=False)


def compact(v: Vector) -> Column:
    """A column from the values of its rows."""
    if v.dtype == "text":
        return _coded(v, v.data, len(v.words))
    if v.dtype in ("number", "null"):
        return _raw(v, v.data)
    filled = v.data if v.valid.all() else v.data[v.valid]
    low, high = (int(filled.min()), int(filled.max())) if len(filled) else (0, 0)
    if high - low < min(WIDEST_SPAN, 4 * len(v) + MOST_CODED):
        coded = _coded(v, np.where(v.valid, v.data - low, 0), high - low + 1, low)
        assert coded.members is not None
        if len(coded.members) <= max(MOST_CODED, len(v) // 16):
            return coded
    return _raw(v, narrow(np.where(v.valid, v.data, 0)) if v.dtype != "boolean" else v.data)


def _raw(v: Vector, data: Array) -> Column:
    zero = np.zeros(1, data.dtype)
    filled = None if v.valid.all() else np.append(v.valid, False)
    return Column(v.dtype, len(v), None, None, np.concatenate([data, zero]), filled)


def _coded(v: Vector, keys: Array, span: int, low: int = 0) -> Column:
    """By counting: `keys` are from 0 to span - 1, and the values are keys + low, or the words of a text."""
    full = bool(v.valid.all())
    seen = np.zeros(max(span, 1), bool)
    seen[keys if full else keys[v.valid]] = True
    distinct = np.flatnonzero(seen)
    empty = len(distinct)
    place = np.zeros(max(span, 1), narrow(np.zeros(1, np.int64), empty + 1).dtype)
    place[distinct] = np.arange(empty)
    codes = np.empty(len(v) + 1, place.dtype)
    np.take(place, keys, out=codes[:-1], mode="clip")
    if not full:
        codes[:-1][~v.valid] = empty
    codes[-1] = empty + (not full)
    data = np.concatenate([distinct + low, np.zeros(1 + (not full), np.int64)]).astype(STORAGE[v.dtype])
    valid = np.arange(len(data)) < empty
    if v.dtype != "text":
        return Column(v.dtype, len(v), codes, Vector(v.dtype, data, valid), None, None)
    data = np.where(valid, np.arange(len(data)), 0).astype(np.int32)
    return Column(v.dtype, len(v), codes, Vector("text", data, valid, v.words[distinct] if empty else v.words[:0]), None, None)
