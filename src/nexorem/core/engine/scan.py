"""The fast way of an aggregate: every row once, by blocks, in compiled loops, to a dense array of groups.

A row's group is a number in mixed radix, with a digit for each selector whose set differs between the contexts asked
for: the set the row is in, or, where sets overlap, its member. Groups are then few, and are spread to the contexts.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from copy import copy
from dataclasses import replace
from functools import cached_property
from itertools import pairwise
from math import prod
from typing import Any, TypeVar

import numpy as np

from nexorem.core.columns import MOST_CODED
from nexorem.core.engine.stages import Block, Digit, Stages, Totals, Work, in_runs, parts_of, runs_of
from nexorem.core.engine.visibility import INDEXED
from nexorem.core.kept import Kept
from nexorem.core.limits import Budget
from nexorem.core.model.star import Index, Star
from nexorem.core.numbering import spread_out
from nexorem.core.values import Array

Made = TypeVar("Made")
BLOCK = 262_144
SHARE = 40_000  # rows that are worth a thread of their own
MOST_GROUPS = 4_000_000
ENOUGH = 0.04  # of the rows left: then the other filters look at those one by one
FEW = 0.2  # of the rows pass all filters: then they are kept for those who ask again
NOTHING = np.zeros(0, np.uint32)
MOSTLY = 0.7  # of the rows pass a filter: then it comes last
WHOLE = 0.6  # of the rows pass all filters: then all are gone through, the others to a group of their own
SAMPLE = 4_096  # rows that are looked at before all are


class Scan:
    """One pass over the rows of a table, in their own order or in that of an index."""

    def __init__(self, star: Star, table: str, digits: Sequence[Digit]) -> None:
        self.star, self.table, self.size = star, table, star.size(table)
        self.order: Index | None = None
        self._settled: Stages | None = None  # what blocks go through, without what the star keeps, once no index is waited for
        self._by_index: tuple[Digit, Array] | None = None
        self.digits = list(digits)
        self.groups = int(np.prod([float(d.size) for d in digits]))
        shares = [(self._share(d), i) for i, d in enumerate(digits) if (d.place < 0).any() and not self._implied(i)]
        self.filters = [(share, digits[i]) for share, i in sorted(shares) if share < 1.0]
        self.room = self.groups + 1  # of totals: the last group is of the rows that pass no filter, where they are gone through
        self.whole = bool(self.filters) and prod(share for share, _ in self.filters) > WHOLE

    def along(self, order: Index) -> Scan:
        """The same, in the order of an index. Of what has not run yet, so that whoever keeps it does not keep the index."""
        scan = copy(self)
        scan.order = order
        return scan

    def _implied(self, at: int) -> bool:
        """Whether another selector on the same table lets through only what this one does: nation and region, say."""
        mine = self.digits[at]
        for i, other in enumerate(self.digits):
            s, o = mine.selector, other.selector
            if i == at or s.table != o.table or s.chain != o.chain or not s.columns or not o.columns:
                continue
            if s.columns == o.columns:
                here, there = mine.place >= 0, other.place >= 0
            else:
                both = tuple(sorted({*s.columns, *o.columns}))
                if len(both) > 2 or self._lets_more(mine, other):
                    continue
                firsts = self.star.domain(s.table, both).firsts
                here = mine.place[self.star.domain(s.table, s.columns).codes[firsts]] >= 0
                there = other.place[self.star.domain(s.table, o.columns).codes[firsts]] >= 0
            equal = bool((here == there).all())
            if not (there & ~here).any() and (not equal or i < at):
                return True
        return False

    def _lets_more(self, mine: Digit, other: Digit) -> bool:
        """Whether some rows show that another selector lets through what this one does not, or to find out would take a sort of all rows:
        most selectors have nothing to do with each other."""
        star, s, o = self.star, mine.selector, other.selector
        size = star.size(s.table)
        rows = spread_out(size, SAMPLE)
        here, there = (d.place[star.domain(s.table, d.selector.columns).codes[rows]] >= 0 for d in (mine, other))
        members = [star.domain(s.table, columns).size for columns in (s.columns, o.columns)]
        return bool((there & ~here).any()) or members[0] * members[1] > 4 * size + MOST_CODED

    def row_counts(self) -> Array | None:
        """int64[groups]: the rows of each group, where all rows take part and their groups are kept; never written to."""
        joined = None if self.filters else self._with_joined(self._by_stages()).joined
        if joined is None:
            return None
        return self.star.derive(("rows by group", self.table, self._key), lambda: np.bincount(joined, minlength=self.groups))

    def _share(self, digit: Digit) -> float:
        """How many of the rows pass a selector."""
        counts = self.star.member_counts(digit.selector.table, digit.selector.columns, digit.selector.chain)
        return float(counts[: len(digit.place)][digit.place >= 0].sum()) / max(self.size, 1)

    def run(self, empty: Callable[[], Totals], work: Work, budget: Budget) -> list[Totals]:
        """Gives every block to `work`, in as many threads as are allowed; the totals of each thread."""
        stages = self._stages(budget)
        return self._in_threads(stages, lambda start, end: self._part(start, end, empty(), work, stages, budget), budget)

    def _in_threads(self, stages: Stages, part: Callable[[int, int], Made], budget: Budget) -> list[Made]:
        """What `part` makes of each thread's share of the rows."""
        size = self.size if stages.listed is None else len(stages.listed)
        threads = max(min(budget.limits.workers, size // SHARE), 1)
        cuts = [size * t // threads for t in range(threads + 1)]
        if self.order is not None:  # what is counted together stays with one thread
            cuts[1:-1] = [int(self.order.starts[np.searchsorted(self.order.starts, c)]) for c in cuts[1:-1]]
        (start, end), *others = pairwise(cuts)
        # This thread takes the first part itself: one less to wake up.
        jobs = [workers(threads).submit(part, a, b) for a, b in others]
        try:
            first = part(start, end)
        finally:
            wait(jobs)
        return [first, *(j.result() for j in jobs)]

    def _stages(self, budget: Budget) -> Stages:
        """What every block goes through. What is large of it, the star keeps, or lets go."""
        few = bool(self.filters) and self.order is None and prod(share for share, _ in self.filters) <= FEW
        return self._with_joined(Stages(self._passing(budget), [], [], self._offsets, None) if few else self._by_stages())

    def _passing(self, budget: Budget) -> Array:
        """uint32: the rows that pass all filters, kept for those who ask with the same again. They ascend however they are found, so that
        whoever adds them up comes to the same, to the last bit."""
        passing = self.star.passing(self.table, self._filtered)
        if passing is not None:
            return passing
        budget.take(int(self.size * prod(share for share, _ in self.filters)), 8, "Rows that pass")  # as they are found, and together
        stages = self._by_stages()
        if stages.listed is None or stages.keeps:
            rows = np.concatenate(self._in_threads(stages, lambda start, end: self._collected(start, end, stages, budget), budget))
        else:
            rows = stages.listed
        if stages.listed is not None:  # an index has them by member, and is not to be held by a part of it
            rows = np.sort(rows)
        self.star.passing(self.table, self._filtered, lambda: rows)
        return rows

    def _collected(self, start: int, end: int, stages: Stages, budget: Budget) -> Array:
        parts: list[Array] = [NOTHING]

        def work(block: Block, _: Totals) -> None:
            assert block.rows is not None
            parts.append(block.rows[: block.count].copy())

        nothing = Totals(NOTHING, NOTHING, NOTHING, NOTHING)
        self._part(start, end, nothing, work, replace(stages, offsets=[], joined=None), budget)
        return np.concatenate(parts)

    def _with_joined(self, stages: Stages) -> Stages:
        return replace(stages, joined=self._joined(stages.offsets)) if len(stages.offsets) > 1 else stages

    def _by_stages(self) -> Stages:
        """The stages in which all filters are looked at."""
        stages = self._settled
        if stages is not None and self._by_index is not None:
            listed = self._listed(*self._by_index)
            stages = None if listed is None else replace(stages, listed=listed)
        return stages or self._find_stages()

    def _find_stages(self) -> Stages:
        offsets = self._offsets
        masked: list[tuple[Array, list[tuple[Any, Any]]]] = []
        keeps = []
        listed: Array | None = None
        left = 1.0
        settled = True
        for share, d in self.filters:
            codes, passing = self.codes(d), np.flatnonzero(d.place >= 0)
            if not len(passing):
                return Stages(NOTHING, [], [], offsets, None)
            if share <= INDEXED and not masked and listed is None and self.order is None:
                listed = self._listed(d, passing)
                left = share if listed is not None else left
                if listed is not None:
                    self._by_index = d, passing
                    continue
                settled = False  # the index is made when it is asked for again
            runs = runs_of(passing)
            if left > ENOUGH and runs and (share < MOSTLY or not masked) and listed is None:
                kind = codes.dtype.type
                masked.append((codes, [(kind(low), kind(high)) for low, high in runs]))
                left *= share
            else:
                keeps.append((codes, (d.place >= 0).astype(np.uint8)))
        if settled:
            self._settled = Stages(None, masked, keeps, offsets, None)
        return Stages(listed, masked, keeps, offsets, None)

    def _joined(self, offsets: list[tuple[Array, Array]]) -> Array | None:
        """The group of each row, once it was asked for before: one look in place of one for each digit."""
        from nexorem.core.engine import kernels as k

        def join() -> Array:
            codes = np.empty(self.size, np.min_scalar_type(self.groups - 1))
            for start in range(0, self.size, BLOCK):
                stop = min(start + BLOCK, self.size)
                groups = np.zeros(stop - start, np.uint32)
                for own, offset in offsets:
                    k.add_offsets_all(own[start:stop], offset, groups)
                codes[start:stop] = groups
            return codes

        return self.star.joined(self.table, self._key, join)

    @cached_property
    def _offsets(self) -> list[tuple[Array, Array]]:
        """What the codes of each digit add to the number of a row's group."""
        offsets = []
        radix = self.groups
        for d in self.digits:
            if d.size > 1:
                radix //= d.size
                offsets.append((self.codes(d), (np.maximum(d.place, 0) * radix).astype(np.uint32)))
        return offsets

    @cached_property
    def _key(self) -> object:
        """All that the groups of rows depend on."""
        digits = [d for d in self.digits if d.size > 1]
        sizes = tuple(d.size for d in digits)
        return sizes, parts_of(digits, [d.place for d in digits]), self.order.key if self.order else None

    @cached_property
    def _filtered(self) -> object:
        """All that the rows which pass the filters depend on."""
        filters = [d for _, d in self.filters]
        return parts_of(filters, [d.place >= 0 for d in filters])

    def _listed(self, digit: Digit, passing: Array) -> Array | None:
        """The rows of the members that pass a selector, from its index, once it was asked for before."""
        from nexorem.core.engine.kernels import run_through

        index = self.star.member_rows(digit.selector.table, digit.selector.columns, digit.selector.chain)
        if index is None:
            return None
        first, last = int(passing[0]), int(passing[-1])
        if last - first + 1 == len(passing):
            return index.rows[index.starts[first] : index.starts[last + 1]]
        total = int((index.starts[passing + 1] - index.starts[passing]).sum())
        return index.rows[run_through(index.starts, passing, total)]

    def _part(self, start: int, end: int, totals: Totals, work: Work, stages: Stages, budget: Budget) -> Totals:
        """Selects rows block by block, and gives them to `work` when a block of them has come together."""
        from nexorem.core.engine import kernels as k

        selects = stages.listed is not None or stages.masked or stages.keeps
        room = min(BLOCK, end - start)
        if not room:
            return totals
        rows = np.empty(2 * room + 1 if selects else 0, np.uint32)
        groups = np.empty(2 * room, np.uint32)
        mask, more = np.zeros((room + 63) // 64 * 64, bool), np.empty(room, bool)
        flags = np.empty(room, np.uint8)
        count = 0
        for at in range(start, end, BLOCK):
            budget.check()
            stop = min(at + BLOCK, end)
            if self.whole and stages.listed is None:
                work(self._set_aside(stages, at, stop, mask, more, groups), totals)
                continue
            if not selects:
                work(self._grouped(stages, None, at, stop - at, groups), totals)
                continue
            left = rows[count:]
            keeps = stages.keeps
            if stages.listed is not None:
                kept = stop - at
                left[:kept] = stages.listed[at:stop]
            elif stages.masked:
                in_runs(stages.masked, at, stop, mask, more)
                kept = k.bit_rows(np.packbits(mask, bitorder="little").view(np.uint64), at, left)
            else:
                kept = k.kept_rows(keeps[0][0][at:stop], keeps[0][1], at, left)
                keeps = keeps[1:]
            for codes, keep in keeps:
                kept = k.fewer_rows(codes, keep, left, kept, flags)
            count += kept
            if count and (count >= room or stop == end):
                work(self._grouped(stages, rows, 0, count, groups), totals)
                count = 0
        return totals

    def _grouped(self, stages: Stages, rows: Array | None, start: int, count: int, groups: Array) -> Block:
        from nexorem.core.engine import kernels as k

        mine = groups[:count]
        if stages.joined is not None:
            if rows is None:
                mine[:] = stages.joined[start : start + count]
            else:
                k.gather(stages.joined, rows[:count], mine)
            return Block(rows, start, count, groups)
        mine[:] = 0
        for codes, offset in stages.offsets:
            if rows is None:
                k.add_offsets_all(codes[start : start + count], offset, mine)
            else:
                k.add_offsets(codes, offset, rows[:count], mine)
        return Block(rows, start, count, groups)

    def _set_aside(self, stages: Stages, start: int, stop: int, mask: Array, more: Array, groups: Array) -> Block:
        """All rows of a block, those that do not pass in the last group: most do, and rows that follow one another need no numbers."""
        from nexorem.core.engine import kernels as k

        size = stop - start
        mask[:size] = True
        if stages.masked:
            in_runs(stages.masked, start, stop, mask, more)
        for codes, keep in stages.keeps:
            k.and_kept(codes[start:stop], keep, mask[:size])
        block = self._grouped(stages, None, start, size, groups)
        k.set_aside(mask[:size], self.groups, groups[:size])
        return block

    def codes(self, digit: Digit) -> Array:
        """The member of each row, in the order of the scan."""
        s = digit.selector
        codes = s.codes(self.star)
        return codes if self.order is None else self.order.ordered((s.table, s.columns, s.chain), codes)

    def digit_of(self, groups: Array) -> list[Array]:
        """For group numbers the digit of each selector, 0 for one that only filters."""
        codes = []
        radix = self.groups
        for d in self.digits:
            radix //= d.size
            codes.append(groups // radix % d.size)
        return codes


def workers(count: int) -> ThreadPoolExecutor:
    """The threads that all scans of as many share: those of one bound never wait for fewer than they may have."""
    return _POOLS.kept(count, lambda: ThreadPoolExecutor(count, thread_name_prefix="scan"))


_POOLS = Kept(8)
