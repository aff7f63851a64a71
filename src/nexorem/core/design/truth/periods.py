"""Marks of time: a fact of months shown by days, and periods compared that do not have the same days."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nexorem.core.design.truth.mark import Mark, MarkMend, make_mark, mend_of, mended_measure
from nexorem.core.design.truth.seen import Seen
from nexorem.core.engine.calendars import unit_start
from nexorem.core.engine.context import Batch
from nexorem.core.engine.execute import Execution, execute
from nexorem.core.engine.grid import cells
from nexorem.core.engine.order import Axis
from nexorem.core.engine.visibility import selectors, visible_pairs
from nexorem.core.language import typed as t
from nexorem.core.model.model import Link, Table
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.plan.logical import ContextStep, make_plan
from nexorem.core.plan.tree import below, nodes, scans
from nexorem.core.values import Array
from nexorem.core.words import counted

UNITS = ("year", "quarter", "month", "week")  # the widest first
FEWEST_DATES = 3
ALIKE_DAYS, ALIKE_SHARE = 3, 0.02  # by how much periods may differ: months and leap years do


@dataclass(frozen=True, slots=True)
class Dated:
    """A scan's rows on a calendar: the link that dates them, and the calendar's rows that they name."""

    calendar: Table
    link: Link
    days: Array  # int64, ascending, each once


def dated(star: Star, scan: t.Aggregate) -> list[Dated]:
    """The calendars that date a scan's rows by a link of their own."""
    dates = []
    for source in star.inflow(scan.grain, scan.state).sources:
        table = star.model.table(source.table)
        if source.how == "lookup" and source.link and table and table.calendar and source.link.to_columns == (table.calendar.date,):
            days = star.derive(("days", scan.grain, source.link.from_columns, table.name), lambda k=source.link: _days(star, k))  # type: ignore[misc]
            dates.append(Dated(table, source.link, days))
    return dates


def _days(star: Star, link: Link) -> Array:
    domain = star.domain(link.from_table, link.from_columns)
    rows = domain.firsts[:-1]
    values = star.column(link.from_table, link.from_columns[0]).take(rows)
    matched = star.match(link.from_table, link.from_columns, link.to_table, link.to_columns)[:-1] >= 0
    return distinct_any(values.data[values.valid & matched])


# a fact that has one date a month, shown by days


