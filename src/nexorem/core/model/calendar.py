"""A calendar made from the dates in the data: every day from the first to the last."""

from __future__ import annotations

import numpy as np

from nexorem.core.functions.dates import DAY_PARTS
from nexorem.core.model.model import Table
from nexorem.core.model.star import Star
from nexorem.core.values import Vector, vector

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
SEASONS = ("winter", "spring", "summer", "autumn")


def make_calendar(dates: list[Vector]) -> dict[str, Vector]:
    """The columns of a calendar over all days from the earliest to the latest of these; none for no dates.

    `season` is the meteorological one of the northern half; `week` counts after ISO 8601 with its year before it.
    """
    filled = np.concatenate([np.zeros(0, np.int64), *(d.data[d.valid] for d in dates)])
    days = np.arange(filled.min(), filled.max() + 1) if len(filled) else filled
    part = {name: function(days) for name, function in DAY_PARTS.items()}
    valid = np.ones(len(days), bool)
    rows = range(len(days))
    year, month = part["YEAR"], part["MONTH"]
    return {
        "date": Vector("date", days, valid),
        "year": Vector("integer", year, valid),
        "quarter": vector("text", [f"{year[i]} Q{part['QUARTER'][i]}" for i in rows]),
        "month": vector("text", [f"{year[i]}-{month[i]:02}" for i in rows]),
        "month_of_year": Vector("integer", month, valid),
        "month_name": vector("text", [MONTHS[month[i] - 1] for i in rows]),
        "week": vector("text", [f"{part['ISOYEAR'][i]}-W{part['WEEK'][i]:02}" for i in rows]),
        "day_of_month": Vector("integer", part["DAY"], valid),
        "day_of_week": Vector("integer", part["ISODOW"], valid),
        "day_name": vector("text", [DAYS[part["ISODOW"][i] - 1] for i in rows]),
        "season": vector("text", [SEASONS[month[i] % 12 // 3] for i in rows]),
    }


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
