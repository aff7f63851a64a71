"""The mark of rows that fall out of a sum, since a looked-up part of their product or difference is empty."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from nexorem.core.design.truth.additive import operators
from nexorem.core.design.truth.mark import Mark, MarkMend, make_mark, mend_of, mended_measure
from nexorem.core.design.truth.seen import Seen
from nexorem.core.engine.visibility import selectors, visible_pairs
from nexorem.core.language import typed as t
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import scans
from nexorem.core.values import Array
from nexorem.core.words import counted, listed, verb

Lost = tuple[Array, tuple[t.ColumnValue, ...]]


def lost_rows(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Sums that some rows are no part of: a part of their product or difference is looked up and empty, another is not."""
    marked: set[str] = set()
    for scan in scans(measure):
        lost = _lost(seen.star, scan)
        if lost is None or scan.text in marked:
            continue
        marked.add(scan.text)
        rows, empty = lost
        flow = seen.star.inflow(scan.grain, scan.state)
        count = len(visible_pairs(seen.star, selectors(seen.star, flow, seen.base, seen.budget), 1, rows, seen.budget)[1])
        if count:
            names = [column_text(c.table, c.column) for c in empty]
            has, falls = verb(count, "has", "have"), verb(count, "falls", "fall")
            sentence = f"{counted(count, 'row')} of {scan.grain} {has} no {listed(names, 'or')} and {falls} out of {scan.text}."
            tables = list(dict.fromkeys([scan.grain, *(c.table for c in empty)]))
            yield make_mark("lost", sentence, tables, [(c.table, c.column) for c in empty], mends=_mends(seen, measure, scan, empty))


def _lost(star: Star, scan: t.Aggregate) -> Lost | None:
    """The rows whose product or difference is empty though not all of its parts are (whatever the page), and the looked-up columns that are
    empty there."""
    if scan.function not in ("sum", "avg") or scan.where is not None:
        return None
    factors = _factors(scan.argument)
    if len({(c.table, c.column) for c in factors}) < 2 or all(c.table == scan.grain for c in factors):
        return None
    key = ("lost rows", scan.grain, tuple((c.table, c.column, tuple(k.name for k in scan.lookups.get(c.table, ()))) for c in factors))
    missing: dict[str, Array] = {}
    for c in factors:
        missing.setdefault(f"{c.table}\0{c.column}", _empty(star, scan, c))

    def find() -> Array:
        every = np.logical_or.reduce(list(missing.values()))
        return np.flatnonzero(every & ~np.logical_and.reduce(list(missing.values())))

    rows = star.derive(key, find)
    empty = {f"{c.table}\0{c.column}": c for c in factors if c.table != scan.grain and missing[f"{c.table}\0{c.column}"][rows].any()}
    own = any(missing[f"{c.table}\0{c.column}"][rows].any() for c in factors if c.table == scan.grain)
    if not len(rows) or not empty:
        return None
    if own:  # an amount that is empty itself is the row's own affair
        rows = rows[np.logical_or.reduce([missing[k][rows] for k in empty])]
    return (rows, tuple(empty.values())) if len(rows) else None


def _empty(star: Star, scan: t.Aggregate, column: t.ColumnValue) -> Array:
    """bool[n]: the rows of a scan's grain for which a column, its own or looked up, is empty."""
    chain = scan.lookups.get(column.table, ())
    key = ("empty", scan.grain, tuple(k.name for k in chain), column.table, column.column)

    def find() -> Array:
        domain = star.domain(column.table, (column.column,))
        filled = np.asarray(star.column(column.table, column.column).take(domain.firsts).valid).copy()
        filled[-1] = False
        return ~filled[star.spread(column.table, (column.column,), chain)[:-1]]

    return star.derive(key, find)


def _factors(node: t.Typed | None) -> list[t.ColumnValue]:
    """The columns that a product or a sum of a row is made of; constants and what else is in them are passed over."""
    if isinstance(node, t.ColumnValue):
        return [node]
    names = operators(node)
    if not names or not names <= {"*", "/", "+", "-"} or not isinstance(node, t.Fold | t.Apply):
        return []
    return [c for a in node.arguments for c in _factors(a)]


def _mends(seen: Seen, measure: t.MeasureValue, scan: t.Aggregate, empty: tuple[t.ColumnValue, ...]) -> list[MarkMend]:
    """The sum with what is empty counted as 0, in so many words: of products the number stays, of differences the rows come back."""
    define = seen.grid.probe.define
    if scan.function != "sum" or len(empty) != 1:
        return []
    (column,) = empty
    text = column_text(column.table, column.column)
    made = mend_of(seen.star, define, measure, column, f"COALESCE({text}, 0)", f"count an empty {text} as 0, and say so")
    after = mended_measure(seen.star, define, made, measure) if made else None
    left = {s.text for s in scans(after) if _lost(seen.star, s) is not None} if after else {scan.text}
    return [made] if made and scan.text not in left and len(left) < len({s.text for s in scans(measure) if _lost(seen.star, s)}) else []
