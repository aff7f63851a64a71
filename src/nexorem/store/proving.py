"""Grids proven in PostgreSQL: the tables of a model in a schema of their own, each by what it holds, and the statements that run over
them."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterable, Sequence
from contextlib import contextmanager
from dataclasses import replace
from io import BytesIO
from typing import Any

import numpy as np
import psycopg
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv
from psycopg import sql

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.model.model import Table
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import column_digest
from nexorem.core.values import Cell
from nexorem.package.arrow import to_arrow
from nexorem.sql.build import Places
from nexorem.sql.dialects import POSTGRESQL, stored
from nexorem.sql.probe import Compiled, compiled
from nexorem.sql.proof import Answer, Line, Place, Proof, cannot, compared, values_by_place
from nexorem.sql.tree import to_run
from nexorem.store.nul import SHOWN

SCHEMA = "nexorem_proof"
HELD = "held"
ROWS_AT_ONCE = 200_000
MOST_SECONDS = 60.0
MOST_BYTES = 8 * 1024**3  # of tables that are held; the one that was longest not needed goes first
IDLE = "7 days"  # after which a table that nobody needed goes
OUT_OF_RANGE = "22003"
WHERE = "PostgreSQL"
KEY = "row_number"


class ProofTables:
    """The tables of models in a database, made where they are not yet. Safe to share between threads and processes."""

    def __init__(self, address: str, seconds: float = MOST_SECONDS) -> None:
        """`address` is a URL of PostgreSQL."""
        self.address, self.seconds = address.replace("+psycopg", ""), seconds

    @contextmanager
    def connection(self) -> Any:
        """A connection of its own."""
        try:
            with psycopg.connect(self.address, autocommit=True) as connection:
                yield connection
        except psycopg.OperationalError as error:
            raise refuse("database", f"The database of proofs answered: {_line(error)}.", "Start it again; nothing was changed.") from None

    def places(self, star: Star) -> Places:
        """Where the tables of a star are, or would be; all their rows, whoever asks. Cost: a look at each column not met before."""
        star = star.unruled or star
        names = {t.name: table_name(star, t) for t in star.model.tables}
        columns = {(t.name, c.name): f"c{i}" for t in star.model.tables for i, c in enumerate(t.columns)}
        return Places(SCHEMA, names, columns, dict.fromkeys(names, KEY))

    def answer(self, star: Star, probe: Probe, at: Sequence[Pick] | None = None) -> Answer:
        """What a probe, or its one cell at some coordinates, comes to over there. Where a measure fails, each is asked by itself."""
        made = compiled(star, probe, POSTGRESQL, self.places(star), at=at)
        names = axes_of(probe) if at is None else [f"{p.table}.{p.column}" for p in at]
        with self.connection() as connection:
            self.hold(connection, star, made.tables)
            by = f"{WHERE} {connection.execute('SHOW server_version').fetchone()[0].split()[0]}"
            started = time.monotonic()
            try:
                lines = self.run(connection, made)
                return Answer(values_by_place(names, probe.measures, lines), {}, time.monotonic() - started, by)
            except psycopg.Error as error:
                if error.sqlstate != OUT_OF_RANGE or len(probe.measures) == 1 or at is not None:
                    raise_unless_number(error)
                    return Answer({}, dict.fromkeys(probe.measures, "a number is beyond its type, and SQL fails as a whole"), 0.0, by)
            return self._one_by_one(connection, star, probe, started, by)

    def _one_by_one(self, connection: Any, star: Star, probe: Probe, started: float, by: str) -> Answer:
        values: dict[str, dict[Place, Cell]] = {}
        failed: dict[str, str] = {}
        for name in probe.measures:
            alone = replace(probe, measures=(name,), sort=(), empty_lines=True)
            try:
                lines = self.run(connection, compiled(star, alone, POSTGRESQL, self.places(star)))
            except psycopg.Error as error:
                raise_unless_number(error)
                failed[name] = "a number is beyond its type, and SQL fails as a whole"
                continue
            values |= values_by_place(axes_of(probe), [name], lines)
        return Answer(values, failed, time.monotonic() - started, by)

    def run(self, connection: Any, made: Compiled) -> list[Line]:
        """The lines of a compiled probe."""
        text, values = to_run(made.statement, POSTGRESQL)
        return self.rows(connection, text, values)

    def rows(self, connection: Any, text: str, values: Any = None) -> list[Line]:
        """The lines of a SELECT: in a transaction that reads only, within a time."""
        with connection.transaction():
            connection.execute("SET TRANSACTION READ ONLY")
            connection.execute("SELECT set_config('statement_timeout', %s, true)", (str(int(self.seconds * 1000)),))
            connection.execute("SET LOCAL jit = off")
            connection.execute("SET LOCAL enable_nestloop = off")  # of relations of a statement it knows no size
            return list(connection.execute(text, values).fetchall())

    def hold(self, connection: Any, star: Star, tables: Iterable[str]) -> None:
        """Makes the tables that are not there. Two who want the same one make it once."""
        with connection.transaction():
            connection.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", (SCHEMA,))
            connection.execute(sql.SQL("CREATE SCHEMA IF NOT EXISTS {}").format(sql.Identifier(SCHEMA)))
            held = "CREATE TABLE IF NOT EXISTS {} (name text PRIMARY KEY, used_at timestamptz NOT NULL DEFAULT now())"
            connection.execute(sql.SQL(held).format(_at(HELD)))
        for name in tables:
            whole = star.unruled or star
            table = whole.model.table(name)
            assert table
            self._hold_one(connection, whole, table)

    def _hold_one(self, connection: Any, star: Star, table: Table) -> None:
        name = table_name(star, table)
        with connection.transaction():
            connection.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", (name,))
            used = sql.SQL("INSERT INTO {} (name) VALUES (%s) ON CONFLICT (name) DO UPDATE SET used_at = now()").format(_at(HELD))
            connection.execute(used, (name,))
            if connection.execute("SELECT to_regclass(%s)", (f"{SCHEMA}.{name}",)).fetchone()[0] is not None:
                return
            kinds = [sql.SQL("{} " + stored(c.dtype)).format(sql.Identifier(f"c{i}")) for i, c in enumerate(table.columns)]
            kinds.append(sql.SQL("{} BIGINT").format(sql.Identifier(KEY)))
            connection.execute(sql.SQL("CREATE TABLE {} ({})").format(_at(name), sql.SQL(", ").join(kinds)))
            with connection.cursor().copy(sql.SQL("COPY {} FROM STDIN (FORMAT csv)").format(_at(name))) as copy:
                for part in written(star, table):
                    copy.write(part)
            connection.execute(sql.SQL("ANALYZE {}").format(_at(name)))

    def tidy(self, connection: Any) -> int:
        """Drops the tables that nobody needed lately, and of very much the rest that was longest not needed; gives how many."""
        listed = sql.SQL(
            "SELECT name, COALESCE(pg_total_relation_size(to_regclass({schema} || '.' || name)), 0), used_at < now() - {idle}::interval"
            " FROM {held} ORDER BY used_at DESC"
        ).format(schema=sql.Literal(SCHEMA), idle=sql.Literal(IDLE), held=_at(HELD))
        dropped, bytes_ = 0, 0
        for name, size, is_idle in connection.execute(listed).fetchall():
            bytes_ += size
            if is_idle or bytes_ > MOST_BYTES:
                with connection.transaction():
                    connection.execute(sql.SQL("DROP TABLE IF EXISTS {}").format(_at(name)))
                    connection.execute(sql.SQL("DELETE FROM {} WHERE name = %s").format(_at(HELD)), (name,))
                dropped += 1
        return dropped

    def prove(self, grid: Grid) -> Proof:
        """Holds a grid against what PostgreSQL gives for its probe."""
        try:
            return compared(grid, self.answer(grid.star, grid.probe), WHERE)
        except Refused as refused:
            return cannot(refused.diagnostics[0].message)


def refused_by(error: psycopg.Error) -> Refused:
    """What a database said, as a refusal."""
    if isinstance(error, psycopg.errors.QueryCanceled):
        return refuse("limit_seconds", "PostgreSQL needs too long for it.", "Pick less, or take a column off an axis.")
    if error.sqlstate == OUT_OF_RANGE:
        return refuse("overflow", "A number is beyond its type, and the statement fails as a whole.", "Ask the measures one by one.")
    if isinstance(error, psycopg.errors.UndefinedTable | psycopg.errors.UndefinedColumn | psycopg.errors.InsufficientPrivilege):
        return refuse("database", f"PostgreSQL answered: {_line(error)}.", "Name the schema with --schema, and what the user may read.")
    return refuse("database", f"PostgreSQL answered: {_line(error)}.", "Nothing was changed.")


def raise_unless_number(error: psycopg.Error) -> None:
    """Refuses with what a database said, unless it is that a number is beyond its type."""
    if error.sqlstate != OUT_OF_RANGE:
        raise refused_by(error) from None


def _line(error: psycopg.Error) -> str:
    return str(error).strip().splitlines()[0][:300] if str(error).strip() else type(error).__name__


def _at(name: str) -> sql.Composable:
    return sql.Identifier(SCHEMA, name)


def axes_of(probe: Probe) -> list[str]:
    """The columns on the axes of a probe, rows first."""
    return [f"{table}.{column}" for table, column in (*probe.rows, *probe.columns)]


def table_name(star: Star, table: Table) -> str:
    """The name of a table by what it holds: the same where types and values of all its columns are."""
    made = hashlib.blake2b(str(star.size(table.name)).encode(), digest_size=12)
    for column in table.columns:
        made.update(column.dtype.encode() + column_digest(star.column(table.name, column.name)))
    return f"t_{made.hexdigest()}"


def written(star: Star, table: Table, numbered: bool = True) -> Iterable[bytes]:
    """The rows of a table as CSV, some at a time: empties as nothing, texts quoted; the one character that PostgreSQL has no place for as a
    sign. `numbered`: each row's number stands behind it."""
    size = star.size(table.name)
    vectors = [star.column(table.name, c.name).rows() for c in table.columns]
    options = pacsv.WriteOptions(include_header=False, quoting_style="needed")
    for start in range(0, size, ROWS_AT_ONCE):
        rows = np.arange(start, min(start + ROWS_AT_ONCE, size))
        columns = [_storable(to_arrow(v.take(rows))) for v in vectors]
        columns += [pa.array(rows)] if numbered else []
        out = BytesIO()
        pacsv.write_csv(pa.table(columns, names=list(map(str, range(len(columns))))), out, options)
        yield out.getvalue()


def _storable(column: Any) -> Any:
    """A column without the character that PostgreSQL has no place for."""
    text = pa.types.is_large_string(column.type) or pa.types.is_string(column.type)
    return pc.replace_substring(column, "\0", SHOWN) if text else column
