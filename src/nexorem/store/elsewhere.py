"""A model over tables of its own names in another database or a cluster: what that proves of them, and statements that it answers."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any, Protocol

import psycopg

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint
from nexorem.core.engine.probe import Probe
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.model import Model, Table
from nexorem.core.model.proven import Proven
from nexorem.core.words import listed
from nexorem.sql.build import Places, Sent
from nexorem.sql.dialects import POSTGRESQL, Dialect
from nexorem.sql.probe import compiled
from nexorem.sql.proof import Line
from nexorem.sql.remote import SqlProver, with_keys
from nexorem.sql.tree import plain_name, to_run
from nexorem.store.proving import ProofTables, refused_by

CANCEL_SECONDS = 5.0  # for a cancellation to come there
COLUMNS = """
SELECT c.relname, a.attname, format_type(a.atttypid, NULL) FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname = COALESCE(%s::text, current_schema()) AND a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'f')
"""


KEYS = """
SELECT a.attname FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = ANY (i.indkey)
WHERE i.indrelid = to_regclass(format('%%I.%%I', %s::text, %s::text)) AND i.indisprimary AND i.indnatts = 1
"""


CHANGED = """
SELECT concat_ws(' ', c.relfilenode, pg_relation_size(c.oid), pg_stat_get_tuples_inserted(c.oid), pg_stat_get_tuples_updated(c.oid),
       pg_stat_get_tuples_deleted(c.oid))
FROM pg_class c WHERE c.oid = to_regclass(format('%%I.%%I', %s::text, %s::text)) AND c.relkind = 'r'
"""


ESTIMATE = "SELECT reltuples::bigint FROM pg_class WHERE oid = to_regclass(format('%%I.%%I', %s::text, %s::text)) AND relkind = 'r'"


class Asking(Protocol):
    """Who asks a database or a cluster. `kinds` are the types there that need no cast, by dtype."""

    dialect: Dialect
    kinds: Mapping[str, str]

    def send(self, name: str, sent: Sent, table: Table) -> None:
        """Makes sure that the rows of a table that go along are there under a name."""

    def rows(self, text: str, values: Any = None) -> Sequence[Line]:
        """The lines of a SELECT; refuses with what is said there, and where it takes too long."""

    def columns(self, tables: Sequence[str], schema: str | None) -> dict[str, dict[str, str]]:
        """The columns of the tables that are there, with their types."""

    def declared_key(self, table: str, schema: str | None) -> str:
        """The one column that is declared to tell a table's rows apart; empty where none is."""

    def state_of(self, table: str, schema: str | None) -> str:
        """A text that is another one once a table's rows are; empty where nobody can tell without reading them."""

    def estimate(self, table: str, schema: str | None) -> int | None:
        """About how many rows a table has, where a share of them can be asked for; None where that is not known."""

    def plan(self, text: str, values: Any = None) -> str:
        """How a SELECT would be gone about there, in the words of who is asked."""

    def stop(self) -> None:
        """Cancels what is being asked; called from another thread."""

    def progress(self) -> tuple[int, int]:
        """Of what is being asked, how many parts are done and how many there are; 0 of 0 where nobody can tell."""


class PostgreSql:
    """Asks a PostgreSQL, in transactions that read only."""

    dialect = POSTGRESQL
    kinds: Mapping[str, str] = {
        "integer": "bigint",
        "number": "double precision",
        "text": "text",
        "boolean": "boolean",
        "date": "date",
        "datetime": "timestamp without time zone",
    }

    def __init__(self, tables: ProofTables, connection: Any) -> None:
        self.tables, self.connection = tables, connection

    def rows(self, text: str, values: Any = None) -> Sequence[Line]:
        """The lines of a SELECT."""
        try:
            return self.tables.rows(self.connection, text, values)
        except psycopg.Error as error:
            raise refused_by(error) from None

    def send(self, name: str, sent: Sent, table: Table) -> None:
        """Nothing: they are in the statement."""

    def columns(self, tables: Sequence[str], schema: str | None) -> dict[str, dict[str, str]]:
        """The columns of all tables of the schema."""
        there: dict[str, dict[str, str]] = {}
        for table, column, kind in self.connection.execute(COLUMNS, (schema,)).fetchall():
            there.setdefault(table, {})[column] = kind
        return there

    def declared_key(self, table: str, schema: str | None) -> str:
        """The column that is a table's primary key by itself."""
        return declared_key(self.connection, table, schema)

    def state_of(self, table: str, schema: str | None) -> str:
        """What the database counts of changes to a table; empty for a view."""
        return state_of(self.connection, table, schema)

    def estimate(self, table: str, schema: str | None) -> int | None:
        """About how many rows a table has; None for a view, and where nobody counted."""
        return estimate(self.connection, table, schema)

    def plan(self, text: str, values: Any = None) -> str:
        """How the database would go about a SELECT."""
        return plan_of(self.connection, text, values)

    def stop(self) -> None:
        """Cancels the statement."""
        cancel(self.connection)

    def progress(self) -> tuple[int, int]:
        """Not told."""
        return 0, 0


