"""The finding about + and - in rows with an empty side, in models that were written while such a side counted as 0."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress

import numpy as np

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.row_values import row_values
from nexorem.core.functions.library import IN_ROW
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.lint.finding import Finding
from nexorem.core.model.model import LANGUAGE
from nexorem.core.model.names import column_text
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import children, inner_nodes, nodes, row_trees
from nexorem.core.words import counted, listed, verb

MEND = "Keep it if an empty side is to leave the row empty; for the former meaning write COALESCE(…, 0) around what may be empty."


def of_row_sums(star: Star, binder: Binder, bound: Sequence[t.MeasureValue]) -> list[Finding]:
    """Formulas of an older model whose rows have a sum or difference with one side empty: such a row is empty now. None for a model that
    was begun since."""
    if star.model.language >= LANGUAGE:
        return []
    faults = [_finding(star, f"measure {m.name}", m.name, [m.body]) for m in bound]
    for table in star.model.tables:
        if table.formula:
            with suppress(Refused):  # told as broken already
                faults.append(
                    _finding(star, f"table {table.name}", table.name, row_trees(binder.computed_table(table.name, table.formula)))
                )
        for column in table.columns:
            if column.formula:
                with suppress(Refused):
                    rows = binder.computed_column(table.name, column.name, column.formula)
                    name = column_text(table.name, column.name)
                    faults.append(_finding(star, f"table {table.name}", name, row_trees(rows), column.name))
    return [f for f in faults if f]


def _finding(star: Star, about: str, name: str, trees: Sequence[t.Typed], key: str = "") -> Finding | None:
    """`trees` are the formula's own, what its measures are made of aside: these have findings of their own."""
    inside = _own_nodes(trees)
    scans = [n for n in inside if isinstance(n, t.Aggregate)]
    sums = [x for scan in scans for x in _in_scan(star, scan)]
    counted_in = {id(n) for scan in scans for tree in row_trees(scan) for n in _own_nodes([tree])}
    sums += [x for n in _row_sums(inside) if id(n) not in counted_in for x in _possible(star, n)]
    if not sums:
        return None
    sentence = f"{name} adds or subtracts inside a row, where an empty side no longer counts as 0: {listed(list(dict.fromkeys(sums)))}."
    return Finding("empty_in_row", "warning", about, sentence, MEND, key)


def _own_nodes(trees: Sequence[t.Typed]) -> list[t.Typed]:
    measures = {id(x) for tree in trees for n in nodes(tree) if isinstance(n, t.MeasureValue) for x in nodes(n)}
    return [n for tree in trees for n in nodes(tree) if id(n) not in measures]


def _in_scan(star: Star, scan: t.Aggregate) -> Iterator[str]:
    """In how many rows of its grain one side of a sum is empty and another is not."""
    rows = np.arange(star.size(scan.grain), dtype=np.int64)
    for node in _row_sums(_own_nodes(row_trees(scan))):
        if star.stay & {scan.grain, *scan.lookups} or any(inner_nodes(a) for a in node.arguments):
            yield from _possible(star, node)
            continue
        filled = [row_values(star, scan, a, rows).valid for a in node.arguments]
        count = int((np.logical_or.reduce(filled) & ~np.logical_and.reduce(filled)).sum())
        if count:
            yield f"{counted(count, 'row')} of {scan.grain} {verb(count, 'has', 'have')} one"


def _row_sums(inside: Sequence[t.Typed]) -> list[t.Fold]:
    """The sums and differences that follow the rule of rows."""
    return [n for n in inside if isinstance(n, t.Fold) and any(f is IN_ROW.get(f.name) for f in n.functions)]


def _possible(star: Star, node: t.Typed) -> Iterator[str]:
    """The columns of a sum that have empties, and what is computed for its rows."""
    match node:
        case t.ColumnValue():
            if star.has_empties(node.table, node.column):
                yield f"{column_text(node.table, node.column)} may be one"
        case t.InRow(body=t.MeasureValue() as value):
            yield f"{value.name} may be one"
        case t.InRow(body=t.Aggregate() | t.Iterated() as value):
            yield f"{value.text} may be one"
        case t.InRow() | t.RowName():
            yield "what is computed for a row may be one"
        case t.LetValue():
            yield from _possible(star, node.definition.node)
        case _:
            for child in children(node):
                yield from _possible(star, child)
