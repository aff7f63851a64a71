"""The rows of a model, and what is derived from them once and kept: members, partners, firmness, unmatched members.

Row numbers: a table of n rows has the rows 0 … n-1; place n stands for its unmatched member, whether it has one or
not. Every column vector has n+1 entries, the last one empty, so that arrays of row numbers may hold n.
"""

from __future__ import annotations

import threading
from array import array
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, TypeVar, cast

import numpy as np

from nexorem.core.columns import Column, compact, narrow
from nexorem.core.functions.convert import widen
from nexorem.core.functions.registry import common_type
from nexorem.core.kept import Kept
from nexorem.core.model.model import Link, Model
from nexorem.core.model.paths import Inflow, LinkState, inflow, lookups, model_state
from nexorem.core.values import Array, Vector, combine, same_words

MOST_INDEXES = 3
MOST_CONDITIONS = 256
MOST_PLANS = 256
MOST_PARTS = 10_000
MANY_ROWS = 100_000  # that are worth two threads
ROWS = None  # in place of a tuple of columns: the rows themselves
Columns = tuple[str, ...] | None
Found = TypeVar("Found")


@dataclass(frozen=True, slots=True, eq=False)
class TableRows:
    """The rows of one table; `columns` by the names as defined, each with the place of the unmatched member."""

    size: int
    columns: Mapping[str, Column]


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
    is the unmatched member.
    """

    __slots__ = ("_firsts", "codes", "size")

    def __init__(self, codes: Array, size: int, firsts: Array | None = None) -> None:
        self.codes, self.size, self._firsts = codes, size, firsts

    @property
    def firsts(self) -> Array:
        """int64[size]: the first row of each member."""
        if self._firsts is None:
            found = np.zeros(self.size, dtype=np.int64)
            found[self.codes[::-1]] = np.arange(len(self.codes) - 1, -1, -1)
            self._firsts = found
        return self._firsts


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """What the rows say of a link: rows of the `from` side that match, that name a key which is not there, whose key
    is empty; and keys of the one side that repeat (their first rows)."""

    matched: int
    orphans: int
    empty: int
    repeated: array[int]
    from_repeated: array[int]
    key_empty: int


@dataclass(frozen=True, slots=True, eq=False)
class Index:
    """The rows of a table by member of some column: those of member m are rows[starts[m]:starts[m+1]], ascending.

    starts int64[members + 1] · rows uint32[n] · `permuted` keeps other codes in the order of `rows`.
    """

    starts: Array
    rows: Array
    permuted: dict[object, Array]

    def ordered(self, key: object, codes: Array) -> Array:
        """Codes of the table's rows in the order of `rows`; `key` names them."""
        if key not in self.permuted:
            self.permuted[key] = codes[self.rows]
        return self.permuted[key]


