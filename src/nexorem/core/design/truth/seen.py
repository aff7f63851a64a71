"""A grid as its marks look at it: its page computed once, and the measures bound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from nexorem.core.design.truth.mark import Columns
from nexorem.core.engine.context import Batch
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.page import page
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star


@dataclass(eq=False)
class Seen:
    """A grid with its bound measures; `paged` are the columns of picks and conditions, `budget` what looking may take."""

    grid: Grid
    budget: Budget

    @property
    def star(self) -> Star:
        """The grid's star."""
        return self.grid.star

    @property
    def conditions(self) -> Sequence[t.Condition]:
        """The page's conditions."""
        return self.grid.plan.conditions

    @property
    def axes(self) -> Columns:
        """The axis columns, rows first."""
        return (*self.grid.probe.rows, *self.grid.probe.columns)

    @cached_property
    def paged(self) -> Columns:
        """The columns that the page filters."""
        picked = [(p.table, p.column) for p in self.grid.probe.picks]
        return [*picked, *((c.table, x) for c in self.conditions for x in c.columns)]

    @cached_property
    def base(self) -> Batch:
        """The page as one context."""
        return page(self.star, self.grid.plan, self.grid.probe, self.budget)

    @property
    def page_key(self) -> str:
        """Two pages that say the same have one key."""
        return repr((self.grid.probe.picks, self.grid.probe.conditions))


def seen(grid: Grid, budget: Budget) -> Seen:
    """A grid that was answered, for its marks."""
    return Seen(grid, budget)
