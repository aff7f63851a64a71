"""Marks of truth: what a person has to know of a grid's numbers before they trust them. Each is found in the very numbers and formulas.

kind: `unreached`, `partly` (some of its facts are reached and others not), `overridden`, `apart` (parts do not add up to a total),
`unmatched`, `denominator` (it goes with the picks), `whole` (a share that is the whole on every line), `dimension_side` (rows of a
dimension added up), `cut` (lines left out).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import CellError, Refused
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import TOTAL
from nexorem.core.engine.reach import carrying_edits, carrying_ways, edits_of, nodes, overridden, parts, reached_by, scans, worst_step
from nexorem.core.engine.scalar import cell_trees
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.model import Link
from nexorem.core.model.names import quoted, reference_text
from nexorem.core.model.star import Star
from nexorem.core.values import NUMERIC, Array

MOST_CELLS = 20_000  # that a mark names one by one
CLOSE = 1e-9  # of the larger of two numbers that count as the same
ADDING = ("+", "-", "negate")

Mark = dict[str, Any]
# By star, which every edit of the model replaces: ways are looked for once, not with every grid.
_carried: WeakKeyDictionary[Star, dict[tuple[str, str, str], list[dict[str, Any]]]] = WeakKeyDictionary()
Columns = Sequence[tuple[str, str]]


def marks(grid: Grid) -> list[list[Mark]]:
    """For each measure of a grid its marks. A mark has `kind`, `sentence`, `tables` and `columns` it is about, `cells` as [row line, column
    line] where it is about some of them alone, and `mends`: `measure` with the `formula` that it would have, under a `label`;
    `own` tells a formula of the probe's own from a measure of the model."""
    star, probe = grid.star, grid.probe
    binder = Binder(star, probe.define)
    conditions = [binder.page_condition(text) for text in probe.conditions]
    page = [(p.table, p.column) for p in probe.picks] + [(c.table, x) for c in conditions for x in c.columns]
    axes = [*probe.rows, *probe.columns]
    # What a condition compares with was computed under the picks before it: these come to what it filters.
    compared = [(c.table, {x for tree in cell_trees(c) for x in reached_by(star, tree)["tables"]}) for c in conditions]
    told = []
    for place, name in enumerate(probe.measures):
        measure = binder.measure(name)
        found = [*_unreached(grid, measure, axes, page, compared), *_partly(star, measure, axes, page), *_overridden(star, measure, axes)]
        found += _dimension_side(grid, measure, axes, page)
        found += _shares(grid, place, measure, axes, page)
        found += _apart(grid, place, measure)
        told.append([m | {"measure": name} for m in found])
    return told


def _mark(kind: str, sentence: str, tables: Sequence[str] = (), columns: Columns = (), **more: Any) -> Mark:
    named = [reference_text(table, column) for table, column in columns]
    return {
        "kind": kind,
        "sentence": sentence,
        "tables": list(tables),
        "columns": named,
        "cells": [],
        "mends": [],
        "why": "",
        "links": [],
    } | more


# filters that do not reach a measure, and those that it does away with


def _unreached(
    grid: Grid, measure: t.MeasureValue, axes: Columns, page: Columns, compared: Sequence[tuple[str, set[str]]]
) -> Iterator[Mark]:
    star, define = grid.star, grid.probe.define
    asked = dict.fromkeys(table for table, _ in (*axes, *page))
    reached = set(reached_by(star, measure)["tables"])
    for table, tables in reversed(compared):
        reached |= tables if table in reached else set()
    found = scans(measure)
    for table in asked:
        if table in reached:
            continue
        known = star.model.measure(measure.name)
        mends: list[Mark] = []
        if found and (known is None or known.formula == measure.formula):  # else it adds up nothing, or is a draft
            kept = _carried.setdefault(star, {})
            key = measure.name, "" if known else repr(sorted(define.items())), table
            if key not in kept:
                kept[key] = _carrying(star, define, measure, found[0], table)
            mends = kept[key]
        about = [c for c in dict.fromkeys((*axes, *page)) if c[0] == table]
        does = _asking(table, axes, page, "reaches", "reach")
        sentence = f"{does} no row behind {measure.name}: its numbers are for all of {table}."
        yield _mark("unreached", sentence, [table], about, mends=mends)


