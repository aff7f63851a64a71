"""The engines that statements are written for: their types, their literals, how they name things."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql.base import PGDialect
from sqlalchemy.dialects.postgresql.psycopg import PGDialect_psycopg
from sqlalchemy.engine.interfaces import Dialect as SqlDialect

from nexorem.core.diagnostics import refuse
from nexorem.core.values import Value
from nexorem.sql.spark import SparkDialect

TYPES: dict[str, sa.types.TypeEngine[Any]] = {
    "integer": sa.BigInteger(),
    "number": sa.Double(),
    "text": sa.Text(),
    "boolean": sa.Boolean(),
    "date": sa.Date(),
    "datetime": sa.DateTime(),
    "months": sa.BigInteger(),
    "days": sa.BigInteger(),
    "microseconds": sa.BigInteger(),
    "null": sa.BigInteger(),
}
# What stands in a pair's value where there is none: joins compare it too.
ZEROS = {
    "integer": "0",
    "number": "0",
    "text": "''",
    "boolean": "FALSE",
    "date": "DATE '1970-01-01'",
}
PLAIN_BELOW = 10_000  # whole numbers whose products PostgreSQL does not take for too large where they are shown


@dataclass(frozen=True, slots=True)
class Dialect:
    """One engine. `running` writes a statement with its values as parameters, `shown` with the values in it; `collation` orders texts by
    code point where the engine does not by itself; `offered`: models may live there, so people ask for its SQL; `arrays`: rows may go
    along with a statement as arrays, and not as views that are made before; `distincts`: how many counts of different values one pass takes
    well, for a cluster takes every row once for each of them."""

    name: str
    title: str
    running: SqlDialect
    shown: SqlDialect
    collation: str = ""
    offered: bool = True
    arrays: bool = True
    distincts: int = 100

    def by_code_point(self, text: sa.ColumnElement[str]) -> sa.ColumnElement[str]:
        """A text that is compared and ordered by code point."""
        return sa.collate(text, self.collation) if self.collation else text


def _plain(dialect: SqlDialect) -> SqlDialect:
    dialect._backslash_escapes = False  # type: ignore[attr-defined]
    return dialect


_PSYCOPG = _plain(PGDialect_psycopg())  # type: ignore[no-untyped-call]
_STANDARD = _plain(PGDialect(paramstyle="qmark"))  # type: ignore[no-untyped-call]
POSTGRESQL = Dialect("postgresql", "PostgreSQL", _PSYCOPG, _STANDARD, "C")
DUCKDB = Dialect("duckdb", "DuckDB", _STANDARD, _STANDARD, offered=False)
SPARK = Dialect("spark", "Spark", SparkDialect("named"), SparkDialect("named"), arrays=False, distincts=1)
DIALECTS = {d.name: d for d in (POSTGRESQL, SPARK, DUCKDB)}


def dialect_of(name: str) -> Dialect:
    """The dialect of that name; refuses another."""
    if name not in DIALECTS:
        raise refuse("bad_dialect", f"There is no dialect {name}.", hint=f"It is one of {', '.join(DIALECTS)}.")
    return DIALECTS[name]


def stored(dtype: str) -> str:
    """The type of a column of PostgreSQL that holds values of a dtype; texts by code point."""
    name = str(TYPES[dtype].compile(POSTGRESQL.shown))
    return f'{name} COLLATE "{POSTGRESQL.collation}"' if dtype == "text" else name


def constant(value: Value, dtype: str) -> sa.ColumnElement[object]:
    """A value that people wrote or picked: a parameter where the statement runs, a literal where it is shown."""
    kind = TYPES[dtype]
    if value is None:
        return sa.cast(sa.null(), kind)
    given = sa.literal(value, kind)
    small = dtype == "boolean" or dtype == "text" or (isinstance(value, int) and dtype != "number" and abs(value) < PLAIN_BELOW)
    return given if small else sa.cast(given, kind)


def zero(dtype: str) -> sa.ColumnElement[object]:
    """What the value of a pair is where its kind is not that of a value."""
    if dtype == "datetime":
        return sa.cast(sa.literal_column("'1970-01-01 00:00:00'", sa.Text()), sa.DateTime())
    return sa.literal_column(ZEROS[dtype], TYPES[dtype])


def number(value: int) -> sa.ColumnElement[int]:
    """A whole number that the compiler writes itself: a kind, a place."""
    return sa.literal_column(str(value), sa.Integer())
