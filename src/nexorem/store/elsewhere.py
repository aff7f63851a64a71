"""A model over tables of its own names in another PostgreSQL: what that proves of them, and statements that it answers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import psycopg

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint
from nexorem.core.engine.probe import Probe
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.model import Model, Table
from nexorem.core.model.proven import Proven
from nexorem.core.words import listed
from nexorem.sql.build import Places
from nexorem.sql.dialects import POSTGRESQL
from nexorem.sql.probe import compiled
from nexorem.sql.proof import Line
from nexorem.sql.remote import SqlProver, with_keys
from nexorem.sql.tree import to_run
from nexorem.store.proving import ProofTables, refused_by

CANONICAL = {
    "integer": "bigint",
    "number": "double precision",
    "text": "text",
    "boolean": "boolean",
    "date": "date",
    "datetime": "timestamp without time zone",
}
COLUMNS = """
SELECT c.relname, a.attname, format_type(a.atttypid, NULL) FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE n.nspname = COALESCE(%s::text, current_schema()) AND a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'v', 'm', 'f')
"""


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """A model as a database proves it, where its tables are, and who asks there."""

    proven: Proven
    places: Places
    tables: ProofTables
    connection: Any

    def answer(self, probe: Probe, limits: Limits = DEFAULT_LIMITS) -> list[Line]:
        """The lines that a probe comes to over there."""
        made = compiled(self.proven, probe, POSTGRESQL, self.places, limits)
        return self.rows(*to_run(made.statement, POSTGRESQL))

    def rows(self, text: str, values: Any = None) -> list[Line]:
        """The lines of a SELECT; refuses with what the database says."""
        try:
            return self.tables.rows(self.connection, text, values)
        except psycopg.Error as error:
            raise refused_by(error) from None


@contextmanager
def elsewhere(url: str, model: Model, schema: str | None, seconds: float) -> Iterator[Elsewhere]:
    """A model over a database that has its tables. Ctrl-C cancels there what is being asked. Refuses with everything that is not there."""
    tables = ProofTables(url, seconds)
    with tables.connection() as connection:
        connection.execute("SET TIME ZONE 'UTC'")
        there: dict[str, dict[str, str]] = {}
        for table, column, kind in connection.execute(COLUMNS, (schema,)).fetchall():
            there.setdefault(table, {})[column] = kind
        places = found_places(model, there, schema)

        def run(text: str, values: Any) -> Sequence[Line]:
            try:
                return tables.rows(connection, text, values)
            except psycopg.Error as error:
                raise refused_by(error) from None

        prover = SqlProver(model, run, POSTGRESQL, places)
        yield Elsewhere(Proven(model, prover), with_keys(prover, places, model.tables), tables, connection)


def found_places(model: Model, there: dict[str, dict[str, str]], schema: str | None) -> Places:
    """Where a model's tables are among those of a database; a computed column that is not there is computed where it is read. Refuses with
    all that lacks."""
    wrong: list[Diagnostic] = []
    casts: set[tuple[str, str]] = set()
    computed: set[tuple[str, str]] = set()
    for table in model.tables:
        if table.name not in there:
            where = f"the schema {schema}" if schema else "the database"
            wrong.append(Diagnostic("no_table", f"There is no table {table.name} in {where}.", hint=near_hint(table.name, list(there))))
            continue
        kinds = there[table.name]
        computed |= {(table.name, c.name) for c in table.columns if c.formula and c.name not in kinds}
        wrong += _lacking(table, kinds)
        casts |= {(table.name, c.name) for c in table.columns if c.name in kinds and kinds[c.name] != CANONICAL.get(c.dtype)}
    if wrong:
        raise Refused(wrong)
    return Places(schema, casts=frozenset(casts), computed=frozenset(computed))


def _lacking(table: Table, kinds: dict[str, str]) -> list[Diagnostic]:
    lost = [c.name for c in table.columns if not c.formula and c.name not in kinds]
    if not lost:
        return []
    return [Diagnostic("no_column", f"{table.name} has no {listed(lost)} there.", hint="Rename it there, or leave it out of the model.")]
