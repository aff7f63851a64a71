"""A look at a table where it is: the types of its columns here, and some of its rows."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import sqlalchemy as sa

from nexorem.core.model.model import Column, Model, Table
from nexorem.core.values import vector
from nexorem.gather.frame import Frame
from nexorem.gather.sources import database
from nexorem.sql.build import Places, as_here, located
from nexorem.sql.tree import Statement, to_run
from nexorem.store.elsewhere import Asking

SAMPLE = 20_000  # rows of a table that stays, from which links and keys are suggested
KINDS = {
    **database.TYPES,
    "tinyint": "integer",
    "int": "integer",
    "long": "integer",
    "float": "number",
    "double": "number",
    "decimal": "number",
    "timestamp": "datetime",
    "timestamp_ntz": "datetime",
}


def dtype_of(kind: str) -> str:
    """The type here of a column's type there; what has none is text."""
    return KINDS.get(re.sub(r"\(.*\)", "", kind).strip().lower(), "text")


def sample_of(asking: Asking, table: str, schema: str | None, columns: Mapping[str, str]) -> Frame:
    """Some rows of a table that is elsewhere, in our types: the first ones, or where the place can pick them, from all over it."""

    dtypes = {c: dtype_of(kind) for c, kind in columns.items()}
    model = Model("", (Table(table, tuple(Column(c, d) for c, d in dtypes.items())),))
    casts = frozenset((table, c) for c, d in dtypes.items() if columns[c] != asking.kinds.get(d))
    bound = frozenset((table, c) for c, d in dtypes.items() if d in ("number", "date", "datetime"))
    places = Places(schema, casts=casts, guarded=bound)
    whole = located(model, places, table)
    about = asking.estimate(table, schema)
    some: sa.FromClause = whole
    if about is not None and about > SAMPLE:
        some = sa.tablesample(whole, sa.func.system(sa.literal_column(f"{min(100.0, 130.0 * SAMPLE / about):.6f}")))

    def of(source: sa.FromClause) -> sa.Select[Any]:
        return sa.select(*(as_here(places, table, c, source.c[c]).label(f"c{i}") for i, c in enumerate(columns))).select_from(source)

    lines = list(asking.rows(*to_run(Statement([], of(some).limit(SAMPLE)), asking.dialect)))
    if some is not whole or len(lines) == SAMPLE:  # not all: but the first day and the last, from which calendars are made
        for day in (as_here(places, table, c, whole.c[c]) for c, d in dtypes.items() if d == "date"):
            for end in (day.asc(), day.desc()):
                ordered = of(whole).where(day.is_not(None)).order_by(end).limit(1)
                lines += asking.rows(*to_run(Statement([], ordered), asking.dialect))
    values = list(zip(*lines, strict=True)) if lines else [()] * len(columns)
    return Frame(len(lines), {c: vector(dtypes[c], values[i]) for i, c in enumerate(columns)})
