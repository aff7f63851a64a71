"""SQL that is written for probes beside SQL that a person wrote for the same questions, on the same engine in the same run."""

from __future__ import annotations

import math
import re
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import psycopg

from bench import star_schema as ss
from bench.timing import median
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.package.read import open_package
from nexorem.sql.asked import asked
from nexorem.sql.dialects import DUCKDB, POSTGRESQL, Dialect, stored
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.tree import to_run
from nexorem.store import cluster
from nexorem.store.proving import ProofTables, written

MODEL = Path(__file__).resolve().parents[1] / "demo" / "lantern_isles"


def by_hand(name: str) -> str:
    """A query as a person wrote it, on tables that are called as in the model."""
    return re.sub(r"\b(lineorder|calendar|customer|supplier|part) ([ldcsp])\b", lambda m: f'"{m[1].capitalize()}" {m[2]}', ss.as_sql(name))


def timed(star: Star, dialect: Dialect, runs: int, run: Callable[[str, Any], list[Any]]) -> dict[str, Any]:
    """Milliseconds of each of the 13 queries by hand and as it is written here, and the geometric mean of their ratios."""
    told: dict[str, Any] = {}
    logs = []
    for name in ss.QUERIES:
        text, values = to_run(compiled(star, probe_of(star, ss.as_probe(name)), dialect, own_places(star)).statement, dialect)
        hand = by_hand(name)
        assert len(run(hand, None)) == len(run(text, values)), name
        times = [median(lambda q=q, v=v: run(q, v), runs, 1) for q, v in ((hand, None), (text, values))]  # type: ignore[misc]
        told[name] = {"by hand": round(times[0], 1), "written": round(times[1], 1)}
        logs.append(math.log(times[1] / times[0]))
    told["geometric mean"] = round(math.exp(sum(logs) / len(logs)), 3)
    return told


def columnar_part(star: Star, found: dict[str, Any], runs: int) -> dict[str, Any]:
    """On the embedded columnar database."""
    base = duckdb.connect(config={"threads": 2})
    for name, columns in found.items():
        base.register("given", ss.arrow(columns))
        base.execute(f'CREATE TABLE "{name}" AS SELECT * FROM given')
    base.unregister("given")
    return timed(star, DUCKDB, runs, lambda text, values: base.execute(text, values or []).fetchall())


def compile_part(star: Star) -> dict[str, float]:
    """Milliseconds that each probe takes to be compiled."""

    def made(name: str) -> object:
        return to_run(compiled(star, probe_of(star, ss.as_probe(name)), POSTGRESQL, own_places(star)).statement, POSTGRESQL)

    return {name: round(median(lambda n=name: made(n), 5), 2) for name in ss.QUERIES}  # type: ignore[misc]


def postgresql_part(star: Star, found: dict[str, Any], runs: int, url: str) -> dict[str, Any]:
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
        return timed(star, POSTGRESQL, runs, lambda text, values: connection.execute(text, values).fetchall())


def demo_part(url: str) -> dict[str, Any]:
    """The seconds in which all grids of the demo are proven, from no table there, and how many are."""
    star, tables = open_package(MODEL), ProofTables(url)
    start = time.perf_counter()
    states = [tables.prove(answer(star, x.probe, Budget())).state for x in asked(star) if x.probe]
    return {"seconds": round(time.perf_counter() - start, 1), "grids": len(states), "proven": states.count("proven")}


def sql_part(star: Star, found: dict[str, Any], runs: int, say: Callable[[str], None]) -> dict[str, Any]:
    """All of it; PostgreSQL is a cluster of this run's own."""
    say("SQL on the columnar database")
    told: dict[str, Any] = {"compiled, ms": compile_part(star), "columnar": columnar_part(star, found, runs)}
    with tempfile.TemporaryDirectory(prefix="nexorem-bench-") as folder:
        Path(folder).chmod(0o755)
        store = cluster.start(Path(folder) / "store", fast_and_unsafe=True)
        try:
            say("SQL on PostgreSQL")
            told["postgresql"] = postgresql_part(star, found, runs, store.url().replace("+psycopg", ""))
            say("proving the demo")
            told["demo"] = demo_part(store.url())
        finally:
            cluster.stop(store)
    return told
