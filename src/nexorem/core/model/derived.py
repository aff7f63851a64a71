"""What is derived once from the rows of tables, whatever the model says of them, and kept within a bound: members, matches, partners,
codes along look-ups, indexes."""

from __future__ import annotations

import threading
from array import array
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar, cast

import numpy as np
from cachetools import FIFOCache

from nexorem.core.columns import Column, narrow
from nexorem.core.functions.convert import widen
from nexorem.core.functions.registry import common_type
from nexorem.core.kept import Again
from nexorem.core.model.model import Link
from nexorem.core.model.proven import ColumnFacts, LinkFacts
from nexorem.core.model.rows import ROWS, Columns, Domain, TableRows
from nexorem.core.values import Array, Vector, combine, same_words

MOST_BYTES = 4 * 1024**3
MOST_INDEXES = 3
MOST_JOINED = 4
MOST_PASSING = 8
Derivable = TypeVar("Derivable")


@dataclass(frozen=True, slots=True, eq=False)
class Index:
    """The rows of a table by member of some column: those of member m are rows[starts[m]:starts[m+1]], ascending.

    starts int64[members + 1] · rows uint32[n] · `permuted` keeps other codes in the order of `rows` · `key` is what it is kept under.
    """

    starts: Array
    rows: Array
    permuted: dict[object, Array]
    key: object = None

    def ordered(self, key: object, codes: Array) -> Array:
        """Codes of the table's rows in the order of `rows`; `key` names them."""
        if key not in self.permuted:
            self.permuted[key] = codes[self.rows]
        return self.permuted[key]


def _bytes(entry: object) -> int:
    """What keeping an entry takes, at least 1."""
    if isinstance(entry, Domain):
        return entry.codes.nbytes + 8 * entry.size
    return entry.nbytes + 1 if isinstance(entry, np.ndarray) else 1


