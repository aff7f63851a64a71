"""The rows of a table in a file: its columns as they are kept in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from nexorem.core.columns import Column
from nexorem.core.model.rows import Chosen, TableRows, Unread
from nexorem.core.values import Array, Vector
from nexorem.disk.arrays import Arrays, write_arrays

BYTES_A_WORD = 60  # of a text in memory, with what the interpreter keeps beside it
PARTS = ("codes", "raw", "filled")
MANY_CELLS = 4_000_000  # that are worth a file


def write_rows(path: Path, rows: TableRows, lasting: bool = True) -> int:
    """Writes rows to a file, waiting until it has reached the disk if it is to be a `lasting` one; gives its bytes."""
    arrays: list[Array] = []

    def kept(array: Array) -> int:
        arrays.append(array)
        return len(arrays) - 1

    columns = []
    for name, column in rows.columns.items():
        said: dict[str, Any] = {"name": name, "dtype": column.dtype}
        said |= {part: kept(array) for part in PARTS if (array := getattr(column, part)) is not None}
        if column.members is not None:
            said["members"] = [kept(column.members.data), kept(column.members.valid)]
            if column.dtype == "text":
                said["words"] = [*map(kept, _as_bytes(column.members.words))]
        columns.append(said)
    return write_arrays(path, {"size": rows.size, "columns": columns}, arrays, lasting)


def read_rows(path: Path) -> TableRows:
    """The rows of a file. A column is mapped when it is asked for the first time; what reads its values reads them from the disk, and the
    system lets go of them where memory is short. Raises Unreadable, or OSError."""
    arrays = Arrays(path)
    return TableRows(int(arrays.said["size"]), MappedColumns(arrays))


def mapped_rows(rows: TableRows) -> TableRows:
    """The same rows in a file without a name, where they are many and the disk has room: what nobody looks at takes no memory then. Cost:
    that of writing them, without waiting for the disk."""
    if rows.size * len(rows.columns) < MANY_CELLS:
        return rows
    with suppress(OSError), tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "rows"
        write_rows(path, rows, lasting=False)
        return read_rows(path)
    return rows


class MappedColumns(Unread):
    """Columns of a file, by name, in their order."""

    def __init__(self, arrays: Arrays) -> None:
        self._arrays = arrays
        self._said = {c["name"]: c for c in arrays.said["columns"]}
        self._mapped: dict[str, Column] = {}

    def __getitem__(self, name: str) -> Column:
        column = self._mapped.get(name)
        # Two threads may both map it; both columns say the same, and one of them is kept.
        return column if column is not None else self._mapped.setdefault(name, self._column(self._said[name]))

    def count(self, name: str) -> int | None:
        """How many members a coded column has; its words are not made for it."""
        said = self._said[name]
        return len(self._arrays[said["members"][0]]) if "members" in said and "codes" in said else None

    def apart(self) -> MappedColumns:
        """The same file, of which nothing was read."""
        return MappedColumns(self._arrays)

    def __iter__(self) -> Iterator[str]:
        return iter(self._said)

    def __len__(self) -> int:
        return len(self._said)

    def __contains__(self, name: object) -> bool:
        return name in self._said

    def _column(self, said: Mapping[str, Any]) -> Column:
        parts = {part: self._arrays[said[part]] if part in said else None for part in PARTS}
        members = None
        if "members" in said:
            data, valid = (self._arrays[i] for i in said["members"])
            words = {"words": _as_words(*(self._arrays[i] for i in said["words"]))} if "words" in said else {}
            members = Vector(said["dtype"], data, valid, **words)
        return Column(said["dtype"], int(self._arrays.said["size"]), parts["codes"], members, parts["raw"], parts["filled"])


def held_bytes(columns: Mapping[str, Column]) -> int:
    """What columns take in memory: nothing but their words, where they are mapped."""
    if isinstance(columns, MappedColumns):
        return sum(BYTES_A_WORD * len(c.members.words) for c in list(columns._mapped.values()) if c.members is not None)
    if isinstance(columns, Chosen):
        sources = {id(source): source for source in columns.sources()}
        return sum(held_bytes(source) for source in sources.values())
    return sum(c.bytes() for c in columns.values())


def _as_bytes(words: Array) -> tuple[Array, Array]:
    """Texts one behind the other in UTF-8, and where each ends, in characters."""
    listed: list[str] = words.tolist()
    data = np.frombuffer("".join(listed).encode("utf-8", "surrogatepass"), np.uint8)
    return data, np.cumsum(np.fromiter(map(len, listed), np.int64, len(listed)))


def _as_words(data: Array, ends: Array) -> Array:
    text = data.tobytes().decode("utf-8", "surrogatepass")
    stops = ends.tolist()
    words = np.empty(len(stops), object)
    words[:] = [text[a:b] for a, b in zip([0, *stops], stops, strict=False)]
    return words
