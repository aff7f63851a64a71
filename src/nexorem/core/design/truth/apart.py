"""Totals against the sums of the lines they are made of: what was found in the numbers, and the cause, counted in rows."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nexorem.core.design.truth.additive import BY_FORMULA, Additivity, additivity, adds
from nexorem.core.design.truth.mark import CLOSE, Columns, Mark, Sums, make_mark
from nexorem.core.design.truth.seen import Seen
from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.engine.execute import execute
from nexorem.core.engine.grid import cells
from nexorem.core.engine.order import TOTAL, Axis
from nexorem.core.engine.row_values import row_vector
from nexorem.core.engine.visibility import selectors, visible_pairs
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.model.elsewhere import is_stay
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.logical import make_plan
from nexorem.core.plan.tree import edits_of, inner_nodes, nodes, scans
from nexorem.core.values import NUMERIC, Array
from nexorem.core.words import counted, listed, verb

MOST_PARTS = 2_000  # lines of one total whose rows are counted


@dataclass(frozen=True, slots=True, eq=False)
class Compared:
    """One axis whose totals were compared: how many at each level (int64[levels]), and the cells that differ, int64[k, 2] as (line of the
    axis, line across), with the sums of their parts and their own values."""

    axis: Axis
    down: bool
    compared: Array
    cells: Array
    sums: Array
    values: Array

    @property
    def totals(self) -> int:
        """How many totals were compared."""
        return int(self.compared.sum())


def compared_parts(seen: Seen, place: int) -> list[Compared]:
    """A measure's totals against their parts, an axis at a time; empty where there is nothing to compare."""
    grid = seen.grid
    vector = grid.values[place]
    if vector.dtype not in NUMERIC:
        return []
    shape = len(grid.rows.lines), len(grid.columns.lines)
    values = np.where(vector.valid, vector.data.astype(float), 0.0).reshape(shape)
    valid = vector.valid.reshape(shape)
    compared = []
    for axis, matrix, full in ((grid.rows, values, valid), (grid.columns, values.T, valid.T)):
        sums, has = part_sums(axis.lines, matrix)
        looked = has[:, None] & full
        differ = looked & (np.abs(sums - matrix) > CLOSE * np.maximum(1.0, np.maximum(np.abs(sums), np.abs(matrix))))
        at = np.argwhere(differ)
        if looked.any():
            levels = (axis.lines != TOTAL).sum(axis=1)
            counts = np.bincount(levels, looked.sum(axis=1), len(axis.columns) + 1).astype(np.int64)
            compared.append(Compared(axis, axis is grid.rows, counts, at, sums[differ], matrix[differ]))
    return compared


def part_sums(lines: Array, values: Array) -> tuple[Array, Array]:
    """For each line of an axis the sum of its parts, the lines one level below it (float64[L, m]), and whether it has any (bool[L])."""
    levels = (lines != TOTAL).sum(axis=1)
    width = lines.shape[1]
    sums, has = np.zeros(values.shape), np.zeros(len(lines), bool)
    for level in range(width):
        totals = np.flatnonzero(levels == level)
        below = np.flatnonzero(levels == level + 1)
        below = below if len(below) else np.flatnonzero(levels == width)
        if not len(totals) or not len(below):
            continue
        heads = np.concatenate([lines[totals, :level], lines[below, :level]])
        _, group = np.unique(heads, axis=0, return_inverse=True) if level else (None, np.zeros(len(heads), np.int64))
        group = group.reshape(-1)
        added = np.zeros((int(group.max()) + 1, values.shape[1]))
        np.add.at(added, group[len(totals) :], values[below])
        sums[totals] = added[group[: len(totals)]]
        has[totals] = np.isin(group[: len(totals)], group[len(totals) :])
    return sums, has


