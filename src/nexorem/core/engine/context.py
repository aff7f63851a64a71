"""Contexts in batches: what filters are in force in each of N cells at once.

A filter of a batch is factored. `sets` holds K sets of members of some columns; `index` says for each of the N
contexts which of them is in force there, -1 for none. A constant condition has K = 1, an axis of a grid has K members
and says in `index` which one each cell shows. The cost of a batch follows K and the rows, never N × rows.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from nexorem.core.model.star import Columns, Star
from nexorem.core.numbering import distinct, numbered
from nexorem.core.plan.effects import Effect, Handling, left_by
from nexorem.core.values import Array, Vector, combine


@dataclass(frozen=True, slots=True, eq=False)
class Sets:
    """K sets of members: those of set k are members[offsets[k]:offsets[k+1]], ascending and distinct.

    offsets int64[K+1] · members int64.
    """

    offsets: Array
    members: Array

    @property
    def count(self) -> int:
        """K."""
        return len(self.offsets) - 1

    def owner(self) -> Array:
        """int64: for each entry of `members` its set."""
        return np.repeat(np.arange(self.count), np.diff(self.offsets))

    def mask(self, k: int, size: int) -> Array:
        """bool[size]: which of `size` members are in set k."""
        allowed = np.zeros(size, bool)
        allowed[self.members[self.offsets[k] : self.offsets[k + 1]]] = True
        return allowed

    def distinct(self) -> tuple[Sets, Array]:
        """The different sets, and for each of these the number of the one it is."""
        lengths = np.diff(self.offsets)
        # Two mixing sums tell sets apart; what they hold to be equal is compared in full.
        with np.errstate(over="ignore"):
            mixed = (self.members.astype(np.uint64) + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15)
            mixed ^= mixed >> np.uint64(29)
            sums = np.concatenate([np.zeros(1, np.uint64), np.cumsum(mixed * mixed, dtype=np.uint64)])
            key = (sums[self.offsets[1:]] - sums[self.offsets[:-1]]) ^ lengths.astype(np.uint64)
        _, firsts, number = np.unique(key, return_index=True, return_inverse=True)
        number = number.reshape(-1)
        few = self.only(firsts)
        same = self.only(firsts[number]) if len(firsts) < self.count else few
        if not (np.array_equal(same.offsets, self.offsets) and np.array_equal(same.members, self.members)):
            return self, np.arange(self.count)
        return few, number

    def only(self, numbers: Array) -> Sets:
        """The sets with these numbers, ascending, numbered anew."""
        starts = self.offsets[numbers]
        lengths = self.offsets[numbers + 1] - starts
        at = np.arange(int(lengths.sum())) - np.repeat(np.cumsum(lengths) - lengths, lengths) + np.repeat(starts, lengths)
        return Sets(np.concatenate([[0], np.cumsum(lengths)]), self.members[at])

    def parts(self, size: int) -> Array | None:
        """int64[size]: the one set each member is in, -1 for none; None where some member is in several."""
        if len(self.members) > size or np.bincount(self.members, minlength=size).max(initial=0) > 1:
            return None
        member_of = np.full(size, -1, dtype=np.int64)
        member_of[self.members] = self.owner()
        return member_of

    def same(self, other: Sets) -> bool:
        """Whether another has the very same sets."""
        return self is other or (np.array_equal(self.offsets, other.offsets) and np.array_equal(self.members, other.members))

    def projected(self, mapping: Array) -> Sets:
        """The sets of what `mapping` makes of the members."""
        return sets_of_pairs(self.owner(), mapping[self.members], self.count)


def sets_of_pairs(owners: Array, members: Array, count: int) -> Sets:
    """Sets from (set, member) pairs in any order, repeats allowed."""
    span = int(members.max(initial=0)) + 1
    keys = distinct(owners * span + members)
    owners, members = keys // span, keys % span
    return Sets(np.searchsorted(owners, np.arange(count + 1)), members)


def one_set(mask: Array) -> Sets:
    """A single set: the members where `mask` is true."""
    members = np.flatnonzero(mask)
    return Sets(np.array([0, len(members)]), members)


def each_member(size: int) -> Sets:
    """`size` sets of one member each."""
    return Sets(np.arange(size + 1), np.arange(size))


def members_at_hand(members: Array, size: int) -> tuple[Sets, Array]:
    """Sets of one member each for those of `size` members that there are, and the set of each entry."""
    if 8 * len(members) > size:
        return each_member(size), members
    present, index = numbered(members)
    return Sets(np.arange(len(present) + 1), present), index.reshape(-1)


@dataclass(frozen=True, slots=True, eq=False)
class Filter:
    """A filter on `columns` (or ROWS) of a table in a batch. `sets` are of members of that domain; `index` int64[N].

    `origin` says for people where it comes from: pick, coordinate, row, or the text of an edit. `page` is its place
    among the page's filters, -1 for any other and for one that lost a column.
    """

    table: str
    columns: Columns
    sets: Sets
    index: Array
    origin: str
    page: int = -1

    def same(self, other: Filter) -> bool:
        """Whether another filters the very same in every context."""
        mine, theirs = (self.table, self.columns, self.origin, self.page), (other.table, other.columns, other.origin, other.page)
        return mine == theirs and np.array_equal(self.index, other.index) and self.sets.same(other.sets)


@dataclass(frozen=True, slots=True, eq=False)
class Compared:
    """What stands in the condition of a `match … where`, by node, in K variants; `index` int64[N] says which."""

    index: Array
    values: Mapping[int, Vector]


@dataclass(frozen=True, slots=True, eq=False)
class Batch:
    """N contexts: their filters. All of a context's filters hold together.

    `axes` has for every column on the axes of the grid bool[N]: has the cell a coordinate there? `page` are the page's
    own filters, each of one context. `compared` is by id of the link that a `match` added. `failed` has the faults of contexts that could
    not be made, as vectors have theirs: whatever is computed there has failed.
    """

    size: int
    filters: tuple[Filter, ...] = ()
    axes: Mapping[tuple[str, str], Array] = field(default_factory=dict)
    page: tuple[Filter, ...] = ()
    compared: Mapping[int, Compared] = field(default_factory=dict)
    failed: Array | None = None

    def adding(self, *more: Filter) -> Batch:
        """With more filters."""
        return replace(self, filters=(*self.filters, *more))

    def bytes_beside(self, other: Batch) -> int:
        """The bytes of its filters that are not those of another batch."""
        shared = {id(f) for f in other.filters}
        mine = [f for f in self.filters if id(f) not in shared]
        return sum(int(f.index.nbytes + f.sets.members.nbytes + f.sets.offsets.nbytes) for f in mine)

    def at(self, contexts: Array) -> Batch:
        """The contexts at these places."""
        filters = tuple(replace(f, index=f.index[contexts]) for f in self.filters)
        axes = {key: on[contexts] for key, on in self.axes.items()}
        compared = {key: replace(c, index=c.index[contexts]) for key, c in self.compared.items()}
        failed = None if self.failed is None else self.failed[contexts]
        return Batch(len(contexts), filters, axes, self.page, compared, failed)

    def same(self, other: Batch) -> bool:
        """Whether another batch has the very same contexts; no where that takes longer to find out. Cost: its filters' indexes."""
        here, there = ((b.size, len(b.filters), b.axes.keys()) for b in (self, other))
        if here != there or self.page is not other.page:
            return False
        if self.compared or other.compared or self.failed is not None or other.failed is not None:
            return False
        alike = all(a.same(b) for a, b in zip(self.filters, other.filters, strict=True))
        return alike and all(np.array_equal(on, other.axes[key]) for key, on in self.axes.items())

    def page_only(self) -> Batch:
        """The page as one context."""
        return Batch(1, self.page, {}, self.page)

    def classes(self, more: Iterable[Array] = ()) -> tuple[Array, Array]:
        """Contexts that cannot be told apart: the class of each (int64[N]) and the first context of each class.

        `more` are arrays int64[N] in which contexts of one class must agree too.
        """
        indexes = [*(f.index for f in self.filters), *(c.index for c in self.compared.values())]
        indexes += [on.astype(np.int64) for on in self.axes.values()]
        indexes += [self.failed.astype(np.int64)] if self.failed is not None else []
        _, index, firsts = classes([*indexes, *more], self.size)
        return index, firsts