def _asking(table: str, axes: Columns, page: Columns, one: str, both: str) -> str:
    """The axis or the pick on a table, or both, with what they do."""
    kinds = [word for word, columns in (("axis", axes), ("pick", page)) if table in {x for x, _ in columns}]
    return f"The {' and the '.join(kinds)} on {table} {one if len(kinds) == 1 else both}"


def _partly(star: Star, measure: t.MeasureValue, axes: Columns, page: Columns) -> Iterator[Mark]:
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
            yield _mark("partly", sentence, [name], about)


def _carrying(star: Star, define: Mapping[str, str], measure: t.MeasureValue, scan: t.Aggregate, table: str) -> list[Mark]:
    """The measure's formula with what would carry a filter on the table to the rows it adds up, in up to three ways."""
    own = scan.state == star.state
    ways = carrying_ways(star, table, scan.grain) if own else [carrying_edits(star, scan.state, table, scan.grain)]
    givens = [f"given ({', '.join(w)})" for w in ways if w]
    mends = [_mend(star, define, measure, measure.body, f"({measure.formula}) {given}", given) for given in givens]
    return [m for m in mends if m and (after := _mended(star, define, m, measure)) and table in reached_by(star, after)["tables"]]


def _overridden(star: Star, measure: t.MeasureValue, axes: Columns) -> Iterator[Mark]:
    own: dict[tuple[str, str], list[str]] = {}
    for edit in edits_of(measure):
        if isinstance(edit, t.FilterEdit) and not isinstance(edit, t.Moved):
            for column in overridden(star, edit):
                own.setdefault(column, []).append(edit.text)
    met = [c for c in dict.fromkeys(axes) if c in own]
    if met:
        texts = list(dict.fromkeys(x for c in met for x in own[c]))
        named = " and ".join(f"{a}.{b}" for a, b in met)
        yield _mark("overridden", f"{measure.name} does away with the cell's own coordinate on {named}: {'; '.join(texts)}.", [], met)


def _mend(star: Star, define: Mapping[str, str], measure: t.MeasureValue, at: t.Typed, text: str, label: str) -> Mark | None:
    """The formula of a measure, or of the probe's own, with other text in a node's place."""
    owner = _owner(measure, at)
    if owner is None:
        return None
    own = star.model.measure(owner.name) is None and owner.name in define
    if not own and star.model.measure(owner.name) is None:
        return None
    formula = text if at is owner.body else owner.formula[: at.span.start] + text + owner.formula[at.span.end :]
    return {"measure": owner.name, "formula": formula, "label": label, "own": own}


def _mended(star: Star, define: Mapping[str, str], mend: Mark, measure: t.MeasureValue) -> t.MeasureValue | None:
    """The measure as it would be with a mend; nothing where that cannot be computed, as a way that a filter could be carried may double
    another's. Only what is so no more with the mend is offered: an edit may be undone by one inside the formula."""
    try:
        return Binder(star, {**define, mend["measure"]: mend["formula"]}).measure(measure.name)
    except Refused:
        return None


def _owner(measure: t.MeasureValue, at: t.Typed) -> t.MeasureValue | None:
    """The measure in whose own formula a node stands."""
    queue: list[tuple[t.MeasureValue, t.Typed]] = [(measure, measure.body)]
    met: set[int] = set()
    while queue:
        owner, node = queue.pop()
        if node is at:
            return owner
        if id(node) in met:
            continue
        met.add(id(node))
        queue += [(node if isinstance(node, t.MeasureValue) else owner, x) for x in parts(node)]
    return None


