"""Row-shaped trees over the rows of a table and what they look up."""

from __future__ import annotations

import numpy as np

from nexorem.core.engine.context import Batch
from nexorem.core.engine.rows import Around, Relation, over_rows
from nexorem.core.engine.scalar import evaluate
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import table_rows
from nexorem.core.values import Array, Vector


def row_values(star: Star, node: t.Aggregate, tree: t.Typed, rows: Array) -> Vector:
    """A row-shaped tree without cell-shaped parts at these rows of the grain."""
    looked_up: dict[str, Array] = {}

    def leaf(value: t.Typed) -> Vector | None:
        if isinstance(value, t.ColumnValue):
            if value.table not in looked_up:
                looked_up[value.table] = star.partner_along(node.lookups[value.table], rows)
            return star.column(value.table, value.column).take(looked_up[value.table])
        return None

    return evaluate(tree, leaf, len(rows))


def row_vector(node: t.Aggregate, tree: t.Typed, batch: Batch, around: Around, rows: Array) -> Vector:
    """A row-shaped tree of an aggregate for some rows of its grain, in a context of one."""
    shape = table_rows(around.star.model, node)
    nothing = (None,) * len(shape.columns)
    rows_of = Relation(around.star, shape, np.zeros(len(rows), np.int64), rows, nothing, nothing, nothing)
    return over_rows(tree, rows_of, batch, around, node.state)