def constant_filter(batch: Batch, table: str, columns: Columns, mask: Array, origin: str) -> Filter:
    """The same filter in every context."""
    return Filter(table, columns, one_set(mask), np.zeros(batch.size, np.int64), origin)


def left_in(star: Star, effect: Effect, batch: Batch) -> Batch:
    """The batch with the filters that an effect leaves in force."""

    def again(held: Filter) -> Filter:
        return replace(held, index=np.zeros(batch.size, np.int64))

    handling = Handling(star.model, lambda f, columns: projected(star, f, columns), again)
    return replace(batch, filters=left_by(effect, batch.filters, batch.page, handling))


def projected(star: Star, held: Filter, columns: tuple[str, ...]) -> Filter:
    """The combinations of fewer columns that a filter allows."""
    before, after = star.domain(held.table, held.columns), star.domain(held.table, columns)
    return replace(held, columns=columns, sets=held.sets.projected(after.codes[before.firsts]), page=-1)


def classes(indexes: list[Array], size: int) -> tuple[Array, Array, Array]:
    """The distinct combinations that contexts show in several indexes.

    Returns (combinations int64[K, m], class of each context int64[N], first context of each class int64[K]).
    """
    if not indexes:
        return np.zeros((1, 0), np.int64), np.zeros(size, np.int64), np.zeros(1, np.int64)
    stacked = [index + 1 for index in indexes]
    numbers, firsts = combine([(index, int(index.max(initial=0))) for index in stacked])
    return np.stack([index[firsts] for index in indexes], axis=1), numbers, firsts