def _dimension_side(grid: Grid, measure: t.MeasureValue, axes: Columns, page: Columns) -> Iterator[Mark]:
    """Rows of a dimension added up while something that filters its facts, and not itself, is on the axes or the page."""
    star, asked, define = grid.star, {table for table, _ in (*axes, *page)}, grid.probe.define
    for scan, fact, through in _sums_of_dimensions(star, measure, asked):
        text = f"{scan.text.rstrip()[:-1]} for each {quoted(fact)})" if " for each " not in scan.text else ""
        mend = _mend(star, define, measure, scan, text, text) if text and scan.where is None else None
        after = _mended(star, define, mend, measure) if mend else None
        left = [x.text for x, _, _ in _sums_of_dimensions(star, after, asked)] if after else [scan.text]
        told = f"{scan.text} adds up rows of the dimension {scan.grain}, each once, whatever {fact} has of it"
        mends = [mend] if mend and scan.text not in left else []
        yield _mark("dimension_side", f"{told}; {_passing(through, fact, scan.grain)}.", [scan.grain, fact], mends=mends)


def _passing(through: Sequence[str], fact: str, dimension: str) -> str:
    others = [x for x in through if x != fact]
    if not others:
        return f"a filter on {fact} does not come to {dimension}"
    return f"{' and '.join(others)} filter{'s' if len(others) == 1 else ''} {fact} and not {dimension}"


def _sums_of_dimensions(star: Star, measure: t.MeasureValue, asked: set[str]) -> Iterator[tuple[t.Aggregate, str, list[str]]]:
    """The scans that add up rows of a dimension, each with the fact that looks it up and the tables asked for that filter only it."""
    for scan in scans(measure):
        table = star.model.table(scan.grain)
        if not table or scan.function not in ("sum", "avg") or scan.distinct or role(star, table) not in ("dimension", "outrigger"):
            continue
        flows = {f.table for f in star.inflow(scan.grain, scan.state).walk()}
        facts = [
            x.name for x in star.model.tables if role(star, x) in ("fact", "bridge") and scan.grain in star.lookups(x.name, scan.state)
        ]
        reached = {f: {x.table for x in star.inflow(f, star.state).walk()} & asked - flows for f in facts}
        fact = max(facts, key=lambda f: len(reached[f]), default="")
        if fact and reached[fact]:
            yield scan, fact, sorted(reached[fact])


# shares


