"""Aggregates `for each` row of a table expression, and ranks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from nexorem.core.engine.context import Batch, left_in
from nexorem.core.engine.reduce import Rows, reduce_rows
from nexorem.core.engine.rows import Around, competition, over_rows, passing, relation, without_unmatched
from nexorem.core.language import typed as t
from nexorem.core.plan.effects import row_effect
from nexorem.core.values import Vector


def iterated(node: t.Iterated, batch: Batch, around: Around) -> Vector:
    """The aggregate in each context of the batch."""
    if node.over.replaces and _only_replaced(node.over):
        batch = left_in(around.star, row_effect(around.star.model, node.over), batch)
    few, index, own = around.classes(batch)
    rows = relation(node.over, few, own, node.state)
    if node.function == "rows":
        rows = without_unmatched(rows)
    if node.where is not None:
        rows = passing(rows, over_rows(node.where, rows, few, own, node.state), own)
    values = over_rows(node.argument, rows, few, own, node.state) if node.argument is not None else None
    extra = own.cells[id(node.extra)] if node.extra else None
    part = Rows(rows.owners, few.size, values)
    return reduce_rows(node.function, node.dtype, node.distinct, part, extra, around.budget).failing(own.failed).take(index)


def _only_replaced(rows: t.Rows) -> bool:
    """Whether nothing in a table expression looks at the filters that its rows replace."""
    while isinstance(rows, t.KnownRows | t.WhereRows | t.TopRows | t.WithRows):
        rows = rows.rows
    return isinstance(rows, t.BaseRows)


def ranked(node: t.Rank, batch: Batch, around: Around) -> Vector:
    """The rank of each context's own value among those of the rows."""
    own_value = around.cells[id(node.operand)]
    around = replace(around, cells={key: v for key, v in around.cells.items() if key != id(node.operand)})
    replaced = node.among.replaces and _only_replaced(node.among)
    fewer = left_in(around.star, row_effect(around.star.model, node.among), batch) if replaced else batch
    few, index, own = around.classes(fewer)
    rows = relation(node.among, few, own, node.state)
    values = over_rows(node.by, rows, few, own, node.state)
    own.note(rows.owners, values.failed)
    place = competition(rows.owners, values, index, own_value, node.ascending)
    return Vector("integer", np.where(own_value.valid, place, 0), own_value.valid).failing(own.failed[index])
