"""SQL that is written for probes beside SQL that a person wrote for the same questions, on the same engine in the same run."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Any

import duckdb
import psycopg

from bench import star_schema as ss
from bench.timing import median
from nexorem.core.engine.probe import probe_of
from nexorem.core.model.star import Star
from nexorem.sql.dialects import DUCKDB, POSTGRESQL, Dialect, stored
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.tree import to_run
from nexorem.store.proving import written

REPEATS = 3


def by_hand(name: str) -> str:
    """A query as a person wrote it, on tables that are called as in the model."""
    return re.sub(r"\b(lineorder|calendar|customer|supplier|part) ([ldcsp])\b", lambda m: f'"{m[1].capitalize()}" {m[2]}', ss.as_sql(name))


def timed(star: Star, dialect: Dialect, run: Callable[[str, Any], list[Any]]) -> dict[str, Any]:
    """Milliseconds of each of the 13 queries by hand and as it is written here, and the geometric mean of their ratios."""
    told: dict[str, Any] = {}
    logs = []
    for name in ss.QUERIES:
        text, values = to_run(compiled(star, probe_of(star, ss.as_probe(name)), dialect, own_places(star)).statement, dialect)
        hand = by_hand(name)
        assert len(run(hand, None)) == len(run(text, values)), name
        times = [median(lambda q=q, v=v: run(q, v), REPEATS, 1) for q, v in ((hand, None), (text, values))]  # type: ignore[misc]
        told[name] = {"by hand": round(times[0], 1), "written": round(times[1], 1)}
        logs.append(math.log(times[1] / times[0]))
    told["geometric mean"] = round(math.exp(sum(logs) / len(logs)), 3)
    return told


def columnar_part(star: Star, found: dict[str, Any]) -> dict[str, Any]:
    """On the embedded columnar database."""
    base = duckdb.connect(config={"threads": 2})
    for name, columns in found.items():
        base.register("given", ss.arrow(columns))
        base.execute(f'CREATE TABLE "{name}" AS SELECT * FROM given')
    base.unregister("given")
    return timed(star, DUCKDB, lambda text, values: base.execute(text, values or []).fetchall())


def compile_part(star: Star) -> dict[str, float]:
    """Milliseconds that each probe takes to be compiled."""

    def made(name: str) -> object:
        return to_run(compiled(star, probe_of(star, ss.as_probe(name)), POSTGRESQL, own_places(star)).statement, POSTGRESQL)

    return {name: round(median(lambda n=name: made(n), 5), 2) for name in ss.QUERIES}  # type: ignore[misc]


def postgresql_part(star: Star, found: dict[str, Any], url: str) -> dict[str, Any]:
    """On PostgreSQL."""
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("SET jit = off")
        for name in found:
            table = star.model.table(name)
            assert table
            kinds = ", ".join(f'"{c.name}" {stored(c.dtype)}' for c in table.columns)
            connection.execute(f'CREATE TEMP TABLE "{name}" ({kinds})')
            names = ", ".join(f'"{c.name}"' for c in table.columns)
            with connection.cursor().copy(f'COPY "{name}" ({names}) FROM STDIN (FORMAT csv)') as copy:
                for part in written(star, table, numbered=False):
                    copy.write(part)
            connection.execute(f'ANALYZE "{name}"')
        return timed(star, POSTGRESQL, lambda text, values: connection.execute(text, values).fetchall())
