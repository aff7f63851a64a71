"""Totals held against the sums of their parts."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from nexorem.core.checks.cells import place_text
from nexorem.core.checks.outcome import Failure
from nexorem.core.design.truth.additive import additivity
from nexorem.core.design.truth.apart import Compared, compared_parts, why_apart
from nexorem.core.design.truth.seen import Seen, seen
from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.order import TOTAL, UNMATCHED
from nexorem.core.engine.probe import Probe, read_probe
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star


def totalled(star: Star, spec: ProbeSpec, columns: Sequence[str]) -> tuple[Probe, set[tuple[str, str]]]:
    """The probe with all its totals, and the columns whose totals are compared; refuses those that are on no axis of it."""
    probe = read_probe(star, replace(spec, totals="all", sort=()))
    over, wrong = set[tuple[str, str]](), list[Diagnostic]()
    for text in columns:
        try:
            column = star.model.find_column(text)
        except Refused as refused:
            wrong += [replace(d, place="must.add_up") for d in refused.diagnostics]
            continue
        if column not in (*probe.rows, *probe.columns):
            said = f"{text} is on no axis of the probe, so nothing is totalled over it."
            wrong.append(Diagnostic("bad_check", said, place="must.add_up", hint="Put it on an axis."))
        over.add(column)
    if wrong:
        raise Refused(wrong)
    return probe, over


def totals_apart(star: Star, spec: ProbeSpec, columns: Sequence[str], budget: Budget) -> tuple[int, Iterator[Failure]]:
    """How many totals over these columns were compared, and those that are not the sums of their parts, with the likeliest cause. A measure
    that is not a number is passed over."""
    probe, over = totalled(star, spec, columns)
    look = seen(answer(star, probe, budget), budget)
    tested, failing = 0, []
    for place, measure in enumerate(look.grid.plan.measures):
        for part in compared_parts(look, place):
            taken = [level for level, column in enumerate(part.axis.columns) if column in over]
            levels = (part.axis.lines != TOTAL).sum(axis=1)
            tested += int(part.compared[taken].sum())
            failing.append(_failures(look, measure, part, [i for i in range(len(part.cells)) if int(levels[part.cells[i, 0]]) in taken]))
    return tested, (f for each in failing for f in each)


def _failures(look: Seen, measure: t.MeasureValue, part: Compared, places: Sequence[int]) -> Iterator[Failure]:
    if not places:
        return
    grid = look.grid
    shown = [c for axis in (grid.rows, grid.columns) for c in axis.columns]
    _, cause = why_apart(look, measure, part, additivity(look.star, measure, shown, {table for table, _ in look.paged}))
    down, across = grid.rows.named(look.star, UNMATCHED), grid.columns.named(look.star, UNMATCHED)
    for i in places:
        line, other = (int(x) for x in part.cells[i])
        at = {**down[line if part.down else other], **across[other if part.down else line]}
        total, sums = float(part.values[i]), float(part.sums[i])
        where = place_text(at)
        sentence = f"{where}: the total of {measure.name} is {total:,.12g}, its parts come to {sums:,.12g}. {cause}"
        yield Failure("apart", sentence, measure.name, at, {measure.name: total}, sums, total - sums)
