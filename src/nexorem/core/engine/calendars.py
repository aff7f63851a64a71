"""`shift` and `stretch`: a calendar's dates in context, read and moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nexorem.core.engine.context import Batch, Filter, classes, sets_of_pairs
from nexorem.core.engine.visibility import ranges, selectors, visible_pairs
from nexorem.core.functions.dates import add_months, month_number, month_start, weekday
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector

MONTHS = {"month": 1, "quarter": 3, "year": 12}
DAYS = {"day": 1, "week": 7}
FARTHEST = 4_000_000  # days: more than all years from 1 to 9999 have


@dataclass(frozen=True, slots=True, eq=False)
class Dates:
    """Days in K sets, by set, then day; a day in a set once. owners int64[P] · days int64[P]."""

    owners: Array
    days: Array


def moved(star: Star, edit: t.Moved, batch: Batch, by: Vector | None, budget: Budget) -> Filter:
    """The filter on the date column that an edit puts in place of all filters on the calendar."""
    own = Batch(batch.size, tuple(f for f in batch.filters if f.table == edit.calendar))
    more = [by.codes()[0]] if by is not None else []
    _, index, firsts = classes([*(f.index for f in own.filters), *more], batch.size)
    few = own.at(firsts)
    rows = np.arange(star.size(edit.calendar))
    filters = selectors(star, Inflow(edit.calendar, None, "", ()), few, budget)
    owners, picked = visible_pairs(star, filters, few.size, rows, budget)
    days = star.column(edit.calendar, edit.date).take(picked).data
    order = np.lexsort((days, owners))
    steps = np.zeros(few.size, np.int64)
    if by is not None:
        steps = np.where(by.valid, np.clip(by.data, -FARTHEST, FARTHEST), 0)[firsts]
    result = _result(star, edit, Dates(owners[order], days[order]), few.size, steps, budget)
    if by is not None:  # how far is not known: nowhere
        keep = by.valid[firsts][result.owners]
        result = Dates(result.owners[keep], result.days[keep])
    owners, members = _members(star, edit, result)
    sets, number = sets_of_pairs(owners, members, few.size).distinct()
    return Filter(edit.calendar, (edit.date,), sets, number[index], edit.text)


def _result(star: Star, edit: t.Moved, dates: Dates, count: int, steps: Array, budget: Budget) -> Dates:
    table = star.model.table(edit.calendar)
    assert table and table.calendar
    first_month = table.calendar.year_starts_in - 1
    if edit.kind == "shift":
        return _shifted(dates, edit.unit, steps, budget)
    if edit.kind == "whole":
        starts = unit_start(dates.days, edit.unit, first_month)
        keep = np.ones(len(starts), bool)
        keep[1:] = (starts[1:] != starts[:-1]) | (dates.owners[1:] != dates.owners[:-1])
        return _spans(dates.owners[keep], starts[keep], unit_end(starts[keep], edit.unit), budget)
    ends = np.flatnonzero(np.diff(np.append(dates.owners, count)) > 0)  # the last day of each set that has one
    owners, last = dates.owners[ends], dates.days[ends]
    if edit.kind == "back":
        return _spans(owners, _back(last, edit.unit, steps[owners]), last, budget)
    all_days = star.column(edit.calendar, edit.date).rows().data
    start = np.full(len(last), all_days.min(initial=0)) if edit.unit == "all" else unit_start(last, edit.unit, first_month)
    return _spans(owners, start, last, budget)


def _back(last: Array, unit: str, steps: Array) -> Array:
    """The first day of the N units that end on each day."""
    if unit in DAYS:
        return np.asarray(last + 1 - DAYS[unit] * steps)
    return add_months(last + 1, -np.clip(MONTHS[unit] * steps, -FARTHEST, FARTHEST))


def _shifted(dates: Dates, unit: str, steps: Array, budget: Budget) -> Dates:
    """Every day by itself; a month of which every day is there moves as a whole month."""
    owners, days = dates.owners, dates.days
    if unit in DAYS:
        return Dates(owners, days + DAYS[unit] * steps[owners])
    by = np.clip(MONTHS[unit] * steps, -FARTHEST // 30, FARTHEST // 30)
    months = month_number(days)
    new = np.ones(len(days), bool)
    new[1:] = (months[1:] != months[:-1]) | (owners[1:] != owners[:-1])
    firsts = np.flatnonzero(new)
    counts = np.diff(np.append(firsts, len(days)))
    length = month_start(months[firsts] + 1) - month_start(months[firsts])
    whole = counts == length
    single = ~np.repeat(whole, counts)
    alone = Dates(owners[single], add_months(days[single], by[owners[single]]))
    target = months[firsts][whole] + by[owners[firsts][whole]]
    together = _spans(owners[firsts][whole], month_start(target), month_start(target + 1) - 1, budget)
    return Dates(np.concatenate([alone.owners, together.owners]), np.concatenate([alone.days, together.days]))


def _spans(owners: Array, first: Array, last: Array, budget: Budget) -> Dates:
    """Every day from the first to the last of each span; none where the last comes first."""
    counts = np.clip(last - first + 1, 0, FARTHEST)
    repeats, at = ranges(np.concatenate([[0], np.cumsum(counts)]), np.arange(len(counts)), budget)
    within = at - np.repeat(np.cumsum(counts) - counts, repeats)
    return Dates(np.repeat(owners, repeats), np.repeat(first, repeats) + within)


def unit_start(days: Array, unit: str, first_month: int) -> Array:
    """The first day of the unit that each day is in; years and quarters start with the calendar's own first month."""
    if unit == "day":
        return days
    if unit == "week":
        return np.asarray(days - weekday(days))
    length = MONTHS[unit]
    return month_start((month_number(days) - first_month) // length * length + first_month)


def unit_end(starts: Array, unit: str) -> Array:
    """The last day of the unit that starts on each day."""
    if unit in DAYS:
        return np.asarray(starts + DAYS[unit] - 1)
    return np.asarray(month_start(month_number(starts) + MONTHS[unit]) - 1)


def _members(star: Star, edit: t.Moved, dates: Dates) -> tuple[Array, Array]:
    """The dates that the calendar has, as members of its date column."""
    domain = star.domain(edit.calendar, (edit.date,))
    days = star.column(edit.calendar, edit.date).take(domain.firsts[:-1]).data
    if not len(days):
        return dates.owners[:0], dates.days[:0]
    at = np.minimum(np.searchsorted(days, dates.days), len(days) - 1)
    hit = days[at] == dates.days
    return dates.owners[hit], at[hit]
