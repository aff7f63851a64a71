"""PostgreSQL: what is there, and rows of a table, a view or a SELECT, all in one read-only transaction."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql

from nexorem.core.diagnostics import Refused, refuse
from nexorem.gather.sources.bounds import MOST_UNPACKED, Progress
from nexorem.gather.sources.kinds import DatabaseSource, Reference

SECONDS = 15
TYPES = {
    "boolean": "boolean",
    "smallint": "integer",
    "integer": "integer",
    "bigint": "integer",
    "oid": "integer",
    "real": "number",
    "double precision": "number",
    "numeric": "number",
    "money": "text",
    "date": "date",
    "timestamp without time zone": "datetime",
    "timestamp with time zone": "datetime",
}
LISTED = """
SELECT n.nspname AS schema, c.relname AS name, CASE c.relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'view' ELSE 'table' END AS kind,
       CASE WHEN c.relkind IN ('r', 'p') AND c.reltuples >= 0 THEN c.reltuples::bigint END AS rows,
       (SELECT array_agg(a.attname::text ORDER BY a.attnum) FROM pg_attribute a
        WHERE a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped) AS columns
FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg_toast%'
  AND n.nspname NOT LIKE 'pg_temp%' AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
ORDER BY 1, 2 LIMIT 5000
"""
WITH_ZONE = "timestamp with time zone"
REFERENCES = """
SELECT fn.nspname AS table_schema, f.relname AS table,
       (SELECT array_agg(a.attname::text ORDER BY x.ord) FROM unnest(k.conkey) WITH ORDINALITY x(num, ord)
        JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = x.num) AS columns,
       (SELECT array_agg(a.attname::text ORDER BY x.ord) FROM unnest(k.confkey) WITH ORDINALITY x(num, ord)
        JOIN pg_attribute a ON a.attrelid = k.confrelid AND a.attnum = x.num) AS key
