"""Where a model's tables are when a database has them under the model's own names: their rows are told apart by what is proven to do so."""

from __future__ import annotations

from nexorem.core.engine.candidates import tells_apart
from nexorem.core.model.model import Table
from nexorem.core.model.star import Star
from nexorem.sql.build import Places


def own_places(star: Star, schema: str | None = None) -> Places:
    """The tables by their own names. Cost: a look at each column that could be a key."""
    star = star.unruled or star
    keys = {t.name: key for t in star.model.tables if (key := _key(star, t))}
    return Places(schema, keys=keys)


def _key(star: Star, table: Table) -> str:
    """A column that is never empty and tells the rows apart: a declared key or one that links point to. Empty where there is none."""
    ends = [k.to_columns for k in star.model.links if k.to_table == table.name]
    single = dict.fromkeys(x[0] for x in (table.key or (), *ends) if len(x) == 1)
    name = table.name
    return next((c for c in single if star.derive(("tells apart", name, c), lambda c=c: tells_apart(star, name, (c,)))), "")  # type: ignore[misc]