def coarse_facts(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Scans whose rows stand on one day of each month (week, quarter, year), on an axis that tells the days of it apart."""
    marked: set[tuple[str, str]] = set()
    for scan, edits in _with_edits(measure):
        for item in dated(seen.star, scan):
            made_from = ("unit", scan.grain, item.link.from_columns, item.calendar.name, item.calendar.calendar)
            unit = seen.star.derive(made_from, lambda x=item: _unit(x))  # type: ignore[misc]
            own = [c for c in seen.axes if c[0] == item.calendar.name and unit and _finer(seen.star, item, unit, c[1])]
            if not own or (scan.grain, item.calendar.name) in marked or _spread(edits, item.calendar.name):
                continue
            marked.add((scan.grain, item.calendar.name))
            axis = " and ".join(f"{a}.{b}" for a, b in own)
            sentence = (
                f"{scan.grain} has one date a {unit}, so by {axis} all that {scan.text} has of a {unit} stands on that one day, and the "
                f"other days have none of it."
            )
            yield make_mark("coarse", sentence, [scan.grain, item.calendar.name], own, mends=_whole_unit(seen, measure, scan, item, unit))


def _with_edits(measure: t.MeasureValue) -> list[tuple[t.Aggregate, tuple[t.TypedEdit, ...]]]:
    """Every scan with the edits it is computed under, those of the measures around it too."""
    scans_with_edits: list[tuple[t.Aggregate, tuple[t.TypedEdit, ...]]] = []
    queue: list[tuple[t.Typed, tuple[t.TypedEdit, ...]]] = [(measure, ())]
    met: set[tuple[int, tuple[int, ...]]] = set()
    while queue:
        node, edits = queue.pop(0)
        key = id(node), tuple(map(id, edits))
        if key in met:
            continue
        met.add(key)
        if isinstance(node, t.Aggregate):
            scans_with_edits.append((node, edits))
        if isinstance(node, t.Edited):
            queue.append((node.body, (*edits, *node.edits)))
            queue += [(x, edits) for x in below(node) if x is not node.body]
        else:
            queue += [(x, edits) for x in below(node)]
    return scans_with_edits


def _unit(item: Dated) -> str:
    """The widest unit of which every one that the rows name has one date; `` where there is none, or too few dates to tell."""
    if len(item.days) < FEWEST_DATES:
        return ""
    for unit in UNITS:
        starts = unit_start(item.days, unit, _first_month(item.calendar))
        if len(distinct_any(starts)) == len(item.days) and np.median(np.diff(starts)) <= 400:
            return unit
    return ""


def _first_month(table: Table) -> int:
    assert table.calendar
    return table.calendar.year_starts_in - 1


def _finer(star: Star, item: Dated, unit: str, column: str) -> bool:
    """Whether a column of the calendar tells days of one unit apart."""
    assert item.calendar.calendar
    key = ("finer", item.calendar.name, column, unit)

    def find() -> bool:
        assert item.calendar.calendar
        dates = star.column(item.calendar.name, item.calendar.calendar.date).rows()
        starts = unit_start(dates.data, unit, _first_month(item.calendar))
        codes = star.domain(item.calendar.name, (column,)).codes[:-1].astype(np.int64)
        pairs = np.unique(np.stack([starts, codes]), axis=1)
        members = np.unique(pairs[1], return_counts=True)[1]
        # Members that stand in one unit alone, of which some unit has several: days and weeks of a month, not seasons.
        return bool(np.unique(pairs[0], return_counts=True)[1].max(initial=0) > 1 and np.median(members) <= 2)

    return star.derive(key, find)


def _spread(edits: tuple[t.TypedEdit, ...], calendar: str) -> bool:
    """Whether some edit takes the dates in context to whole units, or away."""
    return any(
        (isinstance(e, t.Moved) and e.calendar == calendar and e.kind != "shift") or (isinstance(e, t.Cleared) and calendar in e.columns)
        for e in edits
    )


def _whole_unit(seen: Seen, measure: t.MeasureValue, scan: t.Aggregate, item: Dated, unit: str) -> list[MarkMend]:
    """The scan, or the measure of its own that it stands in, over the whole unit that the dates in context touch."""
    define = seen.grid.probe.define
    at, text = _named_around(measure, scan)
    given = f"given (stretch {quoted(item.calendar.name)} to whole {unit})"
    made = mend_of(seen.star, define, measure, at, f"{text} {given}", f"{text} {given}")
    after = mended_measure(seen.star, define, made, measure) if made else None
    if not made or after is None:
        return []
    left = [s for s, edits in _with_edits(after) if s.grain == scan.grain and not _spread(edits, item.calendar.name)]
    return [made] if not left else []


def _named_around(measure: t.MeasureValue, scan: t.Aggregate) -> tuple[t.Typed, str]:
    """What of a measure's own formula has a scan in it: the scan, or the measure named there that it belongs to; with its text."""
    queue = [(x, x) for x in below(measure)]
    met: set[int] = set()
    while queue:
        node, top = queue.pop(0)
        if node is scan:
            whole = top if isinstance(top, t.MeasureValue) else scan
            return whole, quoted(whole.name) if isinstance(whole, t.MeasureValue) else scan.text
        if id(node) in met:
            continue
        met.add(id(node))
        queue += [(x, top if isinstance(top, t.MeasureValue) else x) for x in below(node)]
    return scan, scan.text


# periods that do not have the same days


@dataclass(frozen=True, slots=True)
class Uneven:
    """A moved period that has other days with rows than the one it is held against. `places` are those of a reduced grid's cells; `before`
    and `after` count days with rows, in the cell that is furthest off."""

    edit: t.Moved
    grain: str
    item: Dated
    places: Array
    before: int
    after: int


def uneven_periods(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Cells in which a shifted period has far more, or fewer, days with rows than the period itself: the calendar, or the fact, begins or
    ends in it."""
    shifts = [n for n in nodes(measure) if isinstance(n, t.Edited) and any(isinstance(e, t.Moved) and e.kind == "shift" for e in n.edits)]
    if not shifts:
        return
    small = _by_calendar(seen, measure)
    if small is None:
        return
    run, place_of = small
    marked: set[str] = set()
    for item in _uneven(seen.star, shifts, run, seen):
        at = np.flatnonzero(np.isin(place_of, item.places))
        if item.edit.text in marked or not len(at):
            continue
        marked.add(item.edit.text)
        width = max(len(seen.grid.columns.lines), 1)
        listed = np.stack([at // width, at % width], axis=1)
        sentence = (
            f"{item.edit.text} compares periods that are not alike in {counted(len(at), 'cell')}: of {item.grain} there are "
            f"{counted(item.after, 'day')} with rows on the one side and {item.before:,} on the other, where they differ most."
        )
        mends = _like_for_like(seen, measure, item)
        tables = [item.grain, item.edit.calendar]
        yield make_mark("uneven", sentence, tables, cells=listed, mends=mends)


def _by_calendar(seen: Seen, measure: t.MeasureValue) -> tuple[Execution, Array] | None:
    """A measure executed for the cells that differ in a calendar's coordinates alone, and for each cell of the grid which of these it
    is."""
    star, grid = seen.star, seen.grid
    calendars = {x.name for x in star.model.tables if x.calendar}
    few, places = [], []
    for axis in (grid.rows, grid.columns):
        own = [i for i, (table, _) in enumerate(axis.columns) if table in calendars]
        lines, inverse = np.unique(axis.lines[:, own], axis=0, return_inverse=True)
        few.append(Axis(tuple(axis.columns[i] for i in own), lines))
        places.append(inverse.reshape(-1))
    if not len(grid.rows.lines) or not len(grid.columns.lines):
        return None
    place_of = (places[0][:, None] * len(few[1].lines) + places[1][None, :]).reshape(-1)
    batch = cells(star, seen.base, few[0], few[1], seen.budget)
    return execute(star, make_plan(star.model, [measure]), batch, seen.budget), place_of


def _uneven(star: Star, shifts: list[t.Edited], run: Execution, seen: Seen) -> Iterator[Uneven]:
    steps = [s for s in run.plan.steps if isinstance(s, ContextStep)]
    for node in shifts:
        for step in (s for s in steps if any(s.edit is e for e in node.edits) and isinstance(s.edit, t.Moved) and s.edit.kind == "shift"):
            assert isinstance(step.edit, t.Moved)
            contexts = [run.contexts[step.parent], run.contexts[step.number]]
            if any(c.failed is not None for c in contexts):
                continue
            for scan in scans(node.body):
                item = next((d for d in dated(star, scan) if d.calendar.name == step.edit.calendar and len(d.days)), None)
                if item is None:
                    continue
                before, after = (_days_with_rows(star, step.edit, c, item, seen) for c in contexts)
                off = np.abs(before - after)
                bound = np.maximum(ALIKE_DAYS, ALIKE_SHARE * np.maximum(before, after))
                places = np.flatnonzero((before > 0) & (after > 0) & (off > bound))
                if len(places):
                    worst = int(places[np.argmax(off[places])])
                    yield Uneven(step.edit, scan.grain, item, places, int(before[worst]), int(after[worst]))
                    break


def _days_with_rows(star: Star, edit: t.Moved, batch: Batch, item: Dated, seen: Seen) -> Array:
    """int64[N]: the dates in each context that lie from the first day with rows to the last."""
    rows = np.arange(star.size(edit.calendar))
    own = Batch(batch.size, tuple(f for f in batch.filters if f.table == edit.calendar))
    chosen = selectors(star, Inflow(edit.calendar, None, "", ()), own, seen.budget)
    owners, picked = visible_pairs(star, chosen, batch.size, rows, seen.budget)
    days = star.column(edit.calendar, edit.date).take(picked).data
    inside = (days >= item.days[0]) & (days <= item.days[-1])
    return np.bincount(owners[inside], minlength=batch.size)


def _like_for_like(seen: Seen, measure: t.MeasureValue, item: Uneven) -> list[MarkMend]:
    """The whole formula on the dates alone that both sides have: from the first day with rows, moved along, to the last."""
    edit, define, star = item.edit, seen.grid.probe.define, seen.star
    steps = edit.by
    while isinstance(steps, t.InContext):
        steps = steps.body
    by = _constant(steps)
    if by is None or by == 0:
        return []
    date = column_text(edit.calendar, edit.date)
    day = column_text(item.grain, item.item.link.from_columns[0])
    moved = _interval(abs(by), edit.unit)
    first, last = f"min({day}) given (clear all)", f"max({day}) given (clear all)"
    low = f"({first}) + {moved}" if by < 0 else f"({first})"
    high = f"({last})" if by < 0 else f"({last}) - {moved}"
    given = f"given (keep {date} >= {low}, keep {date} <= {high})"
    made = mend_of(star, define, measure, measure.body, f"({measure.formula}) {given}", given)
    after = mended_measure(star, define, made, measure) if made else None
    if not made or after is None:
        return []
    small = _by_calendar(seen, after)
    shifts = [n for n in nodes(after) if isinstance(n, t.Edited) and any(isinstance(e, t.Moved) and e.kind == "shift" for e in n.edits)]
    return [made] if small and not list(_uneven(star, shifts, small[0], seen)) else []


def _constant(node: t.Typed | None) -> int | None:
    if isinstance(node, t.Const) and isinstance(node.value, int):
        return node.value
    if isinstance(node, t.Apply) and node.function.name == "negate":
        inner = _constant(node.arguments[0])
        return None if inner is None else -inner
    return None


def _interval(number: int, unit: str) -> str:
    if unit == "quarter":
        return f"INTERVAL '{3 * number}' MONTH"
    return f"INTERVAL '{7 * number}' DAY" if unit == "week" else f"INTERVAL '{number}' {unit.upper()}"