def parts_of(lines: Array, line: int) -> Array:
    """int64: the lines that the total at `line` is made of, as `part_sums` takes them."""
    levels = (lines != TOTAL).sum(axis=1)
    level, width = int(levels[line]), lines.shape[1]
    wanted = level + 1 if (levels == level + 1).any() else width
    same = (lines[:, :level] == lines[line, :level]).all(axis=1)
    return np.flatnonzero(same & (levels == wanted))


def sums_of(seen: Seen, place: int, measure: t.MeasureValue) -> tuple[Sums, list[Mark]]:
    """What is known of a measure's totals, and marks of those that are no sums."""
    parts = compared_parts(seen, place)
    totals, differ = sum(p.totals for p in parts), [p for p in parts if len(p.cells)]
    if not totals:
        return Sums("", "", "", 0), []
    shown = [c for p in parts for c in p.axis.columns]
    additive = additivity(seen.star, measure, shown, {table for table, _ in seen.paged})
    marks = list(_marks(seen, measure, differ, additive)) if adds(measure) else []
    if marks:
        return Sums("apart", marks[0].why, marks[0].sentence, totals), marks
    if additive.status == "sum" and not seen.grid.left_out:
        return Sums("sum", "", f"{measure.name} adds up: each row behind it stands on one line.", totals), []
    if additive.status == "not" and (differ or additive.why in BY_FORMULA):
        return Sums("not", additive.why, additive.sentence, totals), []
    if differ:
        sentence = f"{measure.name} is recomputed for each total, in its own context."
        return Sums("not", "context", sentence, totals), []
    each = "its total is" if totals == 1 else f"each of its {totals:,} totals is"
    sentence = f"{measure.name} adds up here: {each} the sum of the lines it was compared with."
    return Sums("found", "", sentence, totals), []


def _marks(seen: Seen, measure: t.MeasureValue, differ: list[Compared], adds: Additivity) -> Iterator[Mark]:
    for item in differ:
        why, sentence = why_apart(seen, measure, item, adds)
        listed_cells = item.cells if item.down else item.cells[:, ::-1]
        tables = list(dict.fromkeys(table for table, _ in item.axis.columns))
        yield make_mark("apart", sentence, tables, why=why, cells=listed_cells)


def why_apart(seen: Seen, measure: t.MeasureValue, item: Compared, adds: Additivity) -> tuple[str, str]:
    """The cause of totals that are no sums, and it in a sentence. Where rows count on several lines or on none, they are counted."""
    star, name, columns = seen.star, measure.name, item.axis.columns
    tables = list(dict.fromkeys(table for table, _ in columns))
    if item.down and seen.grid.left_out > 0:
        return "cut", f"The lines kept of {name} are not all of its total: {counted(seen.grid.left_out, 'line')} left out."
    every = scans(measure)
    distinct = next((s for s in every if s.distinct), None)
    if distinct or any(isinstance(n, t.Iterated) and (n.distinct or n.function in ("rows", "count")) for n in nodes(measure)):
        return "distinct", f"{distinct.text if distinct else name} counts what stands in several parts once in their total."
    for scan in every:
        flow = star.inflow(scan.grain, scan.state)
        ways = {table: flow.worst_step(table) for table in tables}
        over = [table for table, how in ways.items() if how in ("loose", "up")]
        if over and (by_rows := _by_rows(seen, measure, scan, item, over, ways[over[0]])):
            return by_rows
    return _by_edits(seen, measure, columns, tables, every)


