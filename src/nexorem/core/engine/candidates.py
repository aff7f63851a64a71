"""What could be a table's key: columns that are never empty and together tell every row apart.

Looked for among the first few rows, then more, and only what is left among all: what repeats among some rows repeats among all.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np

from nexorem.core.model.star import Star
from nexorem.core.numbering import numbered
from nexorem.core.values import Array

KEY_TYPES = ("text", "integer", "date", "datetime")
LOOKS = (2_000, 20_000, 300_000)  # rows that are looked at before all are
MOST_COLUMNS = 16  # of a table that are put together
MOST_TOGETHER = 5  # columns of a key
MOST_PAIRS = 4  # that are told
MOST_WHOLE = 8  # tries over all rows
WIDEST = 2**40  # of the values of a column that are their own codes
Codes = tuple[Array, int]  # whole numbers from 0, and how many different ones there may be
LIKE_KEYS = re.compile(r"(?:key|id|no|nr|num|number|code|line)$", re.IGNORECASE)
LONG_TEXT = 40  # characters; what is longer is no key, but words


def candidate_keys(star: Star, table: str) -> list[tuple[str, ...]]:
    """Columns that are unique and never empty, each by itself; where there are none, pairs of them, and where there are none, the fewest of
    up to MOST_TOGETHER that are found by leaving others out. The likeliest first; not every one where there are many. Of a table that
    stays elsewhere they are keys of a sample."""
    some = star.sampled if table in star.stay else star
    return some.derive(("candidates", table), lambda: list(_Search(some, table).keys()))


class _Search:
    """One table's search. `whole` counts tries over all rows that the bound is on."""

    def __init__(self, star: Star, table: str) -> None:
        self.star, self.table, self.size = star, table, star.size(table)
        columns = star.rows[table].columns
        self.full = [c for c, v in columns.items() if v.dtype in KEY_TYPES and v.full()]
        self.whole = 0

    def _codes(self, column: str, rows: int) -> Codes:
        """Whole numbers that are as different as the first values of a full column, and how many there may be: no value is sought."""
        kept = self.star.column(self.table, column)
        if kept.codes is not None and kept.members is not None:
            return kept.codes[:rows], len(kept.members) - 1
        assert kept.raw is not None
        some = kept.raw[:rows]
        low, high = (int(some.min()), int(some.max())) if len(some) else (0, 0)
        if high - low < WIDEST:
            return np.subtract(some, low, dtype=np.int64), high - low + 1
        domain = self.star.domain(self.table, (column,))
        return domain.codes[:rows], domain.size

    def _varies(self, column: str) -> bool:
        """Whether a column has more than one value."""
        kept = self.star.column(self.table, column)
        if kept.members is not None:
            return len(kept.members) > 2
        assert kept.raw is not None
        return bool((kept.raw[: self.size] != kept.raw[0]).any())

    def keys(self) -> Iterator[tuple[str, ...]]:
        if self.size == 0:
            return
        singles = [c for c in self.full if self.apart((c,))]
        worded = [c for c in singles if self._wordy(c)]  # remarks happen to be all different, and are nobody's key
        if len(singles) > len(worded):
            yield from ((c,) for c in singles)
            return
        yield from self._together()
        yield from ((c,) for c in worded)

    def _together(self) -> Iterator[tuple[str, ...]]:
        several = self._ranked()
        pairs = []
        for pair in sorted(combinations(range(len(several)), 2), key=sum):
            columns = tuple(sorted((several[i] for i in pair), key=self.full.index))
            if self.whole < MOST_WHOLE and self.apart(columns):
                pairs.append(columns)
            if len(pairs) == MOST_PAIRS:
                break
        yield from pairs or self._fewest(several)

    def _ranked(self) -> list[str]:
        """Columns with more than one value, those first that are called like keys; words of some length are left out."""
        more = [c for c in self.full if self._varies(c) and not self._wordy(c)]
        return sorted(more, key=lambda c: (not LIKE_KEYS.search(c), self.full.index(c)))[:MOST_COLUMNS]

    def _wordy(self, column: str) -> bool:
        some = self.star.column(self.table, column).take(np.arange(min(self.size, 50)))
        return some.dtype == "text" and any(len(str(x or "")) > LONG_TEXT for x in some.tolist())

    def _fewest(self, several: Sequence[str]) -> Iterator[tuple[str, ...]]:
        """What is left of all columns when, from the last on, each is left out without which the rest still tells rows apart."""
        kept = list(several)
        if not kept or not self._apart_among(kept, LOOKS[-1]):
            return
        for column in reversed(several):
            less = [c for c in kept if c != column]
            if less and self._apart_among(less, LOOKS[-1]):
                kept = less
        # What tells the first rows apart may not tell all.
        for column in (c for c in several if c not in kept):
            if len(kept) > MOST_TOGETHER or self.whole >= MOST_WHOLE or self.apart(kept):
                break
            kept.append(column)
        if len(kept) <= MOST_TOGETHER and self.apart(kept):
            yield tuple(sorted(kept, key=self.full.index))

    def _apart_among(self, columns: Sequence[str], rows: int) -> bool:
        return _distinct_together([self._codes(c, min(rows, self.size)) for c in columns])

    def apart(self, columns: Sequence[str]) -> bool:
        """Whether columns tell all rows apart."""
        if not all(self._apart_among(columns, rows) for rows in LOOKS):
            return False
        if self.size <= LOOKS[-1]:
            return True
        self.whole += len(columns) > 1
        return self._apart_among(columns, self.size)


def tells_apart(star: Star, table: str, columns: Sequence[str]) -> bool:
    """Whether columns are never empty and tell the rows of a table apart; over no rows nothing does."""
    full = all(c in star.rows[table].columns and star.column(table, c).full() for c in columns)
    return full and star.size(table) > 0 and _Search(star, table).apart(columns)


def _distinct_together(parts: Sequence[Codes]) -> bool:
    """Whether no combination of codes stands twice; each part is (codes, how many there may be). One sort at most."""
    key: Array | None = None
    span = 1
    for codes, size in parts:
        if key is not None and span * (size + 1) >= 2**62:
            key = numbered(key)[1]
            span = int(key.max(initial=0)) + 1
        wide = codes.astype(np.int64)
        key = wide if key is None else key * (size + 1) + wide
        span *= size + 1
    assert key is not None
    if span < len(key):
        return False
    if span <= 4 * len(key) + 65_536:
        return int(np.bincount(key, minlength=1).max(initial=0)) <= 1
    ordered = np.sort(key)
    return not bool((ordered[1:] == ordered[:-1]).any())
