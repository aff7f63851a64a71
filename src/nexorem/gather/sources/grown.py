"""Columns that grow with the blocks of a file, narrow from the start: no file is held twice, and none as texts."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Protocol

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.columns import Column, Part, joined, narrow
from nexorem.core.diagnostics import refuse
from nexorem.core.values import NO_WORDS, Vector
from nexorem.gather.sources.bounds import MOST_CELL
from nexorem.package.arrow import coded, from_arrow
from nexorem.package.tabular import whole_beyond, written_numbers

WHOLE_DIGITS = 10**18  # whole numbers from here on have more digits than a double keeps


class Growable(Protocol):
    """A column of which the blocks come one after the other."""

    def add(self, block: Any) -> None:
        """Takes a block of it, an Arrow array."""


def texts_of(blocks: list[Any]) -> Vector:
    """Blocks of texts with dictionaries of their own as one vector."""
    if not blocks:
        return coded(pa.array([], pa.string()))
    return coded(pa.chunked_array(blocks))


class GrownTexts:
    """Texts: each block keeps a dictionary."""

    def __init__(self) -> None:
        self._blocks: list[Any] = []

    def add(self, block: Any) -> None:
        """Takes a block of texts."""
        self._blocks.append(block if pa.types.is_dictionary(block.type) else block.dictionary_encode())

    def finished(self) -> Vector:
        """All of them."""
        blocks, self._blocks = self._blocks, []
        return texts_of(blocks)


class GrownValues:
    """Values of a typed file whose type says all: whole numbers, doubles, days, moments, true and false."""

    def __init__(self, kind: Any) -> None:
        self._dtype = from_arrow(pa.array([], kind))[0].dtype
        self._parts: list[Part] = []
        self.done = ""  # what was done to them that a person should know

    def add(self, block: Any) -> None:
        """Takes a block of values."""
        v, self.done = from_arrow(block)
        self._parts.append((v.data if v.dtype in ("number", "boolean") else narrow(v.data), None if v.valid.all() else v.valid))

    def finished(self) -> Column:
        """All of them."""
        parts, self._parts = self._parts, []
        return joined(self._dtype, parts)


class GrownWritten:
    """Values as a person wrote them: numbers as long as every text is one as it would be written out, else texts. `kinds` are the types
    that are tried, in this order. Where texts come after numbers, the column is to be read `again`, as texts."""

    def __init__(self, name: str, kinds: tuple[str, ...], above: int, place: str) -> None:
        self.name, self.place, self.again = name, place, False
        self._kinds, self._guessed = kinds, len(kinds) > 1
        self._row = above
        self._parts: list[Part] = []
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
                data, filled = part
                self._parts.append((narrow(data) if self._kinds[0] == "integer" else data, filled))
                self._filled = self._filled or block.null_count < len(block)
                return
            self._narrowed(block)
            if self.again:
                return
        self._texts.add(block)

    def _narrowed(self, block: Any) -> None:
        """Leaves the first of the kinds: whole numbers become numbers where that loses no digit."""
        fewer = self._kinds[1:]
        if fewer and (written_numbers(block, "integer", False) is not None or any(_long(part) for part in self._parts)):
            fewer = ()
        self._kinds = fewer
        if fewer:
            self._parts = [(data.astype(np.float64), filled) for data, filled in self._parts]
            return
        empties, self._parts = sum(len(data) for data, _ in self._parts), []
        if self._filled:
            self.again = True
        elif empties:
            self._texts.add(pa.nulls(empties, pa.string()))

    def _bounded(self, block: Any) -> None:
        longest = pc.max(pc.binary_length(block)).as_py() or 0
        if longest > MOST_CELL:
            row = pc.index(pc.greater(pc.binary_length(block), MOST_CELL), True).as_py() + 1 + self._row
            raise refuse(
                "long_value",
                f"{self.name} holds a text of {longest / 1024**2:,.0f} MB in row {row:,}; {MOST_CELL // 1024**2} MB is the most.",
                "Is a quote left open there?",
                self.place,
            )
        self._row += len(block)

    def finished(self) -> Column | Vector:
        """All of it."""
        if not self._kinds or not self._filled:
            empties = sum(len(data) for data, _ in self._parts)
            if empties:
                self._texts.add(pa.nulls(empties, pa.string()))
            return self._texts.finished()
        parts, self._parts = self._parts, []
        return joined(self._kinds[0], parts, NO_WORDS)


def _long(part: Part) -> bool:
    data = part[0]
    return bool(len(data)) and data.dtype.itemsize == 8 and bool((np.abs(data) >= WHOLE_DIGITS).any())


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
