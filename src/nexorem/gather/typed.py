"""A column of texts as a typed column, with what does not fit listed by row."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
import pyarrow.compute as pc

from nexorem.core.columns import Column, compact, joined, narrow
from nexorem.core.values import STORAGE, Array, Vector
from nexorem.gather.texts import ZONE, Guess, Reads, guess_type, parse_texts, typed_storage
from nexorem.package.words import arrow_words

MOST_LISTED = 20
BLOCK = 1 << 20  # rows that are counted at a time
Choice = Literal["text", "empty", "refuse"]


@dataclass(frozen=True, slots=True)
class Misfits:
    """Values that are none of their column's type: how many rows, and the first of them as (row, text). Rows count from 1, with
    those above the first of the data where they stand in a file."""

    count: int = 0
    rows: list[tuple[int, str]] = field(default_factory=list)

    def as_json(self) -> dict[str, Any]:
        """For reports."""
        return {"count": self.count, "rows": [{"row": r, "text": t[:200]} for r, t in self.rows]}


def emptied(v: Vector, missing: tuple[str, ...]) -> Vector:
    """A text vector in which these words are empty."""
    lost = [w for w in missing if w in v.words] if len(v.words) < 50 else [w for w in missing if _has(v, w)]
    if not lost:
        return v
    gone = np.isin(v.words, lost)
    live = v.valid & ~gone[v.data]
    kept = np.cumsum(~gone) - 1
    return Vector("text", np.where(live, kept[v.data], 0).astype(np.int32), live, v.words[~gone])


def _has(v: Vector, word: str) -> bool:
    place = int(np.searchsorted(v.words, word))
    return place < len(v.words) and v.words[place] == word


def rows_with_zone(v: Vector) -> int:
    """In how many rows of a text vector a moment ends with a zone: Z, or an offset."""
    if not len(v.words):
        return 0
    named = np.asarray(pc.match_substring_regex(arrow_words(v.words), ZONE).to_numpy(zero_copy_only=False), bool)
    return int(word_counts(v)[named].sum())


def guesses(v: Vector) -> list[Guess]:
    """What a text vector could be, from all its rows."""
    return guess_type(arrow_words(v.words), word_counts(v), missing=())


def word_counts(v: Vector) -> Array:
    """int64[words]: in how many rows of a text vector each word stands. Cost: a pass, of which a block of rows is copied at a time."""
    counts = np.zeros(len(v.words), np.int64)
    if len(v.words):
        block = max(BLOCK, len(counts))
        for start in range(0, len(v), block):
            valid = v.valid[start : start + block]
            counts += np.bincount(v.data[start : start + block][valid], minlength=len(counts))
    return counts


def typed(v: Vector, reads: Reads, choice: Choice, above: int = 0) -> tuple[Vector, Misfits]:
    """A text vector read as a type. With the choice `text` a column with misfits stays text; else they become empty, and are told."""
    values, filled, missed = _read(v, reads, above)
    if values is None or (missed.count and choice == "text"):
        return v, missed
    return Vector(reads.dtype, typed_storage(reads.dtype, values)[v.data], filled), missed


def typed_column(v: Vector, reads: Reads, choice: Choice, above: int = 0) -> tuple[Column, Misfits]:
    """The same as a column, which never stands at its full width."""
    values, filled, missed = _read(v, reads, above)
    if values is None or (missed.count and choice == "text"):
        return compact(v), missed
    narrowed = values if reads.dtype in ("number", "boolean") else narrow(values)
    return joined(reads.dtype, [(narrowed[v.data], None if filled.all() else filled)]), missed


def misfits(v: Vector, reads: Reads, above: int = 0) -> Misfits:
    """What of a text vector is none of a type."""
    return _read(v, reads, above)[2]


def _read(v: Vector, reads: Reads, above: int) -> tuple[Array | None, Array, Misfits]:
    """For each word its value, None where the type is text; the rows that have one; and those whose text is none. Empties stand at the
    first word, so where there is none there is a value all the same."""
    if reads.dtype == "text":
        return None, v.valid, Misfits()
    if not len(v.words):
        return np.zeros(1, STORAGE[reads.dtype]), v.valid, Misfits()
    values, fits = parse_texts(arrow_words(v.words), reads)
    if fits.all():
        return values, v.valid, Misfits()
    bad = v.valid & ~fits[v.data]
    rows = np.flatnonzero(bad)
    listed = [(int(r) + 1 + above, str(v.words[v.data[r]])) for r in rows[:MOST_LISTED]]
    return values, v.valid & ~bad, Misfits(len(rows), listed)