class Star:
    """A model with its rows. Holds every derived array; safe to share between threads.

    `plans` keeps probes as they were planned, by their shape; `conditions` what page conditions came to, by their text, where they look at
    nothing but their own columns; `bound` measures that were bound without fault, carried over an edit that changes no table and no link.
    """

    def __init__(self, model: Model, rows: Mapping[str, TableRows]) -> None:
        self.model = model
        self.rows = rows
        self._kept: dict[object, object] = {}
        self.conditions, self.plans = Kept(MOST_CONDITIONS), Kept(MOST_PLANS)
        self.bound: dict[object, Any] = {}
        self.parts = Kept(MOST_PARTS)
        self._indexes: dict[str, dict[object, Index]] = {}
        self._asked: set[object] = set()
        self._lock = threading.RLock()
        self.state = model_state(model)
        self.firm = frozenset(k.name for k in model.links if self._is_firm(k))
        self.firm_back = self._both_ways()
        self._unmatched = self._find_unmatched()

    def with_model(self, model: Model) -> Star:
        """The same rows under an edited model; what depends on rows and columns alone is carried over."""
        star = Star.__new__(Star)
        star.model, star.rows, star._lock = model, self.rows, self._lock
        star._indexes, star._asked = self._indexes, self._asked
        star.conditions, star.plans = Kept(MOST_CONDITIONS), Kept(MOST_PLANS)
        star.parts = self.parts
        same = model.tables == self.model.tables and model.links == self.model.links
        star.bound = dict(self.bound) if same else {}
        kept = ("domain", "match", "facts", "partner", "spread", "counts", "found")
        star._kept = {k: v for k, v in list(self._kept.items()) if isinstance(k, tuple) and k[0] in kept}
        star.state = model_state(model)
        star.firm = frozenset(k.name for k in model.links if star._is_firm(k))
        star.firm_back = star._both_ways()
        star._unmatched = star._find_unmatched()
        return star

    def size(self, table: str) -> int:
        """The number of rows."""
        return self.rows[table].size

    def column(self, table: str, column: str) -> Column:
        """A column of n+1 entries."""
        return self.rows[table].columns[column]

    def domain(self, table: str, columns: Columns) -> Domain:
        """The members of these columns; with ROWS every row is a member."""
        key = ("domain", table, columns)
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = self._make_domain(table, columns)
        assert isinstance(found, Domain)
        return found

    def _make_domain(self, table: str, columns: Columns) -> Domain:
        size = self.size(table)
        if columns is ROWS:
            each = np.arange(size + 1, dtype=np.int64)
            return Domain(each, size + 1, each)
        assert columns
        if len(columns) == 1:
            column = self.column(table, columns[0])
            if column.codes is not None and column.members is not None:
                return Domain(column.codes, len(column.members))
        coded = [(d.codes[:size], d.size) for d in (self.domain(table, (c,)) for c in columns)] if len(columns) > 1 else []
        groups, firsts = combine(coded or [self.column(table, columns[0]).rows().codes()])
        return Domain(narrow(np.append(groups, len(firsts)), len(firsts)), len(firsts) + 1, np.append(firsts, size))

    def match(self, table: str, columns: tuple[str, ...], other: str, other_columns: tuple[str, ...]) -> Array:
        """For each member of the first domain the member of the second with an equal key, -1 where there is none.

        int64[size of the first domain]. A key with an empty part equals nothing; the unmatched member neither.
        """
        key = ("match", table, columns, other, other_columns)
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = self._make_match(table, columns, other, other_columns)
        assert isinstance(found, np.ndarray)
        return found

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
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = self._make_facts(link)
        assert isinstance(found, LinkFacts)
        return found

    def _make_facts(self, link: Link) -> LinkFacts:
        domain = self.domain(link.from_table, link.from_columns)
        codes = domain.codes[:-1]
        hit = self.match(link.from_table, link.from_columns, link.to_table, link.to_columns)[codes] >= 0
        empty = np.zeros(len(codes), bool)
        for column in link.from_columns:
            empty |= ~self.column(link.from_table, column).rows().valid
        repeated, key_empty = self._repeated(link.to_table, link.to_columns)
        from_repeated, _ = self._repeated(link.from_table, link.from_columns)
        return LinkFacts(int(hit.sum()), int((~hit & ~empty).sum()), int(empty.sum()), repeated, from_repeated, key_empty)

    def _repeated(self, table: str, columns: tuple[str, ...]) -> tuple[array[int], int]:
        domain = self.domain(table, columns)
        full = np.ones(self.size(table), bool)
        for column in columns:
            full &= self.column(table, column).rows().valid
        counts = np.bincount(domain.codes[:-1][full], minlength=domain.size)
        return array("q", domain.firsts[counts > 1].tobytes()), int((~full).sum())

    def _both_ways(self) -> frozenset[str]:
        """The firm links of one to one that the keys of both sides prove: they are looked up over from either."""
        links = (k for k in self.model.links if k.cardinality == "one-to-one" and k.name in self.firm)
        return frozenset(k.name for k in links if not self.facts(k).from_repeated)

    def _is_firm(self, link: Link) -> bool:
        if link.cardinality == "many-to-many" or link.firm is False:
            return False
        facts = self.facts(link)
        proven = not facts.repeated and not facts.key_empty
        if link.firm is None:
            sources = {t.source for t in self.model.tables if t.name in link.tables}
            return proven and len(sources) == 1
        return proven

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
        found = self._kept.get(key)
        if found is None:
            members = self.match(link.from_table, link.from_columns, link.to_table, link.to_columns)
            theirs = self.domain(link.to_table, link.to_columns)
            found = self._kept[key] = np.where(members >= 0, theirs.firsts[members], self.size(link.to_table))
        assert isinstance(found, np.ndarray)
        return found

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
        ends = tuple((k.from_table, k.from_columns, k.to_table, k.to_columns) for k in chain)
        key = ("spread", table, columns, ends)
        found = self._kept.get(key)
        if found is None:
            link = chain[0]
            of_member = self.spread(table, columns, chain[1:])[self._partner_of_member(link)]
            found = self._kept[key] = of_member[self.domain(link.from_table, link.from_columns).codes]
        assert isinstance(found, np.ndarray)
        return found

    def member_counts(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Array:
        """int64: how many rows of the first table of `chain` are at each member of `spread`."""
        ends = tuple((k.from_table, k.from_columns, k.to_table, k.to_columns) for k in chain)
        key = ("counts", table, columns, ends)
        found = self._kept.get(key)
        if found is None:
            codes = self.spread(table, columns, chain)[:-1]
            found = self._kept[key] = np.bincount(codes, minlength=self.domain(table, columns).size)
        assert isinstance(found, np.ndarray)
        return found

    def member_rows(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Index | None:
        """The rows of the first table of `chain` by member of `spread`.

        Made when it is asked for the second time; each table keeps the few that were used last.
        """
        home = chain[0].from_table if chain else table
        ends = tuple((k.from_table, k.from_columns, k.to_table, k.to_columns) for k in chain)
        key = ("index", table, columns, ends)
        with self._lock:
            kept = self._indexes.setdefault(home, {})
            found = kept.pop(key, None)
            asked = key in self._asked
            self._asked.add(key)
            if found is None and asked:
                codes = self.spread(table, columns, chain)[:-1]
                starts = np.concatenate([[0], np.cumsum(self.member_counts(table, columns, chain))])
                found = Index(starts, np.argsort(codes, kind="stable").astype(np.uint32), {})
            if found is not None:
                kept[key] = found
                while len(kept) > MOST_INDEXES:
                    del kept[next(iter(kept))]
            return found

    def found(self, key: tuple[object, ...], find: Callable[[], Found]) -> Found:
        """What `find` found of the rows alone, whatever the links: kept as long as these rows are."""
        kept = self._kept.get(("found", *key))
        if kept is None:
            kept = self._kept["found", *key] = find()
        return cast(Found, kept)

    def part(self, key: tuple[object, ...], made_from: tuple[object, ...], make: Callable[[], Found]) -> Found:
        """Something that is told of a model, kept over its edits as long as what it was made from is the same: parts of the model the very
        same ones, names and sets of them equal."""
        kept = self.parts.get(key)
        if kept is None or not all(map(_is_same, kept[0], made_from)):
            kept = self.parts.put(key, (made_from, make()))
        return cast(Found, kept[1])

    def derived_bytes(self, table: str) -> int:
        """What is kept beside the columns of a table: codes of what it looks up, indexes."""
        arrays = [
            v.codes if isinstance(v, Domain) else v for k, v in self._kept.items() if isinstance(k, tuple) and self._rows_of(k) == table
        ]
        own = {id(c.codes) for c in self.rows[table].columns.values()}
        found = sum(a.nbytes for a in arrays if isinstance(a, np.ndarray) and id(a) not in own)
        indexes = self._indexes.get(table, {}).values()
        return found + sum(i.rows.nbytes + i.starts.nbytes + sum(p.nbytes for p in i.permuted.values()) for i in indexes)

    @staticmethod
    def _rows_of(key: tuple[object, ...]) -> object:
        """The table whose rows an entry of the cache has one code each for."""
        if key[0] == "spread" and isinstance(key[3], tuple) and key[3]:
            return key[3][0][0]
        return key[1] if key[0] == "domain" else None

    def has_unmatched(self, table: str) -> bool:
        """Whether the table has an unmatched member: some firm link, active or not, leaves rows without partner, or
        a table that looks it up has one itself."""
        return table in self._unmatched

    def _find_unmatched(self) -> frozenset[str]:
        firm = [k for k in self.model.links if k.name in self.firm]
        found = {k.to_table for k in firm if self.facts(k).matched < self.size(k.from_table)}
        while True:
            more = {k.to_table for k in firm if k.from_table in found} - found
            if not more:
                return frozenset(found)
            found |= more

    def inflow(self, table: str, state: LinkState) -> Inflow:
        """The tree of flows into a table; raises DoublePath."""
        if state.added:  # of one formula: not worth keeping
            return inflow(self.model, table, state, self.firm)
        key = ("inflow", table, state)
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = inflow(self.model, table, state, self.firm)
        assert isinstance(found, Inflow)
        return found

    def lookups(self, table: str, state: LinkState) -> dict[str, tuple[Link, ...]]:
        """What rows of a table can look up, and how: each step from many to one, or one to one."""
        return self._looked_up(table, state, self.firm_back)

    def lookups_down(self, table: str, state: LinkState) -> dict[str, tuple[Link, ...]]:
        """The same over links from their `from` side alone: of two tables that look each other up, the grain is found this way first."""
        return self._looked_up(table, state, frozenset())

    def _looked_up(self, table: str, state: LinkState, back: frozenset[str]) -> dict[str, tuple[Link, ...]]:
        key = ("lookups", table, state.active, back)
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = lookups(self.model, table, state, self.firm, back)
        return cast("dict[str, tuple[Link, ...]]", found)


def _is_same(a: object, b: object) -> bool:
    return a is b or (isinstance(a, str | bool | frozenset | dict) and type(a) is type(b) and a == b)


def concatenated(a: Vector, b: Vector) -> Vector:
    """Two vectors of comparable types, one after the other."""
    kind = common_type([a.dtype, b.dtype])
    assert kind
    a, b = widen(a, kind), widen(b, kind)
    if kind == "text":
        a, b = same_words([a, b])
    return Vector(kind, np.concatenate([a.data, b.data]), np.concatenate([a.valid, b.valid]), a.words)
