"""Databases that answer probes from a star's rows, each a voice of its own beside the engine: an embedded columnar one and PostgreSQL."""

from __future__ import annotations

import itertools
from contextlib import contextmanager

import duckdb
import psycopg
import pyarrow as pa

from nexorem.core.engine.probe import probe_of
from nexorem.core.model.proven import Proven
from nexorem.core.values import iso
from nexorem.package.arrow import ARROW
from nexorem.sql.build import Places
from nexorem.sql.dialects import DUCKDB, POSTGRESQL, stored
from nexorem.sql.probe import compiled
from nexorem.sql.remote import SqlProver
from nexorem.sql.tree import EMPTY, TOTAL, UNMATCHED, to_run
from tests.store.cluster import fresh_url


class Voice:
    """A dialect, a database with a star's tables, and how a statement is run there."""

    def __init__(self, star, dialect, run):
        self.star, self.dialect, self.run = star, dialect, run
        self.places = Places(keys={t.name: "_row" for t in star.model.tables})

    def proven(self):
        """The model as the database proves it."""
        return Proven(self.star.model, SqlProver(self.star.model, self.run, self.dialect, self.places))

    def cells(self, data, proven=None):
        """The tidy cells of a probe; what is known of the rows is the star's, or what the database proved."""
        probe = probe_of(proven or self.star, data)
        text, values = to_run(compiled(proven or self.star, probe, self.dialect, self.places).statement, self.dialect)
        names = [f"{t}.{c}" for t, c in (*probe.rows, *probe.columns)]
        found = []
        for line in self.run(text, values):
            place = {n: member(line[2 * i], line[2 * i + 1]) for i, n in enumerate(names) if line[2 * i] != TOTAL}
            found.append({**place, **{m: iso(v) for m, v in zip(probe.measures, line[2 * len(names) :], strict=True)}})
        return found


def fetched(cursor):
    return cursor.fetchall() if cursor.description else []


def quoted(name):
    return '"' + name.replace('"', '""') + '"'


def member(kind, value):
    return "(unmatched)" if kind == UNMATCHED else None if kind == EMPTY else iso(value)


def rows_of(star, table):
    """The columns of a table as lists, the number of each row behind them."""
    return [*(star.column(table.name, c.name).rows().tolist() for c in table.columns), range(star.size(table.name))]


COLUMNAR = duckdb.connect(config={"threads": 1})
NUMBERS = itertools.count(1)


@contextmanager
def columnar(star):
    """The embedded columnar database; each star has one of its own there, for a new connection takes longer than most questions."""
    base, name = COLUMNAR.cursor(), f"star_{next(NUMBERS)}"
    base.execute(f"ATTACH ':memory:' AS {name}")
    base.execute(f"USE {name}")
    try:
        for table in star.model.tables:
            kinds = [*(ARROW[c.dtype] for c in table.columns), pa.int64()]
            names = [*(c.name for c in table.columns), "_row"]
            base.register("given", pa.table({n: pa.array(v, k) for n, v, k in zip(names, rows_of(star, table), kinds, strict=True)}))
            base.execute(f"CREATE TABLE {quoted(table.name)} AS SELECT * FROM given")
        made = Voice(star, DUCKDB, lambda text, values=None: base.execute(text, values).fetchall())
        made.base = base
        yield made
    finally:
        base.execute("USE memory")
        base.execute(f"DETACH {name}")
        base.close()


class Server:
    """A PostgreSQL of the tests, with the tables of one star at a time."""

    dialect = POSTGRESQL

    def __init__(self):
        self.connection = psycopg.connect(fresh_url().replace("+psycopg", ""))

    @contextmanager
    def __call__(self, star):
        with self.connection.cursor() as cursor:
            cursor.execute("SET LOCAL jit = off")
            for table in star.model.tables:
                kinds = [f"{quoted(c.name)} {stored(c.dtype)}" for c in table.columns]
                cursor.execute(f"CREATE TEMP TABLE {quoted(table.name)} ({', '.join(kinds)}, _row BIGINT) ON COMMIT DROP")
                with cursor.copy(f"COPY {quoted(table.name)} FROM STDIN") as copy:
                    for row in zip(*rows_of(star, table), strict=True):
                        copy.write_row(row)
            try:
                yield Voice(star, POSTGRESQL, lambda text, values=None: fetched(cursor.execute(text, values)))
            finally:
                self.connection.rollback()