FROM pg_constraint k JOIN pg_class f ON f.oid = k.confrelid JOIN pg_namespace fn ON fn.oid = f.relnamespace
WHERE k.contype = 'f' AND k.conrelid = to_regclass(format('%%I.%%I', %s::text, %s::text)) ORDER BY k.conname
"""


def failed(error: psycopg.Error, name: str) -> Refused:
    text = str(error).strip().splitlines()[0][:300] if str(error).strip() else type(error).__name__
    return refuse(
        "database",
        f"The database {name} answered: {text}.",
        "Check its address, its user and what the user may read; nothing was changed.",
        name,
    )


@contextmanager
def reading(access: Mapping[str, Any], name: str) -> Iterator[psycopg.Connection[Any]]:
    """A connection inside a read-only transaction that sees one state of the database; undone at the end, whatever happens."""
    try:
        connection = psycopg.connect(
            host=str(access.get("host") or "127.0.0.1"),
            port=int(access.get("port") or 5432),
            dbname=str(access.get("database") or ""),
            user=str(access.get("user") or ""),
            password=str(access.get("password") or ""),
            connect_timeout=SECONDS,
            options="-c default_transaction_read_only=on -c statement_timeout=600000 -c idle_in_transaction_session_timeout=600000",
            sslmode=str(access.get("sslmode") or "prefer"),
            application_name="nexorem",
        )
    except (psycopg.Error, ValueError) as error:
        raise failed(error if isinstance(error, psycopg.Error) else psycopg.Error(str(error)), name) from None
    try:
        connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        connection.execute("SET LOCAL datestyle = 'ISO, YMD'")
        yield connection
    except psycopg.Error as error:
        raise failed(error, name) from None
    finally:
        with suppress(psycopg.Error):  # one that has gone away has nothing to undo
            connection.rollback()
        connection.close()


def listed(access: Mapping[str, Any], name: str) -> list[dict[str, Any]]:
    """Its tables and views: their columns, and about how many rows each has (None where that is not known)."""
    names = ("schema", "name", "kind", "rows", "columns")
    with reading(access, name) as connection:
        return [dict(zip(names, (*r[:4], r[4] or []), strict=True)) for r in connection.execute(LISTED)]


def select_of(connection: psycopg.Connection[Any], source: DatabaseSource) -> sql.Composable:
    """What is read: a table with all its columns or some, or the SELECT as written, which has to be one statement that reads."""
    if not source.query:
        columns = sql.SQL(", ").join(sql.Identifier(c) for c in source.only) if source.only else sql.SQL("*")
        return sql.SQL("SELECT {} FROM {}").format(columns, sql.Identifier(source.table_schema, source.table))
    # Sent in the protocol's extended form, in which the server refuses more than one statement.
    text = sql.SQL(source.query.rstrip().rstrip(";"))
    probe = sql.SQL("SELECT * FROM ({}\n) AS q LIMIT 0").format(text)
    connection.execute(probe, binary=True)
    return text


def columns_of(connection: psycopg.Connection[Any], select: sql.Composable) -> list[tuple[str, str]]:
    """Names and types of what a SELECT gives, decimals with their digits: numeric(12,2)."""
    cursor = connection.execute(sql.SQL("SELECT * FROM ({}\n) AS q LIMIT 0").format(select), binary=True)
    codes = [(d.name, d.type_code) for d in cursor.description or []]
    names = {
        r[0]: r[1]
        for r in connection.execute("SELECT oid::bigint, format_type(oid, NULL) FROM pg_type WHERE oid = ANY(%s)", [[c for _, c in codes]])
    }
    digits = {d.name: f"({d.precision},{d.scale})" for d in cursor.description or [] if d.precision is not None and d.scale is not None}
    return [(name, f"{names.get(code, 'text')}{digits.get(name, '')}") for name, code in codes]


def copied(connection: psycopg.Connection[Any], source: DatabaseSource, target: Path, tell: Progress) -> list[tuple[str, str]]:
    """Writes the rows as CSV, with empties bare and texts in quotes; gives the columns with the types they have there."""
    select = select_of(connection, source)
    columns = columns_of(connection, select)
    shown = sql.SQL(", ").join(
        sql.SQL("{}::timestamp" if kind == WITH_ZONE else "{}").format(sql.Identifier("q", name)) for name, kind in columns
    )
    written = rows = 0
    command = sql.SQL("COPY (SELECT {} FROM ({}\n) AS q) TO STDOUT (FORMAT csv, FORCE_QUOTE *, ENCODING 'UTF8')").format(shown, select)
    with connection.cursor() as cursor, target.open("wb") as out, cursor.copy(command) as copy:
        for block in copy:
            out.write(block)
            written += len(block)
            rows += 1
            if rows % 20_000 == 0:
                tell(rows, 0.5)
            if written > MOST_UNPACKED:
                raise refuse(
                    "too_large",
                    f"The database sends more than {MOST_UNPACKED // 1024**3} GB.",
                    "Choose fewer rows with a SELECT.",
                    source.connection,
                )
    return columns


def answered(access: Mapping[str, Any], name: str, query: str, seconds: float, most: int) -> tuple[list[str], list[tuple[Any, ...]]]:
    """What a SELECT gives: its columns and rows. Refuses one that writes, that is more than one statement, that takes longer than this, or
    gives more rows than `most`."""
    with reading(access, name) as connection:
        connection.execute(sql.SQL("SET LOCAL statement_timeout = {}").format(sql.Literal(int(seconds * 1000))))
        text = select_of(connection, DatabaseSource(kind="database", connection=name, query=query))
        cursor = connection.execute(sql.SQL("SELECT * FROM ({}\n) AS q LIMIT {}").format(text, sql.Literal(most + 1)), binary=True)
        rows = cursor.fetchall()
        if len(rows) > most:
            raise refuse("too_large", f"The query over {name} gives more than {most:,} rows.", "Ask for fewer.", name)
        return [d.name for d in cursor.description or []], rows


def key_of(connection: psycopg.Connection[Any], source: DatabaseSource) -> list[str]:
    """The columns of a table's primary key."""
    if not source.table:
        return []
    cursor = connection.execute(
        """SELECT a.attname::text FROM pg_index i CROSS JOIN LATERAL unnest(i.indkey) WITH ORDINALITY x(num, ord)
           JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = x.num
           WHERE i.indisprimary AND i.indrelid = to_regclass(format('%%I.%%I', %s::text, %s::text)) ORDER BY x.ord""",
        [source.table_schema, source.table],
    )
    return [str(r[0]) for r in cursor]


def references_of(connection: psycopg.Connection[Any], source: DatabaseSource) -> list[Reference]:
    """The foreign keys that a table declares, as far as their columns are read."""
    if not source.table:
        return []
    names = ("table_schema", "table", "columns", "key")
    rows = connection.execute(REFERENCES, [source.table_schema, source.table])
    declared = [Reference(**dict(zip(names, r, strict=True))) for r in rows]
    return [d for d in declared if not source.only or set(d.columns) <= set(source.only)]