def cancel(connection: Any) -> None:
    """Cancels what a database is asked, from another thread; nothing where the database has gone meanwhile."""
    with suppress(psycopg.Error):
        connection.cancel_safe(timeout=CANCEL_SECONDS)


def declared_key(connection: Any, table: str, schema: str | None) -> str:
    """The column that is a table's primary key by itself; empty where there is none."""
    found = connection.execute(KEYS, (schema or "public", table)).fetchone()
    return str(found[0]) if found else ""


def state_of(connection: Any, table: str, schema: str | None) -> str:
    """What a database counts of changes to a table; empty for a view, and for one that is elsewhere itself or in parts."""
    found = connection.execute(CHANGED, (schema or "public", table)).fetchone()
    return str(found[0]) if found else ""


def estimate(connection: Any, table: str, schema: str | None) -> int | None:
    """About how many rows a table has, as the database counted them last."""
    found = connection.execute(ESTIMATE, (schema or "public", table)).fetchone()
    return int(found[0]) if found and found[0] > 0 else None


def plan_of(connection: Any, text: str, values: Any) -> str:
    """What EXPLAIN says of a SELECT."""
    return "\n".join(line[0] for line in connection.execute(f"EXPLAIN {text}", values).fetchall())


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """A model as a database or a cluster proves it, where its tables are, and who asks there."""

    proven: Proven
    places: Places
    asking: Asking

    def answer(self, probe: Probe, limits: Limits = DEFAULT_LIMITS) -> Sequence[Line]:
        """The lines that a probe comes to over there."""
        made = compiled(self.proven, probe, self.asking.dialect, self.places, limits)
        return self.asking.rows(*to_run(made.statement, self.asking.dialect))


@contextmanager
def elsewhere(url: str, model: Model, schema: str | None, seconds: float) -> Iterator[Elsewhere]:
    """A model over a database or a cluster (`sc://`) that has its tables. Ctrl-C cancels there what is being asked. Refuses with everything
    that is not there."""
    with _asking(url, seconds) as asking:
        places = found_places(model, asking.columns([t.name for t in model.tables], schema), schema, asking.kinds)
        prover = SqlProver(model, asking.rows, asking.dialect, places)
        yield Elsewhere(Proven(model, prover), with_keys(prover, places, model.tables), asking)


@contextmanager
def _asking(url: str, seconds: float) -> Iterator[Asking]:
    if url.startswith("sc://"):
        from nexorem.store.spark import spark

        with spark(url, seconds) as asking:
            yield asking
        return
    tables = ProofTables(url, seconds)
    with tables.connection() as connection:
        connection.execute("SET TIME ZONE 'UTC'")
        yield PostgreSql(tables, connection)


def found_places(model: Model, there: Mapping[str, Mapping[str, str]], schema: str | None, kinds: Mapping[str, str]) -> Places:
    """Where a model's tables are among those of a database, by their names or by these in small letters and underscores. A computed column
    that is not there is computed where it is read. Refuses with all that lacks."""
    wrong: list[Diagnostic] = []
    tables: dict[str, str] = {}
    columns: dict[tuple[str, str], str] = {}
    computed: set[tuple[str, str]] = set()
    casts: set[tuple[str, str]] = set()
    for table in model.tables:
        name = called(table.name, there)
        if name is None:
            where = f"the schema {schema}" if schema else "the database"
            wrong.append(Diagnostic("no_table", f"There is no table {table.name} in {where}.", hint=near_hint(table.name, list(there))))
            continue
        tables[table.name] = name
        own = {(table.name, c.name): called(c.name, there[name]) for c in table.columns}
        columns |= {key: found for key, found in own.items() if found is not None}
        computed |= {(table.name, c.name) for c in table.columns if c.formula and own[table.name, c.name] is None}
        wrong += _lacking(table, [c.name for c in table.columns if not c.formula and own[table.name, c.name] is None])
        dtypes = {(table.name, c.name): c.dtype for c in table.columns}
        casts |= {key for key, found in own.items() if found is not None and there[name][found] != kinds.get(dtypes[key])}
    if wrong:
        raise Refused(wrong)
    return Places(schema, tables, columns, casts=frozenset(casts), computed=frozenset(computed))


def called(name: str, there: Mapping[str, object]) -> str | None:
    """What a thing of the model is called there; None where it is not there."""
    return next((n for n in (name, plain_name(name)) if n in there), None)


def _lacking(table: Table, lost: Sequence[str]) -> list[Diagnostic]:
    if not lost:
        return []
    return [Diagnostic("no_column", f"{table.name} has no {listed(lost)} there.", hint="Rename it there, or leave it out of the model.")]
