"""A sum over looked-up columns, worked out once more by plain loops over rows and keys: a second voice for formulas that are offered."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from nexorem.core.engine.context import Batch
from nexorem.core.engine.visibility import visible
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.model import Link
from nexorem.core.model.star import Star
from nexorem.core.values import Value

MOST_ROWS = 200_000

Key = tuple[Value, ...]


def products_by_hand(
    star: Star, grain: str, factors: Sequence[t.ColumnValue], chains: dict[str, tuple[Link, ...]], base: Batch
) -> float | None:
    """The sum of the products of some columns over the rows of `grain` that a context shows, each column looked up by comparing keys row by
    row; a product with an empty factor counts nothing. None where there are more than MOST_ROWS rows, or none that counts."""
    if star.size(grain) > MOST_ROWS or any(star.size(link.to_table) > MOST_ROWS for chain in chains.values() for link in chain):
        return None
    shown = np.flatnonzero(visible(star, star.inflow(grain, star.state), base, Budget())[:-1]).tolist()
    columns = [_looked_up(star, shown, chains.get(f.table, ()), f.table, f.column) for f in factors]
    products = [math.prod(row) for row in zip(*columns, strict=True) if None not in row]
    return math.fsum(products) if products else None


def _looked_up(star: Star, rows: list[int], chain: tuple[Link, ...], table: str, column: str) -> list[Value]:
    """A column's values for rows of the first table of a chain of links, key by key."""
    places: list[int | None] = list(rows)
    for link in chain:
        places = _partners(star, link, places)
    values = star.column(table, column).rows().tolist()
    return [None if p is None else values[p] for p in places]


def _partners(star: Star, link: Link, places: list[int | None]) -> list[int | None]:
    theirs = zip(*(star.column(link.to_table, c).rows().tolist() for c in link.to_columns), strict=True)
    by_key: dict[Key, int] = {key: place for place, key in enumerate(theirs) if None not in key}
    mine: list[Key] = list(zip(*(star.column(link.from_table, c).rows().tolist() for c in link.from_columns), strict=True))
    return [None if p is None else by_key.get(mine[p]) for p in places]
