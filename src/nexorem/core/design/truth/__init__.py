"""Marks of truth: what a person has to know of a grid's numbers before they trust them. Each is found in the very numbers and formulas.

kind: `unreached`, `partly` (some of its facts are reached and others not), `overridden`, `apart` (parts do not add up to a total),
`unmatched`, `denominator` (it goes with the picks), `whole` (a share that is the whole on every line), `dimension_side` (rows of a
dimension added up), `coarse` (a fact of months shown by days), `lost` (rows that fall out of a product), `uneven` (periods compared
that do not have the same days), `nested` (parents counted beside their children), `first` (a rank that is 1 on every line), `fixed` (a
`given` that changes nothing, for what it is about is the name of a `let`).
"""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from nexorem.core.design.truth.apart import sums_of
from nexorem.core.design.truth.dimension_side import dimension_side
from nexorem.core.design.truth.idle import first_everywhere, fixed_lets
from nexorem.core.design.truth.lost import lost_rows
from nexorem.core.design.truth.mark import Mark, Sums
from nexorem.core.design.truth.nested import nested_rows
from nexorem.core.design.truth.periods import coarse_facts, uneven_periods
from nexorem.core.design.truth.reaching import overridden_marks, partly, unreached
from nexorem.core.design.truth.seen import seen
from nexorem.core.design.truth.shares import shares
from nexorem.core.design.truth.unmatched import unmatched_marks
from nexorem.core.engine.grid import Grid
from nexorem.core.limits import Budget
from nexorem.core.model.elsewhere import where_rows_are
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.tree import cell_trees

__all__ = ["looked_at", "marks", "unmatched_marks"]


def marks(grid: Grid) -> list[list[Mark]]:
    """For each measure of a grid its marks, as `looked_at` tells them."""
    return [of_measure for of_measure, _ in looked_at(grid)]


def looked_at(grid: Grid, budget: Budget | None = None) -> list[tuple[list[Mark], Sums]]:
    """For each measure of a grid its marks, and what is known of its totals."""
    seen_grid = seen(grid, budget or Budget())
    star, axes, page = seen_grid.star, seen_grid.axes, seen_grid.paged
    # What a condition compares with was computed under the picks before it: these come to what it filters.
    compared = [(c.table, {x for tree in cell_trees(c) for x in reached_by(star, tree).tables}) for c in seen_grid.conditions]
    looked = []
    for place, measure in enumerate(grid.plan.measures):
        own = [*unreached(grid, measure, axes, page, compared), *partly(star, measure, axes, page), *overridden_marks(star, measure, axes)]
        for look in (dimension_side, lost_rows, coarse_facts, uneven_periods, nested_rows):  # in rows, where these are here
            own += where_rows_are(partial(look, seen_grid, measure))
        own += where_rows_are(partial(shares, grid, place, measure, axes, page))
        own += where_rows_are(partial(first_everywhere, seen_grid, place, measure))
        own += where_rows_are(partial(fixed_lets, seen_grid, measure))
        sums, apart = sums_of(seen_grid, place, measure)
        name = grid.probe.measures[place]
        looked.append(([replace(m, measure=name) for m in (*own, *apart)], sums))
    return looked