def _by_edits(seen: Seen, measure: t.MeasureValue, columns: Columns, tables: list[str], every: list[t.Aggregate]) -> tuple[str, str]:
    star, name = seen.star, measure.name
    for edit in edits_of(measure):
        touched = [c for c in effect_of(star.model, edit).removed if c in columns]
        if touched or (isinstance(edit, t.Moved) and edit.calendar in tables):
            return "edit", f"{name} changes the filters it is computed under ({edit.text}), so a total is not the sum of its lines."
    if any(isinstance(e, t.LinkEdit) for e in edits_of(measure)):
        return "edit", f"{name} is computed over other links, along which a row may count for several lines or for none."
    unreached = [x for x in tables if x not in reached_by(star, measure).tables]
    if unreached:
        return "unreached", f"{name} is not reached by {listed(unreached, 'or')}: every line shows the whole."
    lacking = [(s.text, x) for s in every for x in tables if x not in {f.table for f in star.inflow(s.grain, s.state).walk()}]
    if lacking:
        texts, lost = (listed(list(dict.fromkeys(x))) for x in zip(*lacking, strict=True))
        return "unreached", f"{texts} in {name} is not reached by {lost}: its whole stands on every line."
    return (
        "context",
        f"Each total of {name} is computed in its own context; a step on the way is not the same for the whole as for its lines.",
    )


def _by_rows(seen: Seen, measure: t.MeasureValue, scan: t.Aggregate, item: Compared, tables: list[str], how: str) -> tuple[str, str] | None:
    """The rows of the total that is furthest off, counted by how many of its lines they stand on; None where each stands on one, and the
    cause is another."""
    word = "a loose link" if how == "loose" else "the many side of a link"
    begins = f"A filter on {listed(tables)} comes to {scan.grain} over {word}"
    try:
        counts = rows_by_lines(seen, measure, scan, item)
    except OverLimit:
        counts = None
    except Refused as refused:
        if not is_stay(refused):
            raise
        counts = None
    if counts is None:
        return "overlap", f"{begins}: a row of {scan.grain} may count on several lines, or on none."
    total, several, none = counts
    if not several and not none:
        return None
    parts = [f"{several:,} {verb(several, 'counts', 'count')} on several of its lines"] if several else []
    parts += [f"{none:,} {verb(none, 'counts', 'count')} on none"] if none else []
    sentence = f"{begins}: of the {counted(total, 'row')} in the total that is furthest off, {listed(parts)}."
    return ("overlap" if several else "leak"), sentence


def rows_by_lines(seen: Seen, measure: t.MeasureValue, scan: t.Aggregate, item: Compared) -> tuple[int, int, int] | None:
    """Of the total furthest off: how many rows of a scan it has, how many of these stand on several of its lines, and how many on none."""
    grid, star = seen.grid, seen.star
    worst = int(np.argmax(np.abs(item.sums - item.values)))
    line, across = (int(x) for x in item.cells[worst])
    parts = parts_of(item.axis.lines, line)
    if len(parts) > MOST_PARTS:
        return None
    one, other = Axis(item.axis.columns, item.axis.lines[[line, *parts]]), grid.columns if item.down else grid.rows
    other = Axis(other.columns, other.lines[[across]])
    batch = cells(star, seen.base, *((one, other) if item.down else (other, one)), seen.budget)
    plan = make_plan(star.model, [measure])
    run = execute(star, plan, batch, seen.budget)
    step = next((s for s in plan.value_steps.values() if s.node is scan), None)
    if step is None or inner_nodes(scan.where):
        return None  # it is computed for rows of something else
    context = run.contexts[step.context]
    owners, rows = visible_pairs(
        star,
        selectors(star, star.inflow(scan.grain, scan.state), context, seen.budget),
        context.size,
        np.arange(star.size(scan.grain)),
        seen.budget,
    )
    if scan.where is not None:
        first = np.zeros(1, np.int64)
        every = np.arange(star.size(scan.grain))
        true = row_vector(scan, scan.where, context.at(first), run.around(step.needs, context).at(first), every)
        keep = np.zeros(len(every), bool)
        keep[widen(true, "boolean").true()] = True
        owners, rows = owners[keep[rows]], rows[keep[rows]]
    mine = np.zeros(star.size(scan.grain), bool)
    mine[rows[owners == 0]] = True
    times = np.bincount(rows[owners > 0], minlength=star.size(scan.grain))
    return int(mine.sum()), int((mine & (times > 1)).sum()), int((mine & (times == 0)).sum())
