"""Columns as they are kept: in the narrowest integers that hold them, repeats by code.

A `Column` has n rows and, at place n, an empty entry that stands for the table's unmatched member. Where few distinct
values repeat it keeps `codes` and `members`; else the values themselves, narrowed. Whoever reads one gets a `Vector`
of the widths that `values` promises.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from nexorem.core.numbering import distinct_any
from nexorem.core.values import NO_WORDS, STORAGE, Array, Value, Vector

MOST_CODED = 65_536  # members that are always worth codes
WIDEST_SPAN = 2**25  # of whole numbers that are coded by counting
UNSIGNED = (np.dtype(np.uint8), np.dtype(np.uint16), np.dtype(np.int32), np.dtype(np.int64))
MOST_NUMBERS = 250  # different doubles that are coded, in a byte
LOOKED_AT = 4_096  # rows that mostly tell whether there are more
BELOW_ZERO = np.iinfo(np.int64).min  # the bits of a zero below 0
BLOCK = 1 << 18  # rows that are coded at a time
Part = tuple[Array, Array | None]
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

    def empties(self) -> int:
        """How many rows are empty."""
        if self.members is not None and self.codes is not None:
            return 0 if self.full() else int((self.codes[:-1] == len(self.members) - 2).sum())
        return 0 if self.filled is None else self.size - int(self.filled.sum())

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
    valid = None if v.valid.all() else v.valid
    return joined(v.dtype, [(v.data, valid)], v.words)


def joined(dtype: str, parts: Sequence[Part], words: Array = NO_WORDS) -> Column:
    """A column from parts, one under the other: data int of any width, float64 or bool [k], of a text the places of its words, and filled
    bool[k], None where every row has a value. `words` are those of a text, ascending, each once. Cost: two passes, a block at a time."""
    size = sum(len(data) for data, _ in parts)
    blocks = list(_blocks(parts))
    if dtype == "text":
        return _coded(dtype, size, blocks, _seen(blocks, 0, len(words)), 0, words)
    if dtype == "number" and (column := _few_numbers(size, blocks)) is not None:
        return column
    if dtype in ("number", "null"):
        return _raw(dtype, size, blocks, np.dtype(STORAGE[dtype]))
    low, high = _ends(blocks)
    if high - low < min(WIDEST_SPAN, 4 * size + MOST_CODED):
        seen = _seen(blocks, low, high - low + 1)
        full = all(filled is None for _, filled in blocks)
        if int(seen.sum()) + 1 + (not full) <= max(MOST_CODED, size // 16):
            return _coded(dtype, size, blocks, seen, low, words)
    kind = next(k for k in SIGNED if np.iinfo(k).min <= min(low, 0) and max(high, 0) <= np.iinfo(k).max)
    return _raw(dtype, size, blocks, kind)


def _blocks(parts: Sequence[Part]) -> Iterator[Part]:
    """The parts in blocks that fit a processor's cache, `filled` only where a row is empty."""
    for data, filled in parts:
        for start in range(0, len(data), BLOCK):
            block = None if filled is None else filled[start : start + BLOCK]
            values = data[start : start + BLOCK]
            yield values.view(np.uint8) if values.dtype == bool else values, None if block is None or block.all() else block


def _ends(blocks: Sequence[Part]) -> tuple[int, int]:
    """The least and the greatest value, 0 and 0 where there is none."""
    ends = []
    for data, filled in blocks:
        some = data if filled is None else data[filled]
        if len(some):
            ends.append((int(some.min()), int(some.max())))
    return (min(e[0] for e in ends), max(e[1] for e in ends)) if ends else (0, 0)


def _keys(data: Array, filled: Array | None, low: int) -> Array:
    """int[k]: how far values are from the least one; 0 where there is none."""
    keys = np.subtract(data, low, dtype=np.int64) if low else data
    return keys if filled is None else np.where(filled, keys, 0)


