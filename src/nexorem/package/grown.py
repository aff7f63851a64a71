"""Columns that grow with the blocks of a file, narrow from the start: no file is held twice, and none as texts."""

from __future__ import annotations

import mmap
import tempfile
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import IO, Any, Protocol

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.columns import Column, Part, joined, narrow
from nexorem.core.diagnostics import refuse
from nexorem.core.values import Array, Vector, empties
from nexorem.package.arrow import from_arrow
from nexorem.package.numerals import whole_beyond, written_numbers
from nexorem.package.words import in_order, object_words

SPILLED = 16 * 1024**2  # bytes of a column that are worth a file
WHOLE_DIGITS = 10**18  # whole numbers from here on have more digits than a double keeps


class Growable(Protocol):
    """A column of which the blocks come one after the other."""

    def add(self, block: Any) -> None:
        """Takes a block of it, an Arrow array."""


class Parts:
    """The parts of a column that came so far: in memory while they are few, then in a file without a name, from which they are mapped."""

    def __init__(self) -> None:
        self._held: list[Part] = []
        self._bytes = 0
        self._file: IO[bytes] | None = None
        self._places: list[tuple[int, Any, int, int]] = []  # of a part: where, dtype, rows, where it is filled or -1

    def add(self, data: Array, filled: Array | None) -> None:
        """Takes the next part."""
        self._held.append((data, filled))
        self._bytes += data.nbytes
        if self._bytes > SPILLED:
            self._spill()

    def _spill(self) -> None:
        if self._file is None:
            self._file = tempfile.TemporaryFile()  # noqa: SIM115 – it stays open until all parts are there
        for data, filled in self._held:
            place = self._file.tell()
            self._file.write(np.ascontiguousarray(data).view(np.uint8).data)
            mask = -1 if filled is None else self._file.tell()
            if filled is not None:
                self._file.write(np.ascontiguousarray(filled).view(np.uint8).data)
            self._places.append((place, data.dtype, len(data), mask))
        self._held, self._bytes = [], 0

    def taken(self) -> list[Part]:
        """All of them, which are gone from here."""
        parts: list[Part] = []
        if self._file is not None:
            self._spill()
            self._file.flush()
            mapped = mmap.mmap(self._file.fileno(), 0, access=mmap.ACCESS_READ)
            for place, dtype, rows, mask in self._places:
                filled = None if mask < 0 else np.frombuffer(mapped, bool, rows, mask)
                parts.append((np.frombuffer(mapped, dtype, rows, place), filled))
            self._file.close()
        parts += self._held
        self._held, self._bytes, self._file, self._places = [], 0, None, []
        return parts


def texts_of(blocks: list[Any]) -> Vector:
    """Blocks of texts with dictionaries of their own as one vector, which takes hardly more than it does while it is made."""
    rows = sum(len(block) for block in blocks)
    if rows == 0:
        return empties("text", 0)
    indices = [block.indices for block in blocks]
    starts = np.cumsum([0, *(len(block.dictionary) for block in blocks)])
    dictionaries = [block.dictionary.cast(pa.large_string()) for block in blocks]
    blocks.clear()
    place, words = in_order(dictionaries)
    data, valid = np.zeros(rows, np.int32), np.ones(rows, bool)
    at = 0
    for start in starts[:-1]:
        codes = indices.pop(0)
        end = at + len(codes)
        if codes.null_count < len(codes):
            np.take(place[start:], codes.fill_null(0).to_numpy(zero_copy_only=False), out=data[at:end], mode="clip")
        if codes.null_count:
            valid[at:end] = codes.is_valid().to_numpy(zero_copy_only=False)
            data[at:end][~valid[at:end]] = 0
        at = end
    pa.default_memory_pool().release_unused()  # what the blocks took
    return Vector("text", data, valid, object_words(words))


class GrownTexts:
    """Texts: each block keeps a dictionary."""

    def __init__(self) -> None:
        self._blocks: list[Any] = []

    def add(self, block: Any) -> None:
        """Takes a block of texts."""
        self._blocks.append(block if pa.types.is_dictionary(block.type) else block.dictionary_encode())

    def finished(self) -> Vector:
        """All of them."""
        return texts_of(self._blocks)


class GrownValues:
    """Values of a typed file whose type says all: whole numbers, doubles, days, moments, true and false."""

    def __init__(self, kind: Any) -> None:
        self._dtype = from_arrow(pa.array([], kind))[0].dtype
        self._parts = Parts()
        self.done = ""  # what was done to them that a person should know

    def add(self, block: Any) -> None:
        """Takes a block of values."""
        v, self.done = from_arrow(block)
        self._parts.add(v.data if v.dtype in ("number", "boolean") else narrow(v.data), None if v.valid.all() else v.valid)

    def finished(self) -> Column:
        """All of them."""
        return joined(self._dtype, self._parts.taken())


