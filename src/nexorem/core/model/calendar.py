"""What a calendar must be for its dates to be moved."""

from __future__ import annotations

from nexorem.core.model.model import Table
from nexorem.core.model.star import Star


def calendar_fault(star: Star, table: Table) -> str:
    """What keeps the dates of a calendar from being moved, in a sentence; `` where nothing does."""
    assert table.calendar
    column = table.calendar.date
    size = star.size(table.name)
    dates = star.column(table.name, column)
    if dates.dtype != "date":
        return f"{column} holds {dates.dtype}, not dates."
    empty = size - int(dates.rows().valid.sum())
    if empty:
        return f"{empty:,} of its dates are empty."
    repeated = size - (star.domain(table.name, (column,)).size - 1)
    return f"{repeated:,} of its dates repeat another." if repeated else ""
