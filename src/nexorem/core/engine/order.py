"""Axes and the order of their lines: totals behind their parts, by measures and by members."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from nexorem.core.engine.member_order import member_ranks
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct, is_ascending
from nexorem.core.values import Array, Json, Vector, combine, iso, keys_of

TOTAL = -1
UNMATCHED = {"unmatched": True}  # the unmatched member as JSON, where a text of that name may stand beside it
MemberJson = Json | dict[str, bool]
Word = TypeVar("Word")
# What lines are ordered by, whether it descends, and a measure's value at each beginning of a line.
Sorted = tuple[str | tuple[str, str], bool, Vector | None]


@dataclass(frozen=True, slots=True, eq=False)
class Axis:
    """The lines of one axis. lines int64[L, c]: a member of each axis column's own domain, TOTAL where it is totalled
    over; in order."""

    columns: tuple[tuple[str, str], ...]
    lines: Array

    def coordinates(self, star: Star) -> list[dict[str, Json]]:
        """The coordinates of every line as JSON; columns totalled over are left out."""
        return self.named(star, "(unmatched)")

    def named(self, star: Star, unmatched: Word) -> list[dict[str, Json | Word]]:
        """The same with another word for the unmatched member."""
        members = self._members(star, unmatched)
        if not self.has_totals:  # column by column, for lines are many and columns few
            listed = self._listed(members)
            return [dict(zip(self.names, line, strict=True)) for line in zip(*listed, strict=True)] if listed else [{} for _ in self.lines]
        return [
            {name: described[code] for name, described, code in zip(self.names, members, line, strict=True) if code != TOTAL}
            for line in self.lines.tolist()
        ]

    def listed(self, star: Star) -> list[list[Json]]:
        """By column the coordinates of all lines, none of which is totalled over a column."""
        return self._listed(self._members(star, "(unmatched)"))

    @property
    def names(self) -> list[str]:
        """The columns by name."""
        return [f"{table}.{column}" for table, column in self.columns]

    @property
    def has_totals(self) -> bool:
        """Whether a line is totalled over a column."""
        return bool((self.lines == TOTAL).any())

    def _listed(self, members: list[dict[int, Json | Word]]) -> list[list[Json | Word]]:
        return [[described[code] for code in codes] for described, codes in zip(members, self.lines.T.tolist(), strict=True)]

    def _members(self, star: Star, unmatched: Word) -> list[dict[int, Json | Word]]:
        return [
            {**member_values(star, table, column, codes), star.domain(table, (column,)).size - 1: unmatched}
            for (table, column), codes in zip(self.columns, self.lines.T, strict=True)
        ]


def member_values(star: Star, table: str, column: str, codes: Array) -> dict[int, Json]:
    """By code, the values as JSON of the members among some codes, totals and the unmatched one aside. Costs the codes, not the domain."""
    domain = star.domain(table, (column,))
    used = distinct(codes)
    used = used[(used != TOTAL) & (used != domain.size - 1)]
    return dict(zip(used.tolist(), map(iso, star.column(table, column).take(domain.firsts[used]).tolist()), strict=True))


def member_json(star: Star, table: str, column: str, code: int) -> Json:
    """A member of a column as JSON: null for `(empty)`, "(unmatched)" for the unmatched one."""
    domain = star.domain(table, (column,))
    if code == domain.size - 1:
        return "(unmatched)"
    return iso(star.column(table, column).at(int(domain.firsts[code])))


def prefixes_of(lines: Array) -> Array:
    """Every beginning of a line, totalled over the rest; the lines themselves among them. Each once, ascending by the codes."""
    if not len(lines) or not lines.shape[1]:
        return lines[:1]
    key = keys_of(_coded(lines))
    if key is not None and is_ascending(key) and not (lines == TOTAL).any():
        return _prefixes_of_ascending(lines)
    cuts = [lines, *(_cut(lines, level) for level in range(1, lines.shape[1]))]
    prefixes = np.concatenate(cuts)
    return prefixes[combine(_coded(prefixes))[1]]


def _prefixes_of_ascending(lines: Array) -> Array:
    """The same of whole lines that are ascending: a beginning stands before the first line that it begins."""
    depth = lines.shape[1]
    begins = np.ones(lines.shape, bool)  # where the beginning of so many columns and one more is another one than on the line before
    np.logical_or.accumulate(lines[1:] != lines[:-1], axis=1, out=begins[1:])
    lines, begins = lines[begins[:, -1]], begins[begins[:, -1]]
    places = np.cumsum(begins).reshape(begins.shape) - 1
    prefixes = np.empty((int(begins.sum()), depth), np.int64)
    for level in range(depth):
        starts = begins[:, level]
        prefixes[places[starts, level]] = _cut(lines[starts], level + 1)
    return prefixes


def _cut(lines: Array, level: int) -> Array:
    """The beginnings of lines, totalled over the columns from `level` on."""
    cut = lines.copy()
    cut[:, level:] = TOTAL
    return cut


def places_of(lines: Array, among: Array, missing: bool = False) -> Array:
    """int64: where each line stands among others, all different; -1 for one that does not, where some may be `missing`. Cost: a search a
    line where the others are ascending by their codes, else a sort of all."""
    if not lines.shape[1]:
        return np.zeros(len(lines), np.int64)
    coded = _coded(np.concatenate([among, lines]))
    keys = keys_of(coded)
    if keys is not None and len(among) and is_ascending(keys[: len(among)]):
        at = np.minimum(np.searchsorted(keys[: len(among)], keys[len(among) :]), len(among) - 1)
        places = np.where(keys[at] == keys[len(among) :], at, -1)
    else:
        groups, _ = combine(coded)
        place = np.full(int(groups.max(initial=-1)) + 1, -1, np.int64)
        place[groups[: len(among)]] = np.arange(len(among))
        places = place[groups[len(among) :]]
    assert missing or not len(places) or places.min() >= 0
    return places


def _coded(lines: Array) -> list[tuple[Array, int]]:
    return [(lines[:, i] - TOTAL, int(lines[:, i].max(initial=TOTAL)) - TOTAL) for i in range(lines.shape[1])]


def line_order(star: Star, part: Axis, sort: Sequence[Sorted], prefixes: Array) -> Array:
    """The lines' new order: level by level, each beginning placed among its siblings; totals stay behind their parts. `sort` has what it
    is by, whether it descends, and for a measure its value at each of the `prefixes`. A column that stands on no axis orders the members of
    its own table: by its smallest value among a member's rows, descending by its largest."""
    lines = part.lines
    keys: list[Array] = []
    for level in range(lines.shape[1]):
        is_total = lines[:, level] == TOTAL
        keys.append(is_total)
        for by, desc, vector in sort:
            if isinstance(vector, Vector):
                keys += _by_measure(lines, level, vector, desc, prefixes)
            elif by == part.columns[level]:
                keys += _by_member(star, part, level, desc)
            elif isinstance(by, tuple) and by[0] == part.columns[level][0] and by not in part.columns:
                keys += _by_column(star, part, level, by[1], desc)
        keys.append(_ranked(star, part, level))
    return np.lexsort(keys[::-1]) if keys else np.arange(len(lines))


