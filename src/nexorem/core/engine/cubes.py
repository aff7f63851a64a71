"""A scan whose groups answer several contexts: the rows added up by member of a few columns, once for a plan.

A share of a total and the year before ask for the same rows as the value itself, put together in other ways. Where an
aggregate stands in several contexts of a plan, its rows are added up by the members of the axis columns; each context
then puts these few groups together.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from nexorem.core.engine.context import Sets
from nexorem.core.engine.folding import is_unique
from nexorem.core.engine.visibility import Selector, Varying, pairs_of
from nexorem.core.limits import Budget
from nexorem.core.model.rows import coded_members
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector

MOST_CELLS = 1_000_000
FEW_SETS = 32  # that are looked at before all are
FINE = 100  # members: fewer are fine enough as they are
COARSER = 4  # times fewer members that a column must have to be worth it


@dataclass(frozen=True, slots=True, eq=False)
class Cube:
    """Groups of rows. `columns` are selectors, of which table, columns and chain count, and codes[i] the member of each
    group there; `constant` are the filters all rows have passed, with their members; `partial` has a group an entry."""

    columns: list[Selector]
    codes: list[Array]
    constant: list[tuple[Selector, Array]]
    partial: dict[str, Vector]


def wholly(star: Star, filters: Sequence[Selector], wanted: Array) -> tuple[list[Selector], list[tuple[Selector, Array]]] | None:
    """The columns a cube would have for these selectors, and the filters all its rows would pass; None where sets are
    no single members, or there are too many."""
    columns: list[Selector] = []
    constant: list[tuple[Selector, Array]] = []
    cells = 1.0
    for i, selector in enumerate(filters):
        own = wanted[:, i]
        if (own == own[0]).all():
            constant.append((selector, members_of(selector.sets, int(own[0]))))
            continue
        if not selector.columns or (np.diff(selector.sets.offsets) > 1).any():
            return None
        cells *= star.domain(selector.table, selector.columns).size
        columns.append(selector)
    return (columns, constant) if columns and cells <= MOST_CELLS else None


def members_of(sets: Sets, k: int) -> Array:
    """The members of one set."""
    return sets.members[sets.offsets[k] : sets.offsets[k + 1]]


def alike(a: Selector, b: Selector) -> bool:
    """Whether two selectors are about the same column of the same rows."""
    return (a.table, a.columns, a.chain) == (b.table, b.columns, b.chain)


def answered(star: Star, cube: Cube, filters: Sequence[Selector], wanted: Array, budget: Budget) -> tuple[Array, Array] | None:
    """Which groups of a cube are visible in which classes, as (group, class) pairs; None where it does not know."""
    missing = list(cube.constant)
    queries: list[tuple[int, Sets, Array]] = []
    for i, selector in enumerate(filters):
        own = wanted[:, i]
        if (own == own[0]).all():
            members = members_of(selector.sets, int(own[0]))
            same = next((c for c in missing if alike(c[0], selector) and np.array_equal(c[1], members)), None)
            if same is not None:
                missing.remove(same)
                continue
        place = next((p for p, c in enumerate(cube.columns) if alike(c, selector)), None)
        if place is not None:
            queries.append((place, selector.sets, own))
            continue
        coarser = next((x for p, c in enumerate(cube.columns) if (x := _coarser(star, selector, c, p))), None)
        if coarser is None:
            return None
        queries.append((*coarser, own))
    if missing:
        return None
    return _pairs(star, cube, queries, len(wanted), budget)


def coarsened(star: Star, selector: Selector) -> Selector:
    """A selector over the coarsest column of its table in which its sets are whole: the dates of a year as the year."""
    size = star.domain(selector.table, selector.columns).size
    if size < FINE or (selector.columns is not None and len(selector.columns) > 1) or (selector.index == selector.index[0]).all():
        return selector
    table = star.model.table(selector.table)
    if table is None or selector.sets.count > size or not is_unique(star, selector):
        return selector
    counts = {c.name: coded_members(star.rows[table.name].columns, c.name) for c in table.columns}
    columns = sorted((members, name) for name, members in counts.items() if members is not None)
    for members, name in columns:
        if members * COARSER > size:
            break
        other = Selector(selector.table, (name,), selector.chain, selector.sets, selector.index)
        coarse = _coarser(star, selector, other, 0)
        if coarse is not None:
            return Selector(selector.table, (name,), selector.chain, coarse[1], selector.index)
    return selector


def _coarser(star: Star, selector: Selector, column: Selector, place: int) -> tuple[int, Sets] | None:
    """The sets of a selector as sets of a coarser column of the same table: dates as years, where they are whole."""
    if selector.table != column.table or selector.chain != column.chain or not column.columns:
        return None
    fine, coarse = star.domain(selector.table, selector.columns), star.domain(column.table, column.columns)
    if selector.columns is not None and not is_unique(star, selector):
        return None

    def finer() -> Array:
        return np.bincount(coarse.codes[fine.firsts], minlength=coarse.size)

    # Only the members of the sets are looked at: few of a large table's cost little.
    sizes = star.derive(("finer", selector.table, selector.columns, column.columns), finer)
    sets = selector.sets
    many = np.diff(sets.offsets[: FEW_SETS + 1])
    heads = sets.members[sets.offsets[: len(many)][many > 0]]
    if (sizes[coarse.codes[fine.firsts[heads]]] > many[many > 0]).any():  # a set that is smaller than the member is not whole
        return None
    own = coarse.codes[fine.firsts[sets.members]].astype(np.int64)
    keys, counts = np.unique(selector.sets.owner() * coarse.size + own, return_counts=True)
    owners, members = keys // coarse.size, keys % coarse.size
    if not (counts == sizes[members]).all():
        return None
    return place, Sets(np.searchsorted(owners, np.arange(selector.sets.count + 1)), members)


def _pairs(star: Star, cube: Cube, queries: Sequence[tuple[int, Sets, Array]], classes: int, budget: Budget) -> tuple[Array, Array]:
    groups = np.arange(len(cube.codes[0]))
    varying: list[tuple[Varying, Array]] = []
    for place, sets, own in queries:
        column = cube.columns[place]
        size = star.domain(column.table, column.columns).size
        codes = cube.codes[place]
        if (own == own[0]).all():
            groups = groups[sets.mask(int(own[0]), size)[codes[groups]]]
            continue
        parts = sets.parts(size)
        mine = codes if parts is None else parts[codes]
        if parts is not None:
            groups = groups[mine[groups] >= 0]
        varying.append((Varying(mine, size if parts is None else sets.count, own, sets if parts is None else None), mine))
    pair_groups, pair_classes = pairs_of([v for v, _ in varying], [c[groups] for _, c in varying], len(groups), classes, budget)
    return groups[pair_groups], pair_classes
