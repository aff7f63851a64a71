"""Rows on their way into a model: columns of one length, without the unmatched member that a star adds."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.functions.convert import widen
from nexorem.core.functions.registry import common_type
from nexorem.core.values import NO_WORDS, Array, Value, Vector, combine, iso, same_words
from nexorem.package.words import arrow_words, recoded

FEW = 20_000  # texts that are put in order well enough one by one


@dataclass(frozen=True, slots=True, eq=False)
class Frame:
    """`size` rows under named columns; every vector has `size` entries."""

    size: int
    columns: Mapping[str, Vector]

    def take(self, rows: Array) -> Frame:
        """Some rows, in that order."""
        return Frame(len(rows), {name: v.take(rows) for name, v in self.columns.items()})

    def with_columns(self, changed: Mapping[str, Vector]) -> Frame:
        """Columns put in place of those of their names, new ones at the end."""
        return Frame(self.size, {**self.columns, **changed})

    def types(self) -> dict[str, str]:
        """The type of each column."""
        return {name: v.dtype for name, v in self.columns.items()}

    def listed(self, rows: Array) -> list[list[Value]]:
        """Some rows as JSON holds them."""
        columns = [[iso(x) for x in v.take(rows).tolist()] for v in self.columns.values()]
        return [list(row) for row in zip(*columns, strict=True)]


def shared_words(vectors: Sequence[Vector]) -> list[Vector]:
    """Text vectors recoded to one dictionary; the same as `values.same_words`, and quick for many words."""
    first = vectors[0].words
    if all(v.words is first for v in vectors):
        return list(vectors)
    if sum(len(v.words) for v in vectors) < FEW:
        return same_words(vectors)
    words = pa.concat_arrays([arrow_words(v.words) for v in vectors])
    ends = np.cumsum([0, *(len(v.words) for v in vectors)])
    whole = recoded(np.arange(len(words)), np.ones(len(words), bool), words)
    aligned = []
    for v, start, end in zip(vectors, ends[:-1], ends[1:], strict=True):
        places = whole.data[start:end] if end > start else np.zeros(1, np.int32)
        aligned.append(Vector("text", places[np.where(v.valid, v.data, 0)], v.valid, whole.words))
    return aligned


def text_map(v: Vector, change: Callable[[pa.Array], pa.Array]) -> Vector:
    """A text vector whose distinct texts were changed, all in one call."""
    if not len(v.words):
        return v
    return recoded(v.data, v.valid, change(arrow_words(v.words)))


def used_words(v: Vector) -> Vector:
    """The same texts with a dictionary of those that occur."""
    if v.dtype != "text":
        return v
    seen = np.zeros(len(v.words), bool)
    seen[v.data[v.valid]] = True
    if seen.all():
        return v
    place = np.cumsum(seen) - 1
    return Vector("text", np.where(v.valid, place[v.data] if len(place) else 0, 0).astype(np.int32), v.valid, v.words[seen])


def stacked(parts: Sequence[Vector], dtype: str) -> Vector:
    """Vectors one under the other, brought to one type."""
    parts = [p if p.dtype == dtype else widen(p, dtype) for p in parts]
    words = NO_WORDS
    if dtype == "text":
        parts = shared_words(parts)
        words = parts[0].words
    return Vector(dtype, np.concatenate([p.data for p in parts]), np.concatenate([p.valid for p in parts]), words)


def common_dtype(kinds: Sequence[str]) -> str | None:
    """The type that all of these widen to; None where there is none."""
    return common_type(list(dict.fromkeys(kinds)))


def groups_of(frame: Frame, columns: Sequence[str]) -> tuple[Array, Array]:
    """For each row the number of its combination of these columns, ascending; and the first row of each combination."""
    if frame.size == 0:
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    return combine([frame.columns[c].codes() for c in columns])


def text_array(v: Vector) -> pa.Array:
    """A text vector as an Arrow array of its rows."""
    words = arrow_words(v.words)
    return words.take(pa.array(np.where(v.valid, v.data, 0), mask=~v.valid)) if len(words) else pa.nulls(len(v), pa.large_string())


def differing(a: Vector, b: Vector) -> Array:
    """Where two vectors differ; everywhere they are filled, if they are of two types."""
    if a.dtype != b.dtype:
        return np.asarray(a.valid != b.valid)
    if a.dtype == "text" and a.words is not b.words and len(a.words) + len(b.words) > FEW:
        # Rows side by side are sooner compared than two long dictionaries brought to one.
        unlike = pc.fill_null(pc.not_equal(text_array(a), text_array(b)), False).to_numpy(zero_copy_only=False)
        return np.asarray((a.valid != b.valid) | unlike)
    if a.dtype == "text":
        a, b = shared_words([a, b])
    return np.asarray((a.valid != b.valid) | (a.valid & b.valid & (a.data != b.data)))


def same_rows(a: Frame, b: Frame) -> bool:
    """Whether two frames hold the same values under the same names, in the same order."""
    if a.size != b.size or list(a.types().items()) != list(b.types().items()):
        return False
    return not any(differing(v, b.columns[name]).any() for name, v in a.columns.items())
