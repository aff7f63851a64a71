"""Rows on their way into a model: columns of one length, without the unmatched member that a star adds."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.columns import Column
from nexorem.core.functions.convert import cast, widen
from nexorem.core.functions.registry import common_type
from nexorem.core.model.rows import Chosen, TableRows, table_rows
from nexorem.core.values import NO_WORDS, Array, Value, Vector, combine, empties, iso, same_words
from nexorem.disk.rows import BYTES_A_WORD, held_bytes
from nexorem.package.words import arrow_words, recoded

FEW = 20_000  # texts that are put in order well enough one by one


class NarrowColumns(Mapping[str, Vector]):
    """Columns by name, narrow as a star keeps them: each is widened to a vector whenever it is asked for, and not kept as one."""

    def __init__(self, narrow: Mapping[str, Column]) -> None:
        self.narrow = narrow

    def __getitem__(self, name: str) -> Vector:
        return self.narrow[name].rows()

    def __iter__(self) -> Iterator[str]:
        return iter(self.narrow)

    def __len__(self) -> int:
        return len(self.narrow)

    def __contains__(self, name: object) -> bool:
        return name in self.narrow


@dataclass(frozen=True, slots=True, eq=False)
class Frame:
    """`size` rows under named columns; every vector has `size` entries."""

    size: int
    columns: Mapping[str, Vector]

    @classmethod
    def of(cls, rows: TableRows) -> Frame:
        """The rows of a table, each column a vector while somebody looks at it."""
        return cls(rows.size, NarrowColumns(rows.columns))

    def rows(self, names: Sequence[str] | None = None) -> TableRows:
        """All or some columns as a star keeps them."""
        listed = list(self.columns) if names is None else list(names)
        if isinstance(self.columns, NarrowColumns):
            return TableRows(self.size, Chosen.of(self.columns.narrow, listed))
        return table_rows(self.size, {name: self.columns[name] for name in listed})

    def take(self, rows: Array) -> Frame:
        """Some rows, in that order."""
        return Frame(len(rows), {name: self.part(name, rows) for name in self.columns})

    def part(self, name: str, rows: Array) -> Vector:
        """Some rows of a column."""
        return self.columns.narrow[name].take(rows) if isinstance(self.columns, NarrowColumns) else self.columns[name].take(rows)

    def with_columns(self, changed: Mapping[str, Vector]) -> Frame:
        """Columns put in place of those of their names, new ones at the end."""
        return Frame(self.size, {**self.columns, **changed})

    def types(self) -> dict[str, str]:
        """The type of each column."""
        columns: Mapping[str, Column | Vector] = self.columns.narrow if isinstance(self.columns, NarrowColumns) else self.columns
        return {name: column.dtype for name, column in columns.items()}

    def bytes(self) -> int:
        """What the columns take in memory."""
        if isinstance(self.columns, NarrowColumns):
            return held_bytes(self.columns.narrow)
        return sum(v.data.nbytes + v.valid.nbytes + BYTES_A_WORD * len(v.words) for v in self.columns.values())

    def listed(self, rows: Array) -> list[list[Value]]:
        """Some rows as JSON holds them."""
        columns = [[iso(x) for x in self.part(name, rows).tolist()] for name in self.columns]
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


def as_text(v: Vector) -> Vector:
    """Values as texts, as CAST writes them."""
    if v.dtype == "text":
        return v
    codes, size = v.codes()
    if size == 0:
        return empties("text", len(v))
    firsts = np.zeros(size, np.int64)
    firsts[codes[v.valid]] = np.flatnonzero(v.valid)
    distinct = v.take(firsts)
    if v.dtype == "integer":
        words = pa.array(distinct.data).cast(pa.large_string())
    else:
        words = pa.array([str(x) for x in cast(distinct, "text").tolist()], pa.large_string())
    return recoded(np.minimum(codes, size - 1), v.valid, words)


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