class Derived:
    """Everything derived from some rows. Safe to share between threads and between the states of a model; what was derived first is let go
    of where `most` bytes are reached, and derived again when it is asked for."""

    def __init__(self, rows: Mapping[str, TableRows], most: int = MOST_BYTES) -> None:
        self.rows = rows
        self._kept: FIFOCache[object, Any] = FIFOCache(most, getsizeof=_bytes)
        self._indexes: dict[str, dict[object, Index]] = {}
        self._joined, self._passing = Again(MOST_JOINED), Again(MOST_PASSING)
        self._asked: set[object] = set()
        self._lock = threading.RLock()

    @property
    def nbytes(self) -> int:
        """What is kept, indexes aside."""
        return int(self._kept.currsize)

    def _have(self, key: object) -> Any:
        """What is kept, None for nothing. Reading needs no lock: it looks one key up, and another thread may let it go meanwhile."""
        try:
            return self._kept[key]
        except KeyError:
            return None

    def _keep(self, key: object, entry: Derivable) -> Derivable:
        with self._lock:
            if _bytes(entry) <= self._kept.maxsize:
                self._kept[key] = entry
        return entry

    def size(self, table: str) -> int:
        """The number of rows."""
        return self.rows[table].size

    def column(self, table: str, column: str) -> Column:
        """A column of n+1 entries."""
        return self.rows[table].columns[column]

    def domain(self, table: str, columns: Columns) -> Domain:
        """The members of these columns; with ROWS every row is a member."""
        key = ("domain", table, columns)
        kept = self._have(key)
        return self._keep(key, self._make_domain(table, columns)) if kept is None else cast(Domain, kept)

    def _make_domain(self, table: str, columns: Columns) -> Domain:
        size = self.size(table)
        if columns is ROWS:
            each = np.arange(size + 1, dtype=np.int64)
            return Domain(each, size + 1, each)
        assert columns
        if len(columns) == 1:
            column = self.column(table, columns[0])
            if column.codes is not None and column.members is not None:
                return Domain(column.codes, len(column.members), own=True)
        coded = [(d.codes[:size], d.size) for d in (self.domain(table, (c,)) for c in columns)] if len(columns) > 1 else []
        groups, firsts = combine(coded or [self.column(table, columns[0]).rows().codes()])
        return Domain(narrow(np.append(groups, len(firsts)), len(firsts)), len(firsts) + 1, np.append(firsts, size))

    def match(self, table: str, columns: tuple[str, ...], other: str, other_columns: tuple[str, ...]) -> Array:
        """For each member of the first domain the member of the second with an equal key, -1 where there is none.

        int64[size of the first domain]. A key with an empty part equals nothing; the unmatched member neither.
        """
        key = ("match", table, columns, other, other_columns)
        kept = self._have(key)
        return self._keep(key, self._make_match(table, columns, other, other_columns)) if kept is None else cast(Array, kept)

    def _make_match(self, table: str, columns: tuple[str, ...], other: str, other_columns: tuple[str, ...]) -> Array:
        mine, theirs = self.domain(table, columns), self.domain(other, other_columns)
        left, right = mine.firsts[:-1], theirs.firsts[:-1]
        full = np.ones(len(left) + len(right), bool)
        coded = []
        for a, b in zip(columns, other_columns, strict=True):
            both = concatenated(self.column(table, a).take(left), self.column(other, b).take(right))
            full &= both.valid
            coded.append(both.codes())
        result = np.full(mine.size, -1, dtype=np.int64)
        if len(full) == 0:
            return result
        groups, _ = combine(coded)
        place = np.full(int(groups.max(initial=-1)) + 1, -1, dtype=np.int64)
        place[groups[len(left) :]] = np.arange(len(right))
        result[:-1] = np.where(full[: len(left)], place[groups[: len(left)]], -1)
        return result

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of the link, active or not."""
        key = ("facts", link.from_table, link.from_columns, link.to_table, link.to_columns)
        kept = self._have(key)
        return self._keep(key, self._make_facts(link)) if kept is None else cast(LinkFacts, kept)

    def know(self, from_table: str, from_columns: tuple[str, ...], to_table: str, to_columns: tuple[str, ...], facts: LinkFacts) -> None:
        """Takes what was found out of a link over these very rows before."""
        self._keep(("facts", from_table, from_columns, to_table, to_columns), facts)

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column."""
        key = ("column facts", table, column)
        kept = self._have(key)
        if kept is None:
            empty = self.size(table) - int(self.column(table, column).rows().valid.sum())
            members = self.domain(table, (column,)).size - 1  # an empty one among them
            kept = self._keep(key, ColumnFacts(empty, members - bool(empty)))
        return cast(ColumnFacts, kept)

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column."""
        return self.column_facts(table, column).empty > 0

    def _make_facts(self, link: Link) -> LinkFacts:
        table, columns = link.from_table, link.from_columns
        # By member, of which there are fewer than rows.
        counts = self.member_counts(table, columns, ())[:-1]
        hit = self.match(table, columns, link.to_table, link.to_columns)[:-1] >= 0
        full = self._full(table, columns)
        matched, empty = int(counts[hit].sum()), int(counts[~full].sum())
        orphans = int(counts[full & ~hit].sum())
        repeated, key_empty = self._repeated(link.to_table, link.to_columns)
        from_repeated, _ = self._repeated(table, columns)
        return LinkFacts(matched, orphans, empty, repeated, from_repeated, key_empty)

    def _full(self, table: str, columns: tuple[str, ...]) -> Array:
        """bool: the members of some columns of which no part is empty; the unmatched one aside."""
        firsts = self.domain(table, columns).firsts[:-1]
        full = np.ones(len(firsts), bool)
        for column in columns:
            full &= self.column(table, column).take(firsts).valid
        return full

    def _repeated(self, table: str, columns: tuple[str, ...]) -> tuple[array[int], int]:
        counts, full = self.member_counts(table, columns, ())[:-1], self._full(table, columns)
        firsts = self.domain(table, columns).firsts[:-1][full & (counts > 1)]
        return array("q", firsts.tobytes()), int(counts[~full].sum())

    def partner(self, link: Link) -> Array:
        """int64[n_from + 1]: for each row of a firm link's `from` side its partner's row, or the place of the other
        table's unmatched member where it has none."""
        return self.partners(link, np.arange(self.size(link.from_table) + 1))

    def partners(self, link: Link, rows: Array) -> Array:
        """The partners of some rows of a firm link's `from` side."""
        return self._partner_of_member(link)[self.domain(link.from_table, link.from_columns).codes[rows]]

    def _partner_of_member(self, link: Link) -> Array:
        """int64: the partner's row for each member of the link's `from` columns."""
        key = ("partner", link.from_table, link.from_columns, link.to_table, link.to_columns)
        kept = self._have(key)
        if kept is None:
            members = self.match(link.from_table, link.from_columns, link.to_table, link.to_columns)
            theirs = self.domain(link.to_table, link.to_columns)
            kept = self._keep(key, np.where(members >= 0, theirs.firsts[members], self.size(link.to_table)))
        return cast(Array, kept)

    def partner_along(self, chain: tuple[Link, ...], rows: Array) -> Array:
        """The rows at the end of a chain of look-ups."""
        for link in chain:
            rows = self.partners(link, rows)
        return rows

    def spread(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Array:
        """A member code for each row of the first table of `chain`, a chain of look-ups that ends at `table`.

        As narrow as they can be, [n+1]. With an empty chain these are the domain's own codes. Kept, for every grid asks for them again.
        """
        if not chain:
            return self.domain(table, columns).codes
        key = ("spread", table, columns, _ends(chain))
        kept = self._have(key)
        if kept is None:
            link = chain[0]
            of_member = self.spread(table, columns, chain[1:])[self._partner_of_member(link)]
            kept = self._keep(key, of_member[self.domain(link.from_table, link.from_columns).codes])
        return cast(Array, kept)

    def member_counts(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Array:
        """int64: how many rows of the first table of `chain` are at each member of `spread`."""
        key = ("counts", table, columns, _ends(chain))
        kept = self._have(key)
        if kept is None:
            codes = self.spread(table, columns, chain)[:-1]
            kept = self._keep(key, np.bincount(codes, minlength=self.domain(table, columns).size))
        return cast(Array, kept)

    def member_rows(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Index | None:
        """The rows of the first table of `chain` by member of `spread`.

        Made when it is asked for the second time; each table keeps the few that were used last.
        """
        home = chain[0].from_table if chain else table
        key = ("index", table, columns, _ends(chain))
        with self._lock:
            kept = self._indexes.setdefault(home, {})
            index = kept.pop(key, None)
            again = key in self._asked
            self._asked.add(key)
            if index is None and again:
                codes = self.spread(table, columns, chain)[:-1]
                starts = np.concatenate([[0], np.cumsum(self.member_counts(table, columns, chain))])
                from nexorem.core.sorting import rows_by_code

                index = Index(starts, rows_by_code(codes, starts), {}, key)
            if index is not None:
                kept[key] = index
                while len(kept) > MOST_INDEXES:
                    del kept[next(iter(kept))]
            return index

    def joined(self, table: str, key: object, join: Callable[[], Array]) -> Array | None:
        """Codes of several columns in one, or other whole numbers, narrow, one for each row of a table, as `join` makes them; `key` is all
        that they depend on. Made when they are asked for the second time; each table keeps the few that were used last."""
        return self._joined.get(table, key, join)

    def passing(self, table: str, key: object, find: Callable[[], Array] | None = None) -> Array | None:
        """uint32: the rows of a table that pass some filters, as `find` finds them; `key` is all that they depend on. Found when they are
        asked for with it the second time; each table keeps the few that were used last."""
        return self._passing.get(table, key, find)

    def derive(self, key: tuple[object, ...], find: Callable[[], Derivable]) -> Derivable:
        """What `find` found of the rows alone, whatever the links: kept as long as these rows are."""
        kept = self._have(("derived", *key))
        return self._keep(("derived", *key), find()) if kept is None else cast(Derivable, kept)

    def all_bytes(self) -> int:
        """What is kept of all tables, indexes among it; of members that are a column's own codes, nothing."""
        entries, indexes = list(self._kept.values()), [i for x in list(self._indexes.values()) for i in list(x.values())]
        size = sum(_bytes(e) for e in entries if not (isinstance(e, Domain) and e.own))
        size += self._joined.bytes() + self._passing.bytes()
        return size + sum(i.rows.nbytes + i.starts.nbytes + sum(p.nbytes for p in list(i.permuted.values())) for i in indexes)

    def forget(self) -> None:
        """Lets go of all that is worth any room; it is derived again when it is asked for."""
        with self._lock:
            small = {key: entry for key, entry in self._kept.items() if isinstance(entry, LinkFacts | ColumnFacts)}
            self._kept.clear()
            self._indexes.clear()
            self._joined.forget()
            self._passing.forget()
            self._kept.update(small)

    def table_bytes(self, table: str) -> int:
        """What is kept beside the columns of a table: codes of what it looks up, indexes."""
        entries = ((key, entry) for key, entry in list(self._kept.items()) if isinstance(key, tuple) and _rows_of(key) == table)
        arrays = [
            entry.codes if isinstance(entry, Domain) else entry for _, entry in entries if not (isinstance(entry, Domain) and entry.own)
        ]
        size = sum(a.nbytes for a in arrays if isinstance(a, np.ndarray))
        indexes = self._indexes.get(table, {}).values()
        size += self._joined.bytes(table) + self._passing.bytes(table)
        return size + sum(i.rows.nbytes + i.starts.nbytes + sum(p.nbytes for p in i.permuted.values()) for i in indexes)


def _ends(chain: tuple[Link, ...]) -> tuple[object, ...]:
    """A chain by the columns that it joins: what the model calls its links, and how they flow, changes no code."""
    return tuple((k.from_table, k.from_columns, k.to_table, k.to_columns) for k in chain)


def _rows_of(key: tuple[object, ...]) -> object:
    """The table whose rows an entry has one code each for."""
    if key[0] == "spread" and isinstance(key[3], tuple) and key[3]:
        return key[3][0][0]
    return key[1] if key[0] == "domain" else None


def concatenated(a: Vector, b: Vector) -> Vector:
    """Two vectors of comparable types, one after the other."""
    kind = common_type([a.dtype, b.dtype])
    assert kind
    a, b = widen(a, kind), widen(b, kind)
    if kind == "text":
        a, b = same_words([a, b])
    return Vector(kind, np.concatenate([a.data, b.data]), np.concatenate([a.valid, b.valid]), a.words)