def _by_measure(lines: Array, level: int, vector: Vector, desc: bool, prefixes: Array) -> list[Array]:
    cut = lines.copy()
    cut[:, level + 1 :] = TOTAL
    places = places_of(cut, prefixes)
    ranks, _ = vector.codes()
    ranked = ranks[places]
    return [~vector.valid[places], -ranked if desc else ranked]


def _ranked(star: Star, part: Axis, level: int) -> Array:
    """The places of the members of one level among their siblings; of totals any."""
    return member_ranks(star, *part.columns[level])[part.lines[:, level]]


def _by_member(star: Star, part: Axis, level: int, desc: bool) -> list[Array]:
    table, column = part.columns[level]
    codes, ranks = part.lines[:, level], _ranked(star, part, level)
    valid = star.column(table, column).take(star.domain(table, (column,)).firsts).valid[codes]
    return [~valid, np.where(valid & desc, -ranks, ranks)]


def _by_column(star: Star, part: Axis, level: int, column: str, desc: bool) -> list[Array]:
    """The same by another column of the level's table: what its rows with these members, of this level and those before it, hold there."""
    table = part.columns[level][0]
    near = [i for i in range(level + 1) if part.columns[i][0] == table]
    domains = [star.domain(table, (part.columns[i][1],)) for i in near]
    ranks, empty = star.column(table, column).take(np.arange(star.rows[table].size + 1)).codes()
    of_rows, of_lines = np.zeros(len(ranks), np.int64), np.zeros(len(part.lines), np.int64)
    for i, domain in zip(near, domains, strict=True):
        # One number for all members: combinations are few beside what fits, since they are numbered anew each time.
        wide = domain.size + 1
        both = np.concatenate([of_rows * wide + domain.codes.astype(np.int64), of_lines * wide + part.lines[:, i] % wide])
        places = np.unique(both, return_inverse=True)[1].reshape(-1)
        of_rows, of_lines = places[: len(ranks)], places[len(ranks) :]
    best = np.full(max(of_rows.max(initial=-1), of_lines.max(initial=-1)) + 1, -1 if desc else empty)
    held = ranks < empty
    (np.maximum if desc else np.minimum).at(best, of_rows[held], ranks[held])
    ranked = best[of_lines]
    none = ranked == (-1 if desc else empty)
    return [none, np.where(none, 0, -ranked if desc else ranked)]
