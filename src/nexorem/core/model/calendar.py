"""What a calendar must be for its dates to be moved."""

from __future__ import annotations

from nexorem.core.model.model import Table
from nexorem.core.model.proven import Proven


def calendar_fault(proven: Proven, table: Table) -> str:
    """What keeps the dates of a calendar from being moved, in a sentence; `` where nothing does."""
    assert table.calendar
    column = table.column(table.calendar.date)
    assert column
    if column.dtype != "date":
        return f"{column.name} holds {column.dtype}, not dates."
    facts = proven.column_facts(table.name, column.name)
    if facts.empty:
        return f"{facts.empty:,} of its dates are empty."
    repeated = proven.size(table.name) - facts.distinct
    return f"{repeated:,} of its dates repeat another." if repeated else ""
