"""One comparison of two grids: the same probe before and after something changed, line by line and cell by cell."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np

from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import TOTAL, Axis
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct
from nexorem.core.values import Array

NOWHERE = -1


@dataclass(frozen=True, slots=True, eq=False)
class Lines:
    """The lines that either of two axes has: int64[L] their places in the first and in the second, NOWHERE where it has none."""

    before: Array
    after: Array

    def __len__(self) -> int:
        return len(self.before)


@dataclass(frozen=True, slots=True, eq=False)
class Beside:
    """Two grids of as many measures over the lines of both. before, after: a measure each, object[R, C] of JSON values, null where a grid
    has no such line or the cell is empty. differs bool[measures, R, C]."""

    rows: Lines
    columns: Lines
    before: list[Array]
    after: list[Array]
    differs: Array


def grids_beside(before: Grid, after: Grid) -> Beside:
    """Two answers to one probe put together. A line is the same in both where its members are; those that only the second has stand behind
    the line they follow there. Costs the cells of both."""
    rows = _merged(_keys(before.star, before.rows), _keys(after.star, after.rows))
    columns = _merged(_keys(before.star, before.columns), _keys(after.star, after.columns))
    mine = [_spread(before, m, rows.before, columns.before) for m in range(len(before.values))]
    theirs = [_spread(after, m, rows.after, columns.after) for m in range(len(after.values))]
    shape = (len(mine), len(rows), len(columns))
    differs = np.array([a != b for a, b in zip(mine, theirs, strict=True)], bool).reshape(shape)
    return Beside(rows, columns, mine, theirs, differs)


def _keys(star: Star, axis: Axis) -> list[Hashable]:
    """What tells the lines of an axis apart in any state of its model: the members themselves. A total, the unmatched member and an empty
    one are three things, and none of them is a text that reads like them."""
    parts: list[list[Hashable]] = []
    for (table, column), codes in zip(axis.columns, axis.lines.T, strict=True):
        domain = star.domain(table, (column,))
        used = distinct(codes)
        values = star.column(table, column).take(domain.firsts[np.maximum(used, 0)]).tolist()
        key: dict[int, Hashable] = {int(code): ("member", value) for code, value in zip(used, values, strict=True)}
        key |= {TOTAL: "total", domain.size - 1: "unmatched"}
        parts.append([key[code] for code in codes.tolist()])
    return list(zip(*parts, strict=True)) if parts else [()] * len(axis.lines)


def _merged(mine: Sequence[Hashable], theirs: Sequence[Hashable]) -> Lines:
    """Both lists of lines in one: the first as it is, what only the second has behind the line it follows there."""
    at_mine, at_theirs = ({key: place for place, key in enumerate(keys)} for keys in (mine, theirs))
    behind: Hashable = None
    followers: dict[Hashable, list[Hashable]] = {}
    for key in theirs:
        if key in at_mine:
            behind = key
        else:
            followers.setdefault(behind, []).append(key)
    keys = [*followers.get(None, ()), *(x for key in mine for x in (key, *followers.get(key, ())))]
    return Lines(*(np.array([at.get(key, NOWHERE) for key in keys], np.int64) for at in (at_mine, at_theirs)))


def _spread(grid: Grid, measure: int, rows: Array, columns: Array) -> Array:
    """object[R, C]: a measure's cells on the lines of both; null where the grid has no such line."""
    own = np.empty((len(grid.rows.lines) + 1, len(grid.columns.lines) + 1), object)
    cells = np.empty(len(grid.values[measure]), object)
    cells[:] = grid.values[measure].as_json()
    own[:-1, :-1] = cells.reshape(own.shape[0] - 1, own.shape[1] - 1)
    return np.asarray(own[np.ix_(rows, columns)])
