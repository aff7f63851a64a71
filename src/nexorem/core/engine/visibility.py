"""Which rows are visible, for all contexts of a batch at once.

The definition is a recursion over the tree of links that flow into a table (`Inflow`). Here it is turned round. Every
filter that comes down by look-ups alone is a member code on each row of the table itself: a *selector*. Where a filter
crosses a link that is no look-up (from the many side upwards, or loosely), all filters behind that link decide
together; what they leave visible there becomes one new selector on this side of it, a *gate*.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.context import Batch, Sets, classes, sets_of_pairs
from nexorem.core.engine.scalar import evaluate
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.model import Comparison, Link
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import ROWS, Columns, Star
from nexorem.core.numbering import distinct, distinct_any, numbered
from nexorem.core.values import Array, Vector, combine

PAIRS_AT_ONCE = 4_000_000
MANY = 100_000  # places that are worth a compiled loop, rows that are worth an index
INDEXED = 0.06  # of the rows pass a filter: then an index has their numbers


RowNumbers = Array | range  # ascending; a range is all of them, from 0 on


@dataclass(frozen=True, slots=True, eq=False)
class Selector:
    """A condition on the rows of some table: in a context whose index is k ≥ 0 a row passes when its code is in set k.

    The code of a row is the member of (`table`, `columns`) at the end of the look-ups of `chain`.
    """

    table: str
    columns: Columns
    chain: tuple[Link, ...]
    sets: Sets
    index: Array

    def codes(self, star: Star) -> Array:
        """int64[n+1], a code for each row and the unmatched member."""
        return star.spread(self.table, self.columns, self.chain)


def selectors(star: Star, flow: Inflow, batch: Batch, budget: Budget) -> list[Selector]:
    """Every condition that the filters of a batch put on the rows of `flow.table`."""
    filters = [Selector(f.table, f.columns, (), f.sets, f.index) for f in batch.filters if f.table == flow.table]
    for source in flow.sources:
        behind = selectors(star, source, batch, budget)
        assert source.link
        if not behind:
            continue
        if source.how == "lookup":
            filters += [Selector(s.table, s.columns, (source.link, *s.chain), s.sets, s.index) for s in behind]
        elif isinstance(source.link, Comparison):
            filters.append(_compared_gate(star, source.link, behind, batch, budget))
        else:
            filters.append(_gate(star, flow.table, source, behind, budget))
    return filters


def _gate(star: Star, table: str, source: Inflow, behind: list[Selector], budget: Budget) -> Selector:
    link = source.link
    assert link
    size = star.size(source.table)
    columns: Columns = ROWS
    if source.how == "up":
        target = star.partner(link)[:size]
        target = np.where(target < star.size(table), target, -1)
    else:
        mine, theirs = link.from_columns, link.to_columns
        if table != link.from_table:
            mine, theirs = theirs, mine
        columns = mine
        target = star.match(source.table, theirs, table, mine)[star.domain(source.table, theirs).codes[:size]]
    combinations, index, _ = classes([s.index for s in behind], len(behind[0].index))
    owners, members = [], []
    rows = np.flatnonzero(target >= 0)
    for part in assign(star, behind, combinations, rows, budget, target[rows]):
        if (combinations[part.pair_classes[:1]] < 0).all():
            continue  # no filter reaches the far side here: everything passes
        owners.append(part.pair_classes)
        members.append(target[part.rows[part.group_firsts[part.pair_groups]]])
    nothing = np.zeros(0, np.int64)
    sets = sets_of_pairs(np.concatenate([nothing, *owners]), np.concatenate([nothing, *members]), len(combinations))
    free = np.asarray((combinations < 0).all(axis=1))
    return Selector(table, columns, (), sets, np.where(free[index], -1, index))


def _compared_gate(star: Star, link: Comparison, behind: list[Selector], batch: Batch, budget: Budget) -> Selector:
    """The gate of a `match … where`: the rows for which some visible row of the other table makes its condition true."""
    columns, theirs = link.from_columns, link.to_columns
    compared = batch.compared.get(id(link))
    variant = compared.index if compared else np.zeros(batch.size, np.int64)
    combinations, index, _ = classes([*(s.index for s in behind), variant], batch.size)
    variants, combinations = combinations[:, -1], combinations[:, :-1]
    free = np.asarray((combinations < 0).all(axis=1))
    rows = np.arange(star.size(link.to_table))
    key = star.domain(link.to_table, theirs).codes[rows]
    nothing = np.zeros(0, np.int64)
    owners, members = [nothing], [nothing]
    for k in distinct(variants[~free]):
        source, target = true_pairs(star, link, {n: v.take(np.array([k])) for n, v in compared.values.items()} if compared else {}, budget)
        starts = np.searchsorted(source, np.arange(star.domain(link.to_table, theirs).size + 1))
        own = np.flatnonzero((variants == k) & ~free)
        for part in assign(star, behind, combinations[own], rows, budget, key):
            there = key[part.rows[part.group_firsts]]
            repeats, at = ranges(starts, there[part.pair_groups], budget)
            owners.append(np.repeat(own[part.pair_classes], repeats))
            members.append(target[at])
    sets = sets_of_pairs(np.concatenate(owners), np.concatenate(members), len(combinations))
    return Selector(link.from_table, columns, (), sets, np.where(free[index], -1, index))


def true_pairs(star: Star, link: Comparison, outer: Mapping[int, Vector], budget: Budget) -> tuple[Array, Array]:
    """The pairs of members of the link's two ends for which its condition is true, by source: (source, target) int64.

    Members are those of the domains of `to_columns` and `from_columns`; neither unmatched member is among them.
    `outer` has one value for each cell-shaped node of the condition.
    """
    source, target = star.domain(link.to_table, link.to_columns).firsts[:-1], star.domain(link.from_table, link.from_columns).firsts[:-1]
    nothing = np.zeros(0, np.int64)
    pairs = [(nothing, nothing)]
    step = max(PAIRS_AT_ONCE // max(len(target), 1), 1)
    for start in range(0, len(source), step):
        budget.check()
        part = source[start : start + step]
        count = len(part) * len(target)

        def leaf(node: t.Typed, part: Array = part, count: int = count) -> Vector | None:
            if isinstance(node, t.ColumnValue):
                rows = np.repeat(part, len(target)) if node.table == link.to_table else np.tile(target, len(part))
                return star.column(node.table, node.column).take(rows)
            return outer[id(node)].take(np.zeros(count, np.int64)) if isinstance(node, t.InContext) else None

        held = evaluate(link.predicate, leaf, count)
        if code := held.fault_code():
            raise CellError(code)
        true = np.flatnonzero(widen(held, "boolean").true())
        pairs.append((start + true // max(len(target), 1), true % max(len(target), 1)))
    return np.concatenate([a for a, _ in pairs]), np.concatenate([b for _, b in pairs])


@dataclass(frozen=True, slots=True, eq=False)
class Assignment:
    """Rows of one pattern of filters, in groups, and which groups belong to which classes of contexts.

    rows int64 · groups int64, the group of each row · group_firsts int64, a place in `rows` for each group ·
    pair_groups, pair_classes int64: group g is visible in class c. A group may belong to many classes, and a class
    may have many groups.
    """

    rows: Array
    groups: Array
    group_firsts: Array
    pair_groups: Array
    pair_classes: Array


def assign(
    star: Star, filters: Sequence[Selector], combinations: Array, rows: RowNumbers, budget: Budget, key: Array | None = None
) -> Iterator[Assignment]:
    """Which of `rows` are visible in which classes; `combinations` int64[K, m] has the selectors' indexes a class.

    With `key` (int64, one a row, ≥ 0) rows of different keys stand in different groups, and rows of one key that pass
    alike in the same; without it a group is what passes alike.
    """
    for part in patterns(filters, combinations):
        budget.check()
        yield assign_pattern(star, part, rows, budget, key)


@dataclass(frozen=True, slots=True, eq=False)
class Pattern:
    """Classes under the same selectors: their numbers, the selectors in force, and the set of each that a class wants,
    int64[classes, selectors]."""

    members: Array
    selectors: list[Selector]
    wanted: Array


def patterns(filters: Sequence[Selector], combinations: Array) -> Iterator[Pattern]:
    """The classes by which selectors are in force in them."""
    if not len(combinations):
        return
    present = combinations >= 0
    if (present == present[0]).all():
        of_class, kinds = np.zeros(len(present), np.int64), np.zeros(1, np.int64)
    else:
        of_class, kinds = combine([(present[:, i].astype(np.int64), 1) for i in range(present.shape[1])])
    # Those with most selectors first: what they add up can be added up further for the others.
    for number in np.argsort(-present[kinds].sum(axis=1), kind="stable") if len(kinds) > 1 else (0,):
        first = kinds[number] if len(kinds) > 1 else 0
        members = np.flatnonzero(of_class == number)
        active = np.flatnonzero(present[first])
        yield Pattern(members, [filters[int(i)] for i in active], combinations[np.ix_(members, active)])


@dataclass(frozen=True, slots=True, eq=False)
class Varying:
    """A selector whose index differs between the classes at hand.

    codes int64, one a row at hand: the set the row is in, or with `overlapping` its member · `size` of them · wanted
    int64, one a class: its set.
    """

    codes: Array
    size: int
    wanted: Array
    overlapping: Sets | None


def assign_pattern(star: Star, pattern: Pattern, rows: RowNumbers, budget: Budget, key: Array | None = None) -> Assignment:
    """Which of `rows` are visible in the classes of one pattern. Cost: that of the rows that pass the most selective filter, where its
    index is there and all rows are asked for; of all rows otherwise."""
    filters, wanted, members = pattern.selectors, pattern.wanted, pattern.members
    constant = [bool((wanted[:, i] == wanted[0, i]).all()) for i in range(len(filters))]
    masks = [_passing(star, s, wanted[:, i]) for i, s in enumerate(filters)]
    places, first = _candidates(star, filters, masks, rows)

    def coded_at(selector: Selector) -> Array:
        return _at(selector.codes(star), places if _is_run(rows) else _at(rows, places))

    for i, (selector, mask) in enumerate(zip(filters, masks, strict=True)):
        if mask is not None and i != first:
            kept = mask[coded_at(selector)]
            places = np.flatnonzero(kept) if isinstance(places, range) else places if kept.all() else places[kept]
    varying = [_prepare(star, s, wanted[:, i], coded_at(s)) for i, s in enumerate(filters) if not constant[i]]
    coded = [(item.codes, item.size) for item in varying]
    if key is not None:
        coded.append((_at(key, places), int(key.max(initial=0))))
    if not coded:
        firsts = np.zeros(min(len(places), 1), np.int64)
        groups = np.zeros(len(places), np.int64)
    else:
        groups, firsts = combine(coded)
    pair_groups, pair_classes = pairs_of(varying, [item.codes[firsts] for item in varying], len(firsts), len(members), budget)
    numbers = np.arange(len(places)) if isinstance(places, range) else places
    return Assignment(numbers if _is_run(rows) else _at(rows, numbers), groups, firsts, pair_groups, members[pair_classes])


def _is_run(rows: RowNumbers) -> bool:
    """Whether ascending numbers are all from 0 on."""
    return isinstance(rows, range) or not len(rows) or int(rows[-1]) == len(rows) - 1


def _at(values: RowNumbers, places: RowNumbers) -> Array:
    """The values at some places."""
    if isinstance(values, range):
        return np.arange(len(places)) if isinstance(places, range) else places
    return values[: len(places)] if isinstance(places, range) else values[places]


def domain_size(star: Star, selector: Selector) -> int:
    """How many members there are of what a selector looks at."""
    return star.domain(selector.table, selector.columns).size


def _passing(star: Star, selector: Selector, wanted: Array) -> Array | None:
    """bool[members]: which of them some class lets through; None where sets overlap."""
    size = domain_size(star, selector)
    if (wanted == wanted[0]).all():
        return selector.sets.mask(int(wanted[0]), size)
    parts = selector.sets.parts(size)
    if parts is None:
        return None
    held = np.zeros(selector.sets.count + 1, bool)
    held[wanted] = True
    return held[parts]  # a member of no set has the code −1, which is the last place


def _candidates(star: Star, filters: Sequence[Selector], masks: Sequence[Array | None], rows: RowNumbers) -> tuple[RowNumbers, int]:
    """The places of the rows that pass one filter, by its index, and which that is: the most selective one. All of them, and −1, where
    only some rows are asked for, or an index saves little."""
    count = len(rows)
    if count < MANY or not _is_run(rows):
        return range(count), -1
    best, fewest = -1, INDEXED * count
    for i, (s, mask) in enumerate(zip(filters, masks, strict=True)):
        if mask is not None and (passing := int(star.member_counts(s.table, s.columns, s.chain)[mask].sum())) <= fewest:
            best, fewest = i, passing
    index = star.member_rows(filters[best].table, filters[best].columns, filters[best].chain) if best >= 0 else None
    if index is None:
        return range(count), -1
    mask = masks[best]
    assert mask is not None
    picked = np.flatnonzero(mask)
    starts = index.starts
    repeats = starts[picked + 1] - starts[picked]
    numbers = np.sort(index.rows[places_of(starts, picked, repeats, int(repeats.sum()))].astype(np.int64))
    numbers = numbers[: np.searchsorted(numbers, count)]  # the rows asked for may be the first of a table alone
    codes = filters[best].codes(star)
    behind = len(codes) - 1  # the unmatched member is in no index
    return np.append(numbers, behind) if behind < count and mask[codes[behind]] else numbers, best


def _prepare(star: Star, selector: Selector, index: Array, codes: Array) -> Varying:
    size = domain_size(star, selector)
    parts = selector.sets.parts(size)
    if parts is None:
        return Varying(codes, size, index, selector.sets)
    return Varying(parts[codes], selector.sets.count, index, None)


def pairs_of(items: Sequence[Varying], group_codes: Sequence[Array], groups: int, count: int, budget: Budget) -> tuple[Array, Array]:
    """(group, class) for every group that passes all of a class's selectors.

    Goes selector by selector, and keeps after each only the beginnings that some class has: what is built never grows
    beyond the pairs that are asked for times one selector's overlap.
    """
    pair_groups = np.arange(groups)
    matched = np.zeros(groups, np.int64)  # the beginning each pair has matched so far
    beginnings = np.zeros(count, np.int64)  # the same for each class
    for item, codes in zip(items, group_codes, strict=True):
        own = codes[pair_groups]
        if item.overlapping is not None:
            owners = item.overlapping.owner()
            order = np.argsort(item.overlapping.members, kind="stable")
            starts = np.searchsorted(item.overlapping.members[order], np.arange(item.size + 1))
            repeats, at = ranges(starts, own, budget)
            pair_groups, matched, own = np.repeat(pair_groups, repeats), np.repeat(matched, repeats), owners[order][at]
        width = int(max(item.wanted.max(initial=0), own.max(initial=0))) + 1
        beginnings_of, beginnings = numbered(beginnings * width + item.wanted)
        keys = matched * width + own
        at = np.minimum(np.searchsorted(beginnings_of, keys), len(beginnings_of) - 1)
        hit = beginnings_of[at] == keys
        pair_groups, matched = pair_groups[hit], at[hit]
    # Classes are distinct combinations, so each full beginning belongs to exactly one.
    place = np.zeros(count, np.int64)
    place[beginnings] = np.arange(count)
    return pair_groups, place[matched]


def ranges(starts: Array, picked: Array, budget: Budget) -> tuple[Array, Array]:
    """For each picked i the places starts[i] … starts[i+1]-1: how many each gives, and all of them in order."""
    repeats = starts[picked + 1] - starts[picked]
    total = int(repeats.sum())
    budget.take(total, 48, "Matching rows with overlapping filters")
    return repeats, places_of(starts, picked, repeats, total)


def places_of(starts: Array, picked: Array, repeats: Array, total: int) -> Array:
    """int64 [total]: for each picked i the places from starts[i] on, `repeats` of them, one after the other."""
    if total < MANY:
        return np.repeat(starts[picked].astype(np.int64, copy=False) - (np.cumsum(repeats) - repeats), repeats) + np.arange(total)
    from nexorem.core.engine.kernels import run_through

    return run_through(starts, picked, total)


PAIRS_AT_ONCE = 1 << 22  # between two looks at the budget


def visible_pairs(star: Star, filters: Sequence[Selector], size: int, rows: RowNumbers, budget: Budget) -> tuple[Array, Array]:
    """(context, row) for every visible row of each of `size` contexts, by context, then row."""
    combinations, index, _ = classes([s.index for s in filters], size)
    owners, members = [np.zeros(0, np.int64)], [np.zeros(0, np.int64)]
    for part in assign(star, filters, combinations, rows, budget):
        order = np.argsort(part.groups, kind="stable")
        starts = np.searchsorted(part.groups[order], np.arange(len(part.group_firsts) + 1))
        repeats, at = ranges(starts, part.pair_groups, budget)
        owners.append(np.repeat(part.pair_classes, repeats))
        budget.check()
        members.append(part.rows[order[at]])
        budget.check()
    by_class, listed = np.concatenate(owners), np.concatenate(members)
    budget.check()
    order = np.lexsort((listed, by_class))
    budget.check()
    by_class, listed = by_class[order], listed[order]
    # From classes of equal selectors back to the contexts themselves.
    starts = np.searchsorted(by_class, np.arange(len(combinations) + 1))
    repeats = starts[index + 1] - starts[index]
    ends = np.cumsum(repeats)
    total = int(ends[-1]) if size else 0
    budget.take(total, 48, "Matching rows with overlapping filters")
    contexts, shown = np.empty(total, np.int64), np.empty(total, np.int64)
    stops = distinct_any(np.append(np.searchsorted(ends, np.arange(PAIRS_AT_ONCE, total, PAIRS_AT_ONCE)), size))
    for first, stop in pairwise([0, *stops.tolist()]):
        before, end = int(ends[first - 1]) if first else 0, int(ends[stop - 1]) if stop else 0
        contexts[before:end] = np.repeat(np.arange(first, stop), repeats[first:stop])
        at = places_of(starts, index[first:stop], repeats[first:stop], end - before)
        np.take(listed, at, out=shown[before:end], mode="clip")
        budget.check()
    return contexts, shown


def visible(star: Star, flow: Inflow, batch: Batch, budget: Budget) -> Array:
    """For a batch of one context: bool[n+1], which rows of `flow.table`, and its unmatched member, are visible."""
    assert batch.size == 1
    shown = np.ones(star.size(flow.table) + 1, bool)
    shown[-1] = star.has_unmatched(flow.table)
    for selector in selectors(star, flow, batch, budget):
        k = int(selector.index[0])
        if k >= 0:
            shown &= selector.sets.mask(k, star.domain(selector.table, selector.columns).size)[selector.codes(star)]
    return shown
