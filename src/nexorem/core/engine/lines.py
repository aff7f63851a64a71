"""The lines of an axis over several tables, taken from the rows of the facts instead of from the product of the lists.

A cell of a measure that adds up rows is empty where there are none. So where all measures of a probe are such, a line
can only show when some row of their grains stands at its members.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nexorem.core.engine.context import Batch
from nexorem.core.engine.visibility import visible
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.values import Array, combine

CROSSED = 10_000  # lines of a product that are not worth a look at the facts
ANY_EMPTY = frozenset("* / % || = <> < <= > >= negate ABS ROUND FLOOR CEIL SQRT LN EXP POWER MOD NULLIF".split())
BOTH_EMPTY = frozenset({"+", "-"})

Columns = Sequence[tuple[str, str]]


def from_facts(star: Star, base: Batch, names: Columns, measures: Sequence[t.Typed], budget: Budget) -> Array | None:
    """int64[L, columns]: the members of the axis columns at which some measure can have a value under the page; None
    where a measure may have one without rows."""
    scans: dict[str, t.Aggregate] = {}  # by grain: they all stand under the model's own links
    for measure in measures:
        found = supports(star, measure, {table for table, _ in names})
        if found is None:
            return None
        scans |= {scan.grain: scan for scan in found}
    parts = [np.zeros((0, len(names)), np.int64)]
    for scan in scans.values():
        shown = visible(star, star.inflow(scan.grain, star.state), base, budget)[:-1]
        rows = np.flatnonzero(shown)
        chains = star.lookups(scan.grain, star.state)
        coded = [(star.spread(table, (c,), chains[table])[rows], star.domain(table, (c,)).size) for table, c in names]
        if len(rows):
            _, firsts = combine(coded)
            parts.append(np.stack([codes[firsts].astype(np.int64) for codes, _ in coded], axis=1))
    lines = np.concatenate(parts)
    if not len(lines):
        return lines
    _, firsts = combine([(lines[:, i], star.domain(table, (c,)).size) for i, (table, c) in enumerate(names)])
    return lines[firsts]


def supports(star: Star, node: t.Typed, tables: set[str]) -> list[t.Aggregate] | None:
    """Aggregates without whose rows the node is empty, each of which looks up all of `tables`; None where there are no
    such."""
    match node:
        case t.MeasureValue():
            return supports(star, node.body, tables)
        case t.Const():
            return [] if node.value is None else None
        case t.Aggregate():
            return [node] if node.state == star.state and _looks_up(star, node.grain, tables) else None
        case t.Edited():
            keeps = all(isinstance(e, t.Condition | t.Listing) and e.keep for e in node.edits)
            return supports(star, node.body, tables) if keeps else None
        case t.Fold():
            return _combined(star, {f.name for f in node.functions}, node.arguments, tables)
        case t.Apply():
            return _combined(star, {node.function.name}, node.arguments, tables)
    return None


def _combined(star: Star, names: set[str], arguments: Sequence[t.Typed], tables: set[str]) -> list[t.Aggregate] | None:
    found = [supports(star, a, tables) for a in arguments]
    if names <= ANY_EMPTY:
        return next((f for f in found if f is not None), None)
    if names <= BOTH_EMPTY and all(f is not None for f in found):
        return [scan for f in found for scan in f or ()]
    return None


def _looks_up(star: Star, grain: str, tables: set[str]) -> bool:
    """Whether filters on all these tables come to the grain by look-ups alone."""
    if not tables <= set(star.lookups(grain, star.state)):
        return False
    flow = star.inflow(grain, star.state)
    found = {grain}
    queue = [flow]
    while queue:
        for source in queue.pop().sources:
            if source.how == "lookup":
                found.add(source.table)
                queue.append(source)
    return tables <= found
