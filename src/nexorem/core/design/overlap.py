"""How far columns of one table name and hold the keys of another: by the words of their names, and by a sample of their values."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache

import numpy as np

from nexorem.core.engine.candidates import KEY_TYPES, candidate_keys
from nexorem.core.limits import Budget
from nexorem.core.model.model import Table
from nexorem.core.model.star import Domain, Star
from nexorem.core.numbering import spread_out
from nexorem.core.values import Array, Vector

SAMPLE = 400  # distinct values of a column that are looked for among another table's keys
FIRST_LOOK = 24  # of them that say in which keys of texts to look at all
LEAST_OVERLAP = 0.5
LEAST_NAMES = 0.34  # how alike names are, below which keys of numbers and dates are taken for chance
SAME_COMMON = 0.3  # how alike `id` and `id` are: every table has one
WHOLE_TABLE = 0.6  # how alike a column is that is called as the table is, whose key has words of its own
LOOKED_AT = 1_200  # rows that a sample is taken from
FIRST_ROWS = 250  # and a first look
WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
MOST_MARKED = 0.8
LONGEST_PREFIX = 4  # letters of a table's mark before each of its columns, as in c_name, c_city
COMMON_WORDS = frozenset({"code", "id", "key", "no", "number", "nr", "name"})
Key = tuple[str, str]  # a table and a column
Hits = dict[tuple[str, str, str], list[tuple[str, float]]]


def overlaps(star: Star, keys: Sequence[tuple[Table, tuple[str, ...]]], budget: Budget) -> Hits:
    """By table, other table and key column of that: the columns of the first whose values are found there, and what part of a sample is.

    Only key columns that a name points to are looked at, texts also where a first few of their values are, dates where calendars are.
    """
    columns = list(dict.fromkeys((table.name, c) for table, key in keys for c in key))
    pointed, values = Pointers(star, columns), Values(star, columns)
    hits: Hits = {}
    for many in star.model.tables:
        for mine in (c for c in many.columns if c.dtype in KEY_TYPES and c.name in star.rows[many.name].columns):
            own = own_key(star, many, mine.name)
            budget.check()
            near = {k for k in pointed.of(bare(many, mine.name), mine.dtype) if k[0] != many.name}
            if mine.dtype != "text" and not near:
                continue
            if mine.dtype == "text":
                near |= {k for k in values.holding(sample(star, many.name, mine.name, FIRST_ROWS)) if k[0] != many.name}
            some = sample(star, many.name, mine.name) if near else np.zeros(0, np.int64)
            for table, column in sorted(near):
                if own and pointed.bare[table, column].lower() != bare(many, mine.name).lower():
                    continue  # what tells a table's own rows apart is no key of another, unless it is called the same
                share = values.share(some, (table, column))
                if share:
                    hits.setdefault((many.name, table, column), []).append((mine.name, share))
    return hits


def own_key(star: Star, table: Table, column: str) -> bool:
    """Whether a column is a table's own key, called after the table or by nothing but a key's words."""
    words = stems(bare(table, column))
    return (column,) in candidate_keys(star, table.name) and (not words or words <= stems(table.name))


def bare(table: Table, column: str) -> str:
    """A column's name without the mark that all columns of its table begin with, as `custkey` of `c_custkey`."""
    prefix = _prefix(tuple(c.name for c in table.columns if not c.formula))
    return column[len(prefix) :] if prefix and column.lower().startswith(prefix) else column


@lru_cache(maxsize=10_000)
def _prefix(columns: tuple[str, ...]) -> str:
    """A short mark with `_` behind it that nearly all of some columns begin with, in small letters."""
    mark, line, _ = columns[0].lower().partition("_") if len(columns) > 1 else ("", "", "")
    prefix = mark + line
    marked = sum(c.lower().startswith(prefix) and len(c) > len(prefix) for c in columns) if line else 0
    return prefix if 0 < len(mark) <= LONGEST_PREFIX and marked >= MOST_MARKED * len(columns) else ""


class Pointers:
    """Which key columns a name can mean."""

    def __init__(self, star: Star, columns: Sequence[Key]) -> None:
        self.star, self.by_word, self.by_name = star, dict[str, set[Key]](), dict[str, set[Key]]()
        self.dates: set[Key] = set()
        self.bare = {key: bare(info, key[1]) for key in columns if (info := star.model.table(key[0]))}
        for table, column in columns:
            info = star.model.table(table)
            if info and info.calendar and info.calendar.date == column:
                self.dates.add((table, column))
            name = self.bare[table, column]
            self.by_name.setdefault(name.lower(), set()).add((table, column))
            for word in stems(name) | stems(table):
                self.by_word.setdefault(word, set()).add((table, column))

    def of(self, name: str, dtype: str) -> set[Key]:
        """The key columns of a type that have a word of the name, or the name itself."""
        near = set(self.by_name.get(name.lower(), ()))
        for word in stems(name):
            near |= self.by_word.get(word, set())
        alike = {(t, c) for t, c in near if names_alike(t, self.bare[t, c], name) >= LEAST_NAMES}
        if dtype == "date":  # a day by itself is the key of a calendar, and of nothing else
            alike = {(t, c) for t, c in alike if (c,) not in candidate_keys(self.star, t)} | self.dates
        return {(t, c) for t, c in alike if self.star.column(t, c).dtype == dtype}


