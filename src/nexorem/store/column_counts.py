"""What is asked of a table that stays for its own sake: what its columns hold, and some of its rows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import sqlalchemy as sa

from nexorem.core.model.model import Table
from nexorem.core.values import iso
from nexorem.sql.build import as_here, located
from nexorem.sql.proof import Line
from nexorem.sql.tree import Statement, to_run
from nexorem.store.sides import PROVING_SECONDS, Side, digest
from nexorem.store.staying import Staying


def column_counts(staying: Staying, table: str, columns: Sequence[str]) -> list[Sequence[Any]]:
    """Of columns of a table that stays: how many values they have, how many different ones, the smallest and the largest, as JSON. Those
    that nobody asked before are counted, in one pass over the table where the place does that well; they are kept by the look."""
    keys = {c: _key(staying, table, c) for c in columns}
    missing = [c for c in columns if staying.ways.known(keys[c]) is None]
    together = staying.side(staying.look(table).connection).dialect.distincts
    for start in range(0, len(missing), together):
        some = missing[start : start + together]
        side, text, given = _counts(staying, table, some)
        (line,) = side.lines(text, given, (), PROVING_SECONDS)
        for i, name in enumerate(some):
            counts = [iso(x) for x in line[4 * i : 4 * i + 4]]
            staying.ways.kept(keys[name], lambda counts=counts: counts)  # type: ignore[misc]
    return [staying.ways.known(keys[c]) or [] for c in columns]


def known_counts(staying: Staying, table: str, column: str) -> Sequence[Any] | None:
    """The same of one column, if it was counted."""
    return staying.ways.known(_key(staying, table, column))


def _key(staying: Staying, table: str, column: str) -> str:
    side, text, given = _counts(staying, table, [column])
    return digest("counts", side.connection, staying.look(table).number, text, given)


def _counts(staying: Staying, table: str, columns: Sequence[str]) -> tuple[Side, str, Any]:
    side = staying.side(staying.look(table).connection)
    source = located(staying.model, side.plain, table)
    asked: list[Any] = []
    for name in columns:
        value = as_here(side.places, table, name, source.c[side.plain.column(table, name)])
        ordered: sa.ColumnElement[Any] = value
        if isinstance(value.type, sa.Boolean):
            ordered = sa.cast(sa.cast(value, sa.Integer()), sa.BigInteger())
        elif isinstance(value.type, sa.Text):
            ordered = side.dialect.by_code_point(value)
        asked += [sa.func.count(value), sa.func.count(sa.distinct(value)), sa.func.min(ordered), sa.func.max(ordered)]
    select = sa.select(*(x.label(f"c{i}") for i, x in enumerate(asked))).select_from(source)
    return side, *to_run(Statement([], select), side.dialect)


def rows_of(staying: Staying, table: Table, columns: Sequence[str], most: int, start: int = 0) -> Sequence[Line]:
    """Rows of a table that stays, at most so many, in no order."""
    side = staying.side(staying.look(table.name).connection)
    source = located(staying.model, side.plain, table.name)
    own = [as_here(side.places, table.name, c, source.c[side.plain.column(table.name, c)]).label(f"c{i}") for i, c in enumerate(columns)]
    text, given = to_run(Statement([], sa.select(*own).select_from(source).limit(most).offset(start or None)), side.dialect)
    return side.lines(text, given, (), PROVING_SECONDS)
