"""The rows of a model's tables, and the members of their columns.

Row numbers: a table of n rows has the rows 0 … n-1; place n stands for its unmatched member, whether it has one or
not. Every column vector has n+1 entries, the last one empty, so that arrays of row numbers may hold n.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from nexorem.core.columns import Column, compact
from nexorem.core.values import Array, Vector

MANY_ROWS = 100_000  # that are worth two threads
ROWS = None  # in place of a tuple of columns: the rows themselves
Columns = tuple[str, ...] | None


@dataclass(frozen=True, slots=True, eq=False)
class TableRows:
    """The rows of one table; `columns` by the names as defined, each with the place of the unmatched member."""

    size: int
    columns: Mapping[str, Column]


class Unread(Mapping[str, Column]):
    """Columns that are read when they are asked for, and say how many members one has before."""

    @abstractmethod
    def count(self, name: str) -> int | None:
        """How many members a coded column has; None for another one."""

    @abstractmethod
    def apart(self) -> Unread:
        """The same columns, to be read once: what is read of them is not kept for those who ask later."""


def apart(columns: Mapping[str, Column]) -> Mapping[str, Column]:
    """Columns to be read once, from where they lie."""
    return columns.apart() if isinstance(columns, Unread) else columns


def coded_members(columns: Mapping[str, Column], name: str) -> int | None:
    """How many members a coded column has, without reading them; None for another one."""
    if isinstance(columns, Unread):
        return columns.count(name)
    members = columns[name].members
    return None if members is None or columns[name].codes is None else len(members)


class Chosen(Unread):
    """Columns by name, in this order, each out of the mapping that has it: none is looked at before it is asked for. What was chosen
    already is chosen from where that was: however many edits a model has had, a column is one step away."""

    def __init__(self, sources: Mapping[str, Mapping[str, Column]], names: Iterable[str]) -> None:
        self._sources = {name: _origin(sources[name], name) for name in names}

    @classmethod
    def of(cls, columns: Mapping[str, Column], names: Iterable[str]) -> Chosen:
        """Some of the columns of one table."""
        listed = list(names)
        return cls(dict.fromkeys(listed, columns), listed)

    def sources(self) -> Iterable[Mapping[str, Column]]:
        """The mappings that have them, one for each."""
        return self._sources.values()

    def count(self, name: str) -> int | None:
        """What the mapping says that has it."""
        return coded_members(self._sources[name], name)

    def apart(self) -> Chosen:
        """The same out of mappings that are apart, each of them once."""
        each = {id(source): apart(source) for source in self.sources()}
        return Chosen({name: each[id(source)] for name, source in self._sources.items()}, self._sources)

    def __getitem__(self, name: str) -> Column:
        return self._sources[name][name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._sources)

    def __len__(self) -> int:
        return len(self._sources)

    def __contains__(self, name: object) -> bool:
        return name in self._sources


def _origin(source: Mapping[str, Column], name: str) -> Mapping[str, Column]:
    """The mapping that a column comes from in the end."""
    return source._sources.get(name, source) if isinstance(source, Chosen) else source


def table_rows(size: int, columns: Mapping[str, Vector]) -> TableRows:
    """Rows from columns of `size` entries."""
    assert all(len(v) == size for v in columns.values())
    if size < MANY_ROWS:
        return TableRows(size, {name: compact(v) for name, v in columns.items()})
    with ThreadPoolExecutor(2) as pool:
        return TableRows(size, dict(zip(columns, pool.map(compact, columns.values()), strict=True)))


class Domain:
    """The members of some columns of a table: their distinct combinations, ascending, empties last.

    codes uint[n+1], as narrow as they can be, the member of each row · size the number of members, the last of which
    is the unmatched member · own whether the codes are a column's own, and take no room here.
    """

    __slots__ = ("_firsts", "codes", "own", "size")

    def __init__(self, codes: Array, size: int, firsts: Array | None = None, own: bool = False) -> None:
        self.codes, self.size, self._firsts, self.own = codes, size, firsts, own

    @property
    def firsts(self) -> Array:
        """int64[size]: the first row of each member."""
        if self._firsts is None:
            rows = np.zeros(self.size, dtype=np.int64)
            rows[self.codes[::-1]] = np.arange(len(self.codes) - 1, -1, -1)
            self._firsts = rows
        return self._firsts
