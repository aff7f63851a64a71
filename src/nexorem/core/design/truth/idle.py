"""Marks of what has no effect: a rank that is 1 on every line, and a `given` on the name of a `let`."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from nexorem.core.design.truth.mark import Columns, Mark, MarkMend, make_mark, mend_of, mended_measure, owner_of_node
from nexorem.core.design.truth.seen import Seen
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.language import typed as t
from nexorem.core.model.names import column_text
from nexorem.core.plan.tree import is_idle, leaves, nodes, scans
from nexorem.core.words import listed

MOST_TRIED = 5_000  # cells of a grid that a mend is tried on


def first_everywhere(seen: Seen, place: int, measure: t.MeasureValue) -> Iterator[Mark]:
    """Ranks of a measure that is 1 wherever it has a value, on two lines or more."""
    ranks = [n for n in nodes(measure) if isinstance(n, t.Rank)]
    if not ranks or not seen.axes or not _all_ones(seen.grid, place):
        return
    for rank in ranks:
        own = [(c.table, c.column) for c in rank.among.columns if c.table and c.column]
        shared = [c for c in seen.axes if c in own]
        names = [column_text(*c) for c in (shared or seen.axes)]
        if shared and isinstance(rank.among, t.BaseRows) and not rank.among.quantifier:
            why = f"a line's own filter on {listed(names)} leaves just one of {rank.among.text} to be placed among"
        elif shared:
            continue
        else:
            why = (
                f"{listed(names)} of the axis does not tell the rows of {rank.among.text} apart, so each line is placed above its own parts"
            )
        yield make_mark(
            "first", f"{measure.name} is 1 wherever it has a value: {why}.", [], seen.axes, mends=_among_page(seen, measure, rank)
        )


def _all_ones(grid: Grid, place: int) -> bool:
    value = grid.values[place]
    if value.dtype not in ("integer", "number"):
        return False
    filled = value.data[value.valid]
    return len(filled) > 1 and bool(np.all(filled == 1))


def _among_page(seen: Seen, measure: t.MeasureValue, rank: t.Rank) -> list[MarkMend]:
    """The rank among the members that the page shows; among those of the axis where it ran over others."""
    owner = owner_of_node(measure, rank)
    if owner is None:
        return []
    shown = rank.among.text if any((c.table, c.column) in seen.axes for c in rank.among.columns) else _of_axis(seen.axes)
    text = owner.formula[rank.span.start : rank.span.end]
    new = text.replace(rank.among.text, f"page {shown}")
    define = seen.grid.probe.define
    made = mend_of(seen.star, define, measure, rank, new, f"place it among page {shown}") if new != text else None
    return [made] if made and mended_measure(seen.star, define, made, measure) and _differs(seen, measure, made) else []


def _differs(seen: Seen, measure: t.MeasureValue, made: MarkMend) -> bool:
    """Whether the mended measure is something else than 1 somewhere on the grid; never of a grid that would take long."""
    grid = seen.grid
    if len(grid.rows.lines) * max(len(grid.columns.lines), 1) > MOST_TRIED:
        return False
    define = {**grid.probe.define, made.measure: made.formula}
    probe = replace(grid.probe, measures=(measure.name,), define=define, top=None, having=(), sort=())
    return not _all_ones(answer(seen.star, probe, seen.budget), 0)


def _of_axis(axes: Columns) -> str:
    return column_text(*axes[-1])


def fixed_lets(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Edits around names of a `let`: their values were computed where the `let` stands, before the edits."""
    for node in nodes(measure):
        if not isinstance(node, t.Edited):
            continue
        names = [n for n in leaves(node.body) if isinstance(n, t.LetValue)]
        if not names or not is_idle(node) or not all(scans(n) for n in names):
            continue
        called = list(dict.fromkeys(n.definition.name for n in names))
        edits = listed([e.text for e in node.edits])
        sentence = f"given ({edits}) changes nothing of {listed(called)} in {measure.name}: a let is computed once, where it stands."
        yield make_mark("fixed", sentence, mends=_written_out(seen, measure, node, names))


def _written_out(seen: Seen, measure: t.MeasureValue, node: t.Edited, names: list[t.LetValue]) -> list[MarkMend]:
    """The edited formula in place of its name, where it is a single name."""
    owner = owner_of_node(measure, node)
    if owner is None or len(names) != 1 or node.body is not names[0]:
        return []
    defined = names[0].definition.node
    written = owner.formula[defined.span.start : defined.span.end]
    edits = owner.formula[names[0].span.end : node.span.end]
    define = seen.grid.probe.define
    made = mend_of(seen.star, define, measure, node, f"({written}){edits}", f"write {written} out")
    mended = mended_measure(seen.star, define, made, measure) if made else None
    return [made] if made and mended and not any(fixed_lets(seen, mended)) else []