def _shares(grid: Grid, place: int, measure: t.MeasureValue, axes: Columns, page: Columns) -> Iterator[Mark]:
    star = grid.star
    for above, below in _quotients(measure):
        edits = edits_of(below)
        if not any(isinstance(e, t.Cleared | t.Restored | t.Condition | t.Listing) for e in edits) or not scans(above):
            continue
        reached = {x for s in scans(below) for x in (f.table for f in star.inflow(s.grain, s.state).walk())}
        gone = {c for e in edits if isinstance(e, t.FilterEdit) and not isinstance(e, t.Restored) for c in overridden(star, e)}
        restored = {c for e in edits if isinstance(e, t.Restored) for c in overridden(star, e)}
        goes_along = [c for c in dict.fromkeys(page) if c[0] in reached and c not in gone]
        along = [c for c in dict.fromkeys(axes) if c[0] in reached and c not in gone | restored]
        if along and len(along) == len({c for c in axes if c[0] in reached}) and _is_whole(grid, place):
            yield _whole(grid, measure, below, along)
        if goes_along:
            named = " and ".join(f"{a}.{b}" for a, b in goes_along)
            yield _mark(
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
    found = grid.values[place]
    if isinstance(found, CellError) or found.dtype not in NUMERIC:
        return False
    known = found.data[found.valid]
    return len(known) > 1 and bool(np.all(np.abs(known - 1) < CLOSE))


def _whole(grid: Grid, measure: t.MeasureValue, below: t.Typed, along: Columns) -> Mark:
    star = grid.star
    named = " and ".join(f"{a}.{b}" for a, b in along)
    flows = [star.inflow(s.grain, s.state) for s in scans(below)]
    loose = {f.table for flow in flows for f in flow.walk() if worst_step(flow, f.table) != "lookup"}
    grain = scans(below)[0].grain
    over_loose = any(table in loose for table, _ in along)
    why = "it comes over a loose link, which clear wide does not follow" if over_loose else "no edit of it clears them"
    edited = next((n for n in nodes(below) if isinstance(n, t.Edited)), None)
    mends = []
    if edited is not None:
        target = f"into {quoted(grain)}" if over_loose else ", ".join(dict.fromkeys(quoted(table) for table, _ in along))
        owner = _owner(measure, edited)
        if owner:
            text = owner.formula[edited.span.start : edited.span.end]
            first = next((e.text for e in edited.edits if isinstance(e, t.Cleared)), None)
            new = text.replace(first, _cleared(first, target, over_loose)) if first else text[: text.rindex(")")] + f", clear {target})"
            made = _mend(star, grid.probe.define, measure, edited, new, f"write clear {target}")
            mends = [made] if made and _mended(star, grid.probe.define, made, measure) else []
    return _mark("whole", f"{measure.name} is 100 % wherever it has a value: its denominator keeps the filters on {named}; {why}.",
                 [x for x, _ in along], along, mends=mends)  # fmt: skip


def _cleared(text: str, target: str, instead: bool) -> str:
    """A `clear` with another target, what is behind `but` kept; or with one more edit behind it."""
    words = text.split(" but ", 1)
    behind = f" but {words[1]}" if len(words) > 1 else ""
    return f"clear {target}{behind}" if instead else f"{text}, clear {target}"


# parts that do not add up


def _apart(grid: Grid, place: int, measure: t.MeasureValue) -> Iterator[Mark]:
    """Totals of an adding measure that are no sum of the parts shown, and why."""
    found = grid.values[place]
    if isinstance(found, CellError) or found.dtype not in NUMERIC or not adds(measure):
        return
    shape = len(grid.rows.lines), len(grid.columns.lines)
    values = np.where(found.valid, found.data.astype(float), 0.0).reshape(shape)
    told = found.valid.reshape(shape)
    for axis, lines, matrix, valid in ((grid.rows, grid.rows.lines, values, told), (grid.columns, grid.columns.lines, values.T, told.T)):
        sums, has = part_sums(lines, matrix)
        differ = has[:, None] & valid & (np.abs(sums - matrix) > CLOSE * np.maximum(1.0, np.maximum(np.abs(sums), np.abs(matrix))))
        cells = np.argwhere(differ)
        if not len(cells):
            continue
        more = float((sums - matrix)[differ].sum())
        why, sentence = _why_apart(grid, measure, axis.columns, more, axis is grid.rows and grid.left_out > 0)
        listed = cells if axis is grid.rows else cells[:, ::-1]
        yield _mark("apart", sentence, list(dict.fromkeys(table for table, _ in axis.columns)), why=why, cells=listed[:MOST_CELLS].tolist())


def adds(node: t.Typed) -> bool:
    """Whether a value is made by adding up, so that its parts could be expected to add up to it."""
    match node:
        case t.MeasureValue() | t.InRow() | t.InContext() | t.Edited():
            return adds(node.body)
        case t.Aggregate() | t.Iterated():
            return node.function in ("sum", "count", "rows")
        case t.Fold():
            if {f.name for f in node.functions} <= {"*", "/"}:
                return adds(node.arguments[0]) and all(isinstance(a, t.Const) for a in node.arguments[1:])
            return {f.name for f in node.functions} <= set(ADDING) and all(adds(a) for a in node.arguments)
        case t.Apply():
            return node.function.name in ADDING and all(adds(a) for a in node.arguments)
        case t.Let():
            return adds(node.body)
        case t.LetValue():
            return adds(node.definition.node)
    return False


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


def _why_apart(grid: Grid, measure: t.MeasureValue, columns: Columns, more: float, cut: bool) -> tuple[str, str]:
    """The likeliest cause, and it in a sentence; `more` is by how much the parts are above their totals."""
    star, name = grid.star, measure.name
    tables = list(dict.fromkeys(table for table, _ in columns))
    if cut:
        return "cut", f"The top lines of {name} are not all of its total: {grid.left_out:,} lines are left out."
    found = scans(measure)
    counted = next((s for s in found if s.distinct), None)
    if counted or any(isinstance(n, t.Iterated) and (n.distinct or n.function in ("rows", "count")) for n in nodes(measure)):
        what = counted.text if counted else name
        return "distinct", f"{what} counts what stands in several parts once in their total."
    for scan in found:
        flow = star.inflow(scan.grain, scan.state)
        for table in tables:
            how = worst_step(flow, table)
            if how in ("loose", "up"):
                word = "a loose link" if how == "loose" else "the many side of a link"
                if more > 0:
                    return (
                        "overlap",
                        f"A filter on {table} comes to {scan.grain} over {word}: a row of {scan.grain} counts in several parts.",
                    )
                return (
                    "leak",
                    f"A filter on {table} comes to {scan.grain} over {word}: some rows of {scan.grain} are in the total and in no part.",
                )
    for edit in edits_of(measure):
        touched = [c for c in overridden(star, edit) if c in columns] if isinstance(edit, t.FilterEdit) else []
        if touched or (isinstance(edit, t.Moved) and edit.calendar in tables):
            return "edit", f"{name} changes the filters it is computed under ({edit.text}), so a total is no sum of its lines."
    if any(isinstance(e, t.LinkEdit) for e in edits_of(measure)):
        return "edit", f"{name} is computed over other links, along which a row may count for several lines or for none."
    unreached = [x for x in tables if x not in reached_by(star, measure)["tables"]]
    if unreached:
        return "unreached", f"{name} is not reached by {' or '.join(unreached)}: every line shows the whole."
    lacking = [(s.text, x) for s in found for x in tables if x not in {f.table for f in star.inflow(s.grain, s.state).walk()}]
    if lacking:
        texts, lost = (" and ".join(dict.fromkeys(x)) for x in zip(*lacking, strict=True))
        return "unreached", f"{texts} in {name} is not reached by {lost}: its whole stands on every line."
    return (
        "context",
        f"Each total of {name} is computed in its own context; a step on the way is not the same for the whole as for its lines.",
    )


def unmatched_told(grid: Grid) -> list[Mark]:
    """Axis columns on which an `(unmatched)` line is shown: which rows it stands for."""
    star, told = grid.star, []
    for axis in (grid.rows, grid.columns):
        for place, (table, column) in enumerate(axis.columns):
            size = star.domain(table, (column,)).size
            if not (axis.lines[:, place] == size - 1).any():
                continue
            links = [k for k in star.model.links if k.to_table == table and k.name in star.firm]
            facts = {k.name: star.facts(k) for k in links if k.active}
            said = [_orphans(k, f.orphans, f.empty) for k in links if (f := facts.get(k.name)) and f.orphans + f.empty]
            text = "; ".join(said) or "the rows it stands for come from farther away"
            told.append(
                _mark(
                    "unmatched",
                    f"(unmatched) of {table} stands for rows without a partner there: {text}.",
                    [table],
                    [(table, column)],
                    links=_named(facts),
                )
            )
    return told


def _orphans(link: Link, orphans: int, empty: int) -> str:
    """The rows of the many side that find no partner."""
    told = [f"{empty:,} of {link.from_table} with an empty {link.from_text}"] if empty else []
    told += [f"{orphans:,} with a {link.from_text} that {link.to_table} has not"] if orphans else []
    return " and ".join(told)


def _named(facts: Mapping[str, Any]) -> list[str]:
    return [name for name, f in facts.items() if f.orphans + f.empty]
