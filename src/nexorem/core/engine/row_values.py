"""Row-shaped trees over the rows of a table and what they look up."""

from __future__ import annotations

from nexorem.core.engine.scalar import evaluate
from nexorem.core.language import typed as t
from nexorem.core.model.star import Star
from nexorem.core.values import Array, Vector


def row_values(star: Star, node: t.Aggregate, tree: t.Typed, rows: Array) -> Vector:
    """A row-shaped tree without cell-shaped parts at these rows of the grain."""
    looked_up: dict[str, Array] = {}

    def leaf(found: t.Typed) -> Vector | None:
        if isinstance(found, t.ColumnValue):
            if found.table not in looked_up:
                looked_up[found.table] = star.partner_along(node.lookups[found.table], rows)
            return star.column(found.table, found.column).take(looked_up[found.table])
        return None

    return evaluate(tree, leaf, len(rows))