class Values:
    """The values of key columns, made ready when one is first asked for."""

    def __init__(self, star: Star, columns: Sequence[Key]) -> None:
        self.star = star
        self.texts = [key for key in columns if star.column(*key).dtype == "text"]
        self.held: dict[Key, Array] = {}

    def of(self, key: Key) -> Array:
        """The distinct values that a column holds, ascending: texts as objects."""
        if key not in self.held:
            column = self.star.column(*key)
            if column.members is not None:
                values = column.members.take(np.flatnonzero(column.members.valid))
                self.held[key] = values.words[values.data] if values.dtype == "text" else values.data
            else:
                rows = column.rows()
                self.held[key] = _distinct(rows.data[rows.valid])
        return self.held[key]

    def holding(self, sample: Array) -> Iterator[Key]:
        """The key columns of texts that hold most of the first few of some values."""
        few = sample[:: max(len(sample) // FIRST_LOOK, 1)]
        least = max(LEAST_OVERLAP * len(few), 1)
        yield from (key for key in self.texts if self.share(few, key) * len(few) >= least)

    def share(self, sample: Array, key: Key) -> float:
        """The part of some values that a key column of their type holds."""
        held = self.of(key)
        if not len(sample) or not len(held):
            return 0.0
        places = np.minimum(np.searchsorted(held, sample), len(held) - 1)
        return float((held[places] == sample).mean())


def _distinct(values: Array) -> Array:
    """The distinct values, ascending; of a few thousand faster by sorting than by hashing."""
    ordered = np.sort(values)
    return ordered[np.append(True, ordered[1:] != ordered[:-1])] if len(ordered) else ordered


def sample(star: Star, table: str, column: str, most: int = LOOKED_AT) -> Array:
    """Some distinct values of a column as they are stored, texts as texts, from all over it."""
    size = star.size(table)
    if size == 0:
        return np.zeros(0, np.int64)
    rows = spread_out(size, most)
    some = star.column(table, column).take(rows)
    distinct = _distinct(some.data[some.valid])
    few = distinct[:: max(1, len(distinct) // SAMPLE)][:SAMPLE]
    return some.words[few] if some.dtype == "text" else few


def together(star: Star, many: str, columns: tuple[str, ...], one: str, key: tuple[str, ...]) -> float:
    """The part of a sample of the combinations of `columns` that are keys of the other table. Cost: one sort of its keys, kept."""

    def count() -> float:
        rows = spread_out(star.size(many), LOOKED_AT)
        domains = [star.domain(one, (c,)) for c in key]
        coded, full = [], np.ones(len(rows), bool)
        for mine, theirs, domain in zip(columns, key, domains, strict=True):
            values = star.column(many, mine).take(rows)
            members = star.column(one, theirs).take(domain.firsts[:-1])
            places, there = _places(values, members)
            full &= values.valid
            coded.append(np.where(there, places, -1))
        wanted = np.stack(coded, axis=1)[full]
        wanted = np.unique(wanted, axis=0)[:SAMPLE] if len(wanted) else wanted
        present = np.zeros(len(wanted), bool)
        inside = (wanted >= 0).all(axis=1)
        keys = star.derive(("key codes", one, key), lambda: np.sort(_one_code([d.codes[: star.size(one)] for d in domains], domains)))
        wanted_code = _one_code(list(wanted[inside].T), domains)
        present[inside] = keys[np.minimum(np.searchsorted(keys, wanted_code), len(keys) - 1)] == wanted_code if len(keys) else False
        return float(present.mean()) if len(present) else 0.0

    return star.derive(("together", many, columns, one, key), count)


def _one_code(parts: Sequence[Array], domains: Sequence[Domain]) -> Array:
    """int64[n]: codes of several columns as one number, modulo 2^64 where there are very many members: what differs hardly ever meets."""
    code = np.zeros(len(parts[0]), np.int64)
    with np.errstate(over="ignore"):
        for codes, domain in zip(parts, domains, strict=True):
            code = code * np.int64(domain.size + 1) + codes.astype(np.int64)
    return code


def _places(values: Vector, members: Vector) -> tuple[Array, Array]:
    """For each value its place among ascending members, and whether it is one of them. Empties are none."""
    filled = np.flatnonzero(members.valid)
    held = members.words[members.data[filled]] if members.dtype == "text" else members.data[filled]
    if not len(held) or values.dtype != members.dtype:
        return np.zeros(len(values), np.int64), np.zeros(len(values), bool)
    data = values.words[values.data] if values.dtype == "text" and len(values.words) else values.data
    places = np.minimum(np.searchsorted(held, data), len(held) - 1)
    return filled[places], np.asarray(values.valid & (held[places] == data))


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
    """The words of a name, without those that every key has, without a `key` written on to them, and without the s of a plural."""
    words = {w.lower() for w in WORD.findall(name)} - COMMON_WORDS
    words = {w[:-3] if len(w) > 5 and w.endswith("key") else w for w in words}
    return frozenset(w[:-1] if len(w) > 3 and w.endswith("s") else w for w in words)
