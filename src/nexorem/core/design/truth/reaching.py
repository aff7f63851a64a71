"""Marks of filters: those that reach no row behind a measure, or some of its facts alone, and coordinates that it does away with."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from weakref import WeakKeyDictionary

from nexorem.core.design.roles import role
from nexorem.core.design.truth.mark import Columns, Mark, MarkMend, make_mark, mend_of, mended_measure
from nexorem.core.engine.grid import Grid
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import overridden, reached_by
from nexorem.core.plan.reach import carrying_edits, carrying_ways
from nexorem.core.plan.tree import edits_of, scans

# By star, which every edit of the model replaces: ways are looked for once, not with every grid.
_carried: WeakKeyDictionary[Star, dict[tuple[str, str, str], list[MarkMend]]] = WeakKeyDictionary()


def unreached(
    grid: Grid, measure: t.MeasureValue, axes: Columns, page: Columns, compared: Sequence[tuple[str, set[str]]]
) -> Iterator[Mark]:
    """Axes and picks that reach no row behind a measure; `compared` are conditions with what they look at."""
    star, define = grid.star, grid.probe.define
    filtering = dict.fromkeys(table for table, _ in (*axes, *page))
    reached = set(reached_by(star, measure).tables)
    for table, tables in reversed(compared):
        reached |= tables if table in reached else set()
    aggregates = scans(measure)
    for table in filtering:
        if table in reached:
            continue
        saved = star.model.measure(measure.name)
        mends: list[MarkMend] = []
        if aggregates and (saved is None or saved.formula == measure.formula):  # else it adds up nothing, or is a draft
            kept = _carried.setdefault(star, {})
            key = measure.name, "" if saved else repr(sorted(define.items())), table
            if key not in kept:
                kept[key] = _carrying(star, define, measure, aggregates[0], table)
            mends = kept[key]
        about = [c for c in dict.fromkeys((*axes, *page)) if c[0] == table]
        does = _asking(table, axes, page, "reaches", "reach")
        sentence = f"{does} no row behind {measure.name}: its numbers are for all of {table}."
        yield make_mark("unreached", sentence, [table], about, mends=mends)


def _asking(table: str, axes: Columns, page: Columns, one: str, both: str) -> str:
    """The axis or the pick on a table, or both, with what they do."""
    kinds = [word for word, columns in (("axis", axes), ("pick", page)) if table in {x for x, _ in columns}]
    return f"The {' and the '.join(kinds)} on {table} {one if len(kinds) == 1 else both}"


def partly(star: Star, measure: t.MeasureValue, axes: Columns, page: Columns) -> Iterator[Mark]:
    """Filters that reach some of the facts a measure adds up and others not: a part is held against a whole."""
    facts: dict[str, tuple[t.Aggregate, set[str]]] = {}
    for scan in scans(measure):
        table = star.model.table(scan.grain)
        if table and role(star, table) == "fact" and scan.function not in ("min", "max"):
            reach = {f.table for f in star.inflow(scan.grain, scan.state).walk()}
            facts.setdefault(f"{scan.text} {sorted(reach)}", (scan, reach))
    for name in dict.fromkeys(x for x, _ in (*axes, *page)):
        held = list(dict.fromkeys(scan.text for scan, reach in facts.values() if name in reach))
        missed = list(dict.fromkeys(scan.text for scan, reach in facts.values() if name not in reach))
        if held and missed:
            what = f"{' and '.join(held)} and not {' and '.join(missed)}"
            does = _asking(name, axes, page, "filters", "filter")
            sentence = f"{does} {what}: {measure.name} holds a part against the whole."
            about = [c for c in dict.fromkeys((*axes, *page)) if c[0] == name]
            yield make_mark("partly", sentence, [name], about)


def _carrying(star: Star, define: Mapping[str, str], measure: t.MeasureValue, scan: t.Aggregate, table: str) -> list[MarkMend]:
    """The measure's formula with what would carry a filter on the table to the rows it adds up, in up to three ways."""
    own = scan.state == star.state
    ways = carrying_ways(star, table, scan.grain) if own else [carrying_edits(star, scan.state, table, scan.grain)]
    givens = [f"given ({', '.join(w)})" for w in ways if w]
    mends = [mend_of(star, define, measure, measure.body, f"({measure.formula}) {given}", given) for given in givens]
    return [m for m in mends if m and (after := mended_measure(star, define, m, measure)) and table in reached_by(star, after).tables]


def overridden_marks(star: Star, measure: t.MeasureValue, axes: Columns) -> Iterator[Mark]:
    """Axis columns whose coordinates a measure does away with."""
    own: dict[tuple[str, str], list[str]] = {}
    for edit in edits_of(measure):
        if isinstance(edit, t.FilterEdit) and not isinstance(edit, t.Moved):
            for column in overridden(star.model, edit):
                own.setdefault(column, []).append(edit.text)
    met = [c for c in dict.fromkeys(axes) if c in own]
    if met:
        texts = list(dict.fromkeys(x for c in met for x in own[c]))
        named = " and ".join(f"{a}.{b}" for a, b in met)
        yield make_mark("overridden", f"{measure.name} does away with the cell's own coordinate on {named}: {'; '.join(texts)}.", [], met)