def _seen(blocks: Sequence[Part], low: int, span: int) -> Array:
    """bool[span]: which values occur."""
    seen = np.zeros(max(span, 1), bool)
    for data, filled in blocks:
        some = data if filled is None else data[filled]
        seen[_keys(some, None, low)] = True
    return seen


def _raw(dtype: str, size: int, blocks: Sequence[Part], kind: np.dtype[Any]) -> Column:
    raw = np.zeros(size + 1, kind)
    full = all(filled is None for _, filled in blocks)
    held = None if full else np.zeros(size + 1, bool)
    at = 0
    for data, filled in blocks:
        end = at + len(data)
        raw[at:end] = data if filled is None or dtype in ("number", "null") else np.where(filled, data, 0)
        if held is not None:
            held[at:end] = True if filled is None else filled
        at = end
    return Column(dtype, size, None, None, raw, held)


def _few_numbers(size: int, blocks: Sequence[Part]) -> Column | None:
    """Doubles of which few are different, by code; None where there are more, or a zero below 0, which would not be told from 0. Cost: a
    look at the first rows where there are more; else a search among the few for each row."""
    full = all(filled is None for _, filled in blocks)
    members = np.zeros(0)
    by_block: list[tuple[Array, Array]] = []
    for data, filled in blocks:
        some = np.ascontiguousarray(data if filled is None else data[filled], np.float64)
        more = _further(members, some[:LOOKED_AT]) if not len(members) else members
        if len(more) > MOST_NUMBERS or (some.view(np.int64) == BELOW_ZERO).any():
            return None
        members = more
        if len(some):
            places = np.minimum(np.searchsorted(members, some), max(len(members) - 1, 0))
            strange = members[places] != some
            if strange.any():
                members = _further(members, some[strange])
                if len(members) > MOST_NUMBERS:
                    return None
                places = np.searchsorted(members, some)
        else:
            places = np.zeros(0, np.int64)
        by_block.append((members, places.astype(np.uint8)))
    empty = len(members)
    codes = np.full(size + 1, empty, np.uint8)
    codes[-1] = empty + (not full)
    at = 0
    for (data, filled), (known, places) in zip(blocks, by_block, strict=True):
        end = at + len(data)
        mine = places if known is members else np.searchsorted(members, known).astype(np.uint8)[places]
        codes[at:end][slice(None) if filled is None else filled] = mine
        at = end
    data = np.concatenate([members, np.zeros(1 + (not full))])
    return Column("number", size, codes, Vector("number", data, np.arange(len(data)) < empty), None, None)


def _further(members: Array, some: Array) -> Array:
    """The members and some more, ascending, each once."""
    return distinct_any(np.concatenate([members, some]))


def _coded(dtype: str, size: int, blocks: Sequence[Part], seen: Array, low: int, words: Array) -> Column:
    """By counting: the values are the places that were seen, + low, or the words of a text."""
    full = all(filled is None for _, filled in blocks)
    distinct = np.flatnonzero(seen)
    empty = len(distinct)
    place = np.zeros(len(seen), narrow(np.zeros(1, np.int64), empty + 1).dtype)
    place[distinct] = np.arange(empty)
    codes = np.empty(size + 1, place.dtype)
    at = 0
    for data, filled in blocks:
        end = at + len(data)
        np.take(place, _keys(data, filled, low), out=codes[at:end], mode="clip")
        if filled is not None:
            codes[at:end][~filled] = empty
        at = end
    codes[-1] = empty + (not full)
    data = np.concatenate([distinct + low, np.zeros(1 + (not full), np.int64)]).astype(STORAGE[dtype])
    valid = np.arange(len(data)) < empty
    if dtype != "text":
        return Column(dtype, size, codes, Vector(dtype, data, valid), None, None)
    data = np.where(valid, np.arange(len(data)), 0).astype(np.int32)
    return Column(dtype, size, codes, Vector("text", data, valid, words[distinct] if empty else words[:0]), None, None)
