"""How far columns of one table name and hold the keys of another: by the words of their names, and by a sample of their values."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from nexorem.core.engine.profile import candidate_keys
from nexorem.core.model.model import Table
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector

SAMPLE = 400  # distinct values of a column that are looked for among another table's keys
FIRST_LOOK = 24  # of them that say in which keys of texts to look at all
LEAST_OVERLAP = 0.5
LEAST_NAMES = 0.34  # how alike names are, below which keys of numbers and dates are taken for chance
SAME_COMMON = 0.3  # how alike `id` and `id` are: every table has one
WHOLE_TABLE = 0.6  # how alike a column is that is called as the table is, whose key has words of its own
KEY_TYPES = ("text", "integer", "date")
LOOKED_AT = 1_200  # rows that a sample is taken from
FIRST_ROWS = 250  # and a first look
WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
COMMON_WORDS = frozenset({"code", "id", "key", "no", "number", "nr", "name"})
Key = tuple[str, str]  # a table and a column
Hits = dict[tuple[str, str, str], list[tuple[str, float]]]


def overlaps(star: Star, keys: Sequence[tuple[Table, tuple[str, ...]]]) -> Hits:
    """By table, other table and key column of that: the columns of the first whose values are found there, and what part of a sample is.

    Only key columns that a name points to are looked at, texts also where a first few of their values are, dates where calendars are.
    """
    columns = list(dict.fromkeys((table.name, c) for table, key in keys for c in key))
    pointed, values = Pointers(star, columns), Values(star, columns)
    found: Hits = {}
    for many in star.model.tables:
        for mine in (c for c in many.columns if c.dtype in KEY_TYPES and c.name in star.rows[many.name].columns):
            own = own_key(star, many, mine.name)
            near = {k for k in pointed.of(mine.name, mine.dtype) if k[0] != many.name}
            if mine.dtype != "text" and not near:
                continue
            if mine.dtype == "text":
                near |= {k for k in values.holding(sample(star, many.name, mine.name, FIRST_ROWS)) if k[0] != many.name}
            some = sample(star, many.name, mine.name) if near else np.zeros(0, np.int64)
            for table, column in sorted(near):
                if own and column.lower() != mine.name.lower():
                    continue  # what tells a table's own rows apart is no key of another, unless it is called the same
                share = values.share(some, (table, column))
                if share:
                    found.setdefault((many.name, table, column), []).append((mine.name, share))
    return found


def own_key(star: Star, table: Table, column: str) -> bool:
    """Whether a column is a table's own key, called after the table or by nothing but a key's words."""
    words = stems(column)
    return column in candidate_keys(star, table.name) and (not words or words <= stems(table.name))


class Pointers:
    """Which key columns a name can mean."""

    def __init__(self, star: Star, columns: Sequence[Key]) -> None:
        self.star, self.by_word, self.by_name = star, dict[str, set[Key]](), dict[str, set[Key]]()
        self.calendars: set[Key] = set()
        for table, column in columns:
            info = star.model.table(table)
            if info and info.calendar and info.calendar.date == column:
                self.calendars.add((table, column))
            self.by_name.setdefault(column.lower(), set()).add((table, column))
            for word in stems(column) | stems(table):
                self.by_word.setdefault(word, set()).add((table, column))

    def of(self, name: str, dtype: str) -> set[Key]:
        """The key columns of a type that have a word of the name, or the name itself."""
        if dtype == "date":
            return self.calendars
        near = set(self.by_name.get(name.lower(), ()))
        for word in stems(name):
            near |= self.by_word.get(word, set())
        alike = {(t, c) for t, c in near if names_alike(t, c, name) >= LEAST_NAMES}
        return {(t, c) for t, c in alike if self.star.column(t, c).dtype == dtype}


class Values:
    """The values of key columns, made ready when one is first asked for."""

    def __init__(self, star: Star, columns: Sequence[Key]) -> None:
        self.star = star
        self.texts = [key for key in columns if star.column(*key).dtype == "text"]
        self.sets: dict[Key, Any] = {}

    def of(self, key: Key) -> Any:
        """A set of texts, or the sorted numbers that the column holds."""
        if key not in self.sets:
            rows = self.star.column(*key).rows()
            self.sets[key] = set(_words(rows)) if rows.dtype == "text" else _distinct(rows.data[rows.valid])
        return self.sets[key]

    def holding(self, sample: Array) -> Iterator[Key]:
        """The key columns of texts that hold most of the first few of some values."""
        few = set(sample[:: max(len(sample) // FIRST_LOOK, 1)].tolist())
        least = max(LEAST_OVERLAP * len(few), 1)
        yield from (key for key in self.texts if len(few & self.of(key)) >= least)

    def share(self, sample: Array, key: Key) -> float:
        """The part of some values that a key column of their type holds."""
        if not len(sample):
            return 0.0
        held = self.of(key)
        if isinstance(held, set):
            return sum(v in held for v in sample.tolist()) / len(sample)
        if not len(held):
            return 0.0
        places = np.minimum(np.searchsorted(held, sample), len(held) - 1)
        return float((held[places] == sample).mean())


def _distinct(values: Array) -> Array:
    """The distinct values, ascending; of a few thousand faster by sorting than by hashing."""
    ordered = np.sort(values)
    return ordered[np.append(True, ordered[1:] != ordered[:-1])] if len(ordered) else ordered


def _words(rows: Vector) -> list[str]:
    """The distinct texts of a column."""
    there = np.zeros(len(rows.words), bool)
    there[rows.data[rows.valid]] = True
    return list(rows.words[there].tolist())


def sample(star: Star, table: str, column: str, most: int = LOOKED_AT) -> Array:
    """Some distinct values of a column as they are stored, texts as texts, from all over it."""
    size = star.size(table)
    if size == 0:
        return np.zeros(0, np.int64)
    rows = np.linspace(0, size - 1, min(size, most)).astype(np.int64)
    some = star.column(table, column).take(rows)
    distinct = _distinct(some.data[some.valid])
    few = distinct[:: max(1, len(distinct) // SAMPLE)][:SAMPLE]
    return some.words[few] if some.dtype == "text" else few


def together(star: Star, many: str, columns: tuple[str, ...], one: str, key: tuple[str, ...]) -> float:
    """The part of a sample of the combinations of `columns` that are keys of the other table."""

    def count() -> float:
        size = star.size(many)
        rows = np.linspace(0, size - 1, min(size, LOOKED_AT)).astype(np.int64)
        mine = dict.fromkeys(zip(*(star.column(many, c).take(rows).tolist() for c in columns), strict=True))
        full = [row for row in mine if None not in row][:SAMPLE]
        theirs = frozenset(zip(*(star.column(one, c).rows().tolist() for c in key), strict=True))
        return sum(row in theirs for row in full) / len(full) if full else 0.0

    return star.found(("together", many, columns, one, key), count)


@lru_cache(maxsize=100_000)
def names_alike(table: str, key: str, column: str) -> float:
    """From 0 to 1: how many of the words of a column's name and of the key's are the same, words that every key has left aside. A key that
    has none of its own goes by its table's; one that has can still be meant by a column that is called as the whole table is."""
    mine, own, home = stems(column), stems(key), stems(table)
    if not mine or not (own or home):
        return SAME_COMMON if column.lower() == key.lower() else 0.0
    bonus = 0.2 if column.lower() == key.lower() else 0.0
    theirs = own or home
    shared = len(mine & theirs)
    if shared:
        return min(1.0, shared / len(mine | theirs) + bonus)
    return WHOLE_TABLE * len(home) / len(mine) if own and home and home <= mine else 0.0


@lru_cache(maxsize=20_000)
def stems(name: str) -> frozenset[str]:
    """The words of a name, without those that every key has and without the s of a plural."""
    words = {w.lower() for w in WORD.findall(name)} - COMMON_WORDS
    return frozenset(w[:-1] if len(w) > 3 and w.endswith("s") else w for w in words)
