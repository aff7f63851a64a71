"""The lines of an axis over several tables, taken from the rows of the facts instead of from the product of the lists.

A cell of a measure that adds up rows is empty where there are none. So where all measures of a probe are such, a line
can only show when some row of their grains stands at its members.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import takewhile
from typing import assert_never

import numpy as np

from nexorem.core.engine.context import Batch
from nexorem.core.engine.visibility import visible
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.model import Link
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct
from nexorem.core.plan.effects import effect_of
from nexorem.core.values import Array, combine

CROSSED = 10_000  # lines of a product that are not worth a look at the facts
FACTS_PER_LINE = 4  # rows of facts that are looked at in the time that a line takes
ANY_EMPTY = frozenset("* / % || = <> < <= > >= negate ABS ROUND FLOOR CEIL SQRT LN EXP POWER MOD LEAST GREATEST".split())
ALL_EMPTY = frozenset({"+", "-", "COALESCE"})

Columns = Sequence[tuple[str, str]]


def facts_of(star: Star, names: Columns, measures: Sequence[t.Typed]) -> list[t.Aggregate] | None:
    """An aggregate of each grain without whose rows at a line no measure has a value there; None where one may have a value without
    rows."""
    scans: dict[str, t.Aggregate] = {}  # by grain: they all stand under the model's own links
    for measure in measures:
        supported = supports(star, measure, {table for table, _ in names})
        if supported is None:
            return None
        scans |= {scan.grain: scan for scan in supported}
    return list(scans.values())


def most_lines(star: Star, names: Columns) -> int:
    """How many lines the tables of an axis could have at most, whatever the page lets through."""
    most = 1
    for table in dict.fromkeys(table for table, _ in names):
        members = math.prod(star.domain(table, (c,)).size for owner, c in names if owner == table)
        most *= min(members, star.size(table) + 1)
    return most


def worth_it(star: Star, tables: Sequence[str], scans: Sequence[t.Aggregate], lines: int) -> bool:
    """Whether it is better to look at the rows of facts than at so many lines of an axis over these tables."""
    return lines > CROSSED and (len(tables) > 1 or lines * FACTS_PER_LINE > _rows(star, scans))


def few_members(star: Star, tables: Sequence[str], scans: Sequence[t.Aggregate]) -> bool:
    """Whether tables are so small beside the facts that it costs little to see which of their members the page lets through."""
    return sum(star.size(table) for table in tables) * FACTS_PER_LINE <= _rows(star, scans)


def _rows(star: Star, scans: Sequence[t.Aggregate]) -> int:
    return sum(star.size(scan.grain) for scan in scans)


def from_facts(star: Star, base: Batch, names: Columns, scans: Sequence[t.Aggregate], budget: Budget) -> Array:
    """int64[L, columns]: the members of the axis columns at which some of the aggregates has a row under the page.

    Rows without a partner stand at `(unmatched)` only where the page lets that member of the table through, as in a product of lists: a
    filter that comes to the table from the rows themselves, over a two-way link, does not.
    """
    parts = [np.zeros((0, len(names)), np.int64)]
    closed = {table for table in dict.fromkeys(n for n, _ in names) if not visible(star, star.inflow(table, star.state), base, budget)[-1]}
    for scan in scans:
        shown = visible(star, star.inflow(scan.grain, star.state), base, budget)[:-1]
        rows = np.flatnonzero(shown)
        chains = star.lookups(scan.grain, star.state)
        # What all tables are looked up over tells of as many rows: of each of its rows once, and of none that have no partner there.
        shared = _common([chains[table] for table, _ in names])
        if shared and star.size(shared[-1].to_table) < len(rows):
            rows = distinct(star.partner_along(shared, rows))
        else:
            shared = ()
        coded = [(star.spread(table, (c,), chains[table][len(shared) :])[rows], star.domain(table, (c,)).size) for table, c in names]
        if len(rows):
            _, firsts = combine(coded)
            parts.append(np.stack([codes[firsts].astype(np.int64) for codes, _ in coded], axis=1))
    lines = np.concatenate(parts)
    for i, (table, column) in enumerate(names):
        if table in closed:
            lines = lines[lines[:, i] != star.domain(table, (column,)).size - 1]
    if not len(lines):
        return lines
    _, firsts = combine([(lines[:, i], star.domain(table, (c,)).size) for i, (table, c) in enumerate(names)])
    return lines[firsts]


def _common(chains: Sequence[tuple[Link, ...]]) -> tuple[Link, ...]:
    """What several chains of look-ups begin with alike."""
    first = min(chains, key=len)
    alike = (all(chain[i] == link for chain in chains) for i, link in enumerate(first))
    return first[: sum(takewhile(bool, alike))]


def supports(star: Star, node: t.Typed, tables: set[str]) -> list[t.Aggregate] | None:
    """Aggregates without whose rows the node is empty, each of which looks up all of `tables`; None where there are no
    such."""
    match node:
        case t.MeasureValue():
            return supports(star, node.body, tables)
        case t.Let():
            return supports(star, node.body, tables)
        case t.LetValue():
            return supports(star, node.definition.node, tables) if node.definition.scope is None else None
        case t.Const():
            return [] if node.value is None else None
        case t.Aggregate():
            return [node] if node.state == star.state and _looks_up(star, node.grain, tables) else None
        case t.Edited():
            narrows = all(effect_of(star.model, e).narrows for e in node.edits)
            return supports(star, node.body, tables) if narrows else None
        case t.Cases():
            return _together(star, [*(then for _, then in node.branches), node.otherwise], tables)
        case t.Fold():
            return _combined(star, {f.name for f in node.functions}, node.arguments, tables)
        case t.Apply():
            return _combined(star, {node.function.name}, node.arguments, tables)
        case (
            t.Unknown()
            | t.ColumnValue()
            | t.RowName()
            | t.InRow()
            | t.InContext()
            | t.Member()
            | t.Iterated()
            | t.Single()
            | t.Asked()
            | t.Rank()
        ):
            return None
    assert_never(node)


def _combined(star: Star, names: set[str], arguments: Sequence[t.Typed], tables: set[str]) -> list[t.Aggregate] | None:
    if names == {"NULLIF"}:  # with an empty second side the first one stays
        return supports(star, arguments[0], tables)
    if names <= ANY_EMPTY:
        return next((f for a in arguments if (f := supports(star, a, tables)) is not None), None)
    return _together(star, arguments, tables) if names <= ALL_EMPTY else None


def _together(star: Star, nodes: Sequence[t.Typed], tables: set[str]) -> list[t.Aggregate] | None:
    """What several nodes are supported by, of which one with a value is enough."""
    supported = [supports(star, node, tables) for node in nodes]
    return [scan for f in supported for scan in f or ()] if all(f is not None for f in supported) else None


def _looks_up(star: Star, grain: str, tables: set[str]) -> bool:
    """Whether filters on all these tables come to the grain by look-ups alone."""
    if not tables <= set(star.lookups(grain, star.state)):
        return False
    flow = star.inflow(grain, star.state)
    reached = {grain}
    queue = [flow]
    while queue:
        for source in queue.pop().sources:
            if source.how == "lookup":
                reached.add(source.table)
                queue.append(source)
    return tables <= reached
