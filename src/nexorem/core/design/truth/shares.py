"""Marks of shares: a whole that goes with the picks, and a share that is the whole on every line."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from nexorem.core.design.truth.mark import CLOSE, Columns, Mark, make_mark, mend_of, mended_measure, owner_of_node
from nexorem.core.engine.grid import Grid
from nexorem.core.language import typed as t
from nexorem.core.model.names import quoted
from nexorem.core.plan.effects import effect_of
from nexorem.core.plan.tree import edits_of, nodes, scans
from nexorem.core.values import NUMERIC


def shares(grid: Grid, place: int, measure: t.MeasureValue, axes: Columns, page: Columns) -> Iterator[Mark]:
    """Marks of a measure's quotients whose divisor clears or sets filters."""
    star = grid.star
    for above, below in _quotients(measure):
        edits = edits_of(below)
        if not any(isinstance(e, t.Cleared | t.Restored | t.Condition | t.Listing) for e in edits) or not scans(above):
            continue
        reached = {x for s in scans(below) for x in (f.table for f in star.inflow(s.grain, s.state).walk())}
        effects = [effect_of(star.model, e) for e in edits]
        gone = {c for e in effects if not e.restores for c in e.removed}
        restored = {c for e in effects if e.restores for c in e.removed}
        goes_along = [c for c in dict.fromkeys(page) if c[0] in reached and c not in gone]
        along = [c for c in dict.fromkeys(axes) if c[0] in reached and c not in gone | restored]
        if along and len(along) == len({c for c in axes if c[0] in reached}) and _is_whole(grid, place):
            yield _whole(grid, measure, below, along)
        if goes_along:
            named = " and ".join(f"{a}.{b}" for a, b in goes_along)
            yield make_mark(
                "denominator",
                f"What {measure.name} is a share of goes with the picks on {named}: other picks, another whole.",
                [],
                goes_along,
            )


def _quotients(node: t.Typed) -> Iterator[tuple[t.Typed, t.Typed]]:
    """Dividends and divisors."""
    for at in nodes(node):
        if isinstance(at, t.Apply) and at.function.name == "/":
            yield at.arguments[0], at.arguments[1]
        elif isinstance(at, t.Fold):
            for i, function in enumerate(at.functions):
                if function.name == "/":
                    yield at.arguments[i], at.arguments[i + 1]


def _is_whole(grid: Grid, place: int) -> bool:
    vector = grid.values[place]
    if vector.dtype not in NUMERIC:
        return False
    values = vector.data[vector.valid]
    return len(values) > 1 and bool(np.all(np.abs(values - 1) < CLOSE))


def _whole(grid: Grid, measure: t.MeasureValue, below: t.Typed, along: Columns) -> Mark:
    star = grid.star
    named = " and ".join(f"{a}.{b}" for a, b in along)
    flows = [star.inflow(s.grain, s.state) for s in scans(below)]
    loose = {f.table for flow in flows for f in flow.walk() if flow.worst_step(f.table) != "lookup"}
    grain = scans(below)[0].grain
    over_loose = any(table in loose for table, _ in along)
    why = "it comes over a loose link, which clear wide does not follow" if over_loose else "no edit of it clears them"
    edited = next((n for n in nodes(below) if isinstance(n, t.Edited)), None)
    mends = []
    if edited is not None:
        target = f"into {quoted(grain)}" if over_loose else ", ".join(dict.fromkeys(quoted(table) for table, _ in along))
        owner = owner_of_node(measure, edited)
        if owner:
            text = owner.formula[edited.span.start : edited.span.end]
            first = next((e for e in edited.edits if isinstance(e, t.Cleared)), None)
            more = text[: text.rindex(")")] + f", clear {target})"
            new = text.replace(first.text, _cleared(first, target, over_loose)) if first else more
            made = mend_of(star, grid.probe.define, measure, edited, new, f"write clear {target}")
            mends = [made] if made and mended_measure(star, grid.probe.define, made, measure) else []
    return make_mark(
        "whole",
        f"{measure.name} is 100 % wherever it has a value: its denominator keeps the filters on {named}; {why}.",
        [x for x, _ in along],
        along,
        mends=mends,
    )


def _cleared(edit: t.Cleared, target: str, instead: bool) -> str:
    """A `clear` with another target, what is behind `but` kept; or with one more edit behind it."""
    behind = f" but {edit.but}" if edit.but else ""
    return f"clear {target}{behind}" if instead else f"{edit.text}, clear {target}"