class GrownWritten:
    """Values as a person wrote them: numbers as long as every text is one as it would be written out, else texts. `kinds` are the types
    that are tried, in this order. Where texts come after numbers, the column is to be read `again`, as texts. A text has `longest` bytes at
    most."""

    def __init__(self, name: str, kinds: tuple[str, ...], above: int, place: str, longest: int) -> None:
        self.name, self.place, self.longest, self.again = name, place, longest, False
        self._kinds, self._guessed = kinds, len(kinds) > 1
        self._row = above
        self._rows = 0
        self._long = False  # whether a whole number has more digits than a double keeps
        self._parts = Parts()
        self._texts = GrownTexts()
        self._filled = False  # whether there was a value

    def add(self, block: Any) -> None:
        """Takes a block of texts, nulls where they are empty; refuses one that is too long."""
        self._bounded(block)
        if self.again:
            return
        while self._kinds:
            part = written_numbers(block, self._kinds[0])
            if part is not None and not (self._guessed and self._kinds[0] == "number" and whole_beyond(block)):
                self._take(*part)
                self._filled = self._filled or block.null_count < len(block)
                return
            self._narrowed(block)
            if self.again:
                return
        self._texts.add(block)

    def _take(self, data: Array, filled: Array | None) -> None:
        self._rows += len(data)
        if self._kinds[0] == "integer":
            data = narrow(data)
            self._long = self._long or (data.dtype.itemsize == 8 and bool((np.abs(data) >= WHOLE_DIGITS).any()))
        self._parts.add(data, filled)

    def _narrowed(self, block: Any) -> None:
        """Leaves the first of the kinds: whole numbers become numbers where that loses no digit."""
        fewer = self._kinds[1:]
        if fewer and (self._long or written_numbers(block, "integer", False) is not None):
            fewer = ()
        self._kinds = fewer
        parts = self._parts.taken()
        if fewer:
            for data, filled in parts:
                self._parts.add(data.astype(np.float64), filled)
        elif self._filled:
            self.again = True
        elif self._rows:
            self._texts.add(pa.nulls(self._rows, pa.string()))

    def _bounded(self, block: Any) -> None:
        longest = pc.max(pc.binary_length(block)).as_py() or 0
        if longest > self.longest:
            row = pc.index(pc.greater(pc.binary_length(block), self.longest), True).as_py() + 1 + self._row
            raise refuse(
                "long_value",
                f"{self.name} holds a text of {longest / 1024**2:,.0f} MB in row {row:,}; {self.longest // 1024**2} MB is the most.",
                "Is a quote left open there?",
                self.place,
            )
        self._row += len(block)

    def finished(self) -> Column | Vector:
        """All of it."""
        if self._kinds and self._filled:
            return joined(self._kinds[0], self._parts.taken())
        if self._kinds and self._rows:
            self._texts.add(pa.nulls(self._rows, pa.string()))
        return self._texts.finished()


class Blocks:
    """A column of a type whose blocks say too little by themselves: it is read when all are there."""

    def __init__(self, kind: Any) -> None:
        self.kind = kind
        self._blocks: list[Any] = []

    def add(self, block: Any) -> None:
        """Takes a block."""
        self._blocks.append(block)

    def finished(self) -> pa.ChunkedArray:
        """All of them."""
        blocks, self._blocks = self._blocks, []
        return pa.chunked_array(blocks, self.kind)


def grown(kind: Any) -> GrownTexts | GrownValues | Blocks:
    """A column of an Arrow type that is to come in blocks."""
    types = pa.types
    if types.is_string(kind) or types.is_large_string(kind):
        return GrownTexts()
    whole = types.is_integer(kind) and kind != pa.uint64()
    if whole or types.is_floating(kind) or types.is_boolean(kind) or types.is_date(kind) or types.is_timestamp(kind):
        return GrownValues(kind)
    return Blocks(kind)


class Growing:
    """Columns that take the blocks of a file in a thread of their own, while the next block is read."""

    def __init__(self, columns: Iterable[Growable]) -> None:
        self.columns = list(columns)
        self._pool = ThreadPoolExecutor(1)
        self._last: Any = None

    def add(self, block: Any) -> None:
        """Takes a block as soon as the one before is in; raises what was wrong with that."""
        self.wait()
        self._last = self._pool.submit(self._take, block)

    def _take(self, block: Any) -> None:
        for column, part in zip(self.columns, block.columns, strict=True):
            column.add(part)

    def wait(self) -> None:
        """Until all blocks are in."""
        if self._last is not None:
            self._last.result()

    def close(self) -> None:
        """Ends the thread."""
        self._pool.shutdown()
