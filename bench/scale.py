"""What each question costs where a fact stays, by the shape of its statement and the rows of the fact, on PostgreSQL, on the embedded columnar
database and on a cluster. Run by hand: `python -m bench.scale FOLDER [--rows 1,10,60] [--cluster sc://…]`."""

from __future__ import annotations

import argparse
import json
import re
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import duckdb
import psycopg
from cachetools import TTLCache

from nexorem.core.engine.computed import make_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.engine.trace import trace, trace_rows
from nexorem.core.engine.trace_rows import RowOrder
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.rows import TableRows
from nexorem.core.model.star import Star
from nexorem.package.read import open_package
from nexorem.sql.dialects import DUCKDB, POSTGRESQL, stored
from nexorem.store import cluster
from nexorem.store.column_counts import column_counts
from nexorem.store.elsewhere import PostgreSql
from nexorem.store.sides import Look
from nexorem.store.spark import Spark, cluster_session
from nexorem.store.staying import Staying

MODEL = Path(__file__).resolve().parents[1] / "demo" / "lantern_isles"
FACT = "Booking"
MILLION = 1_000_000
MOST_PROFILED = 10 * MILLION  # rows, beyond which the profile is that of a sample
SECONDS = 3_600.0
BY_PORT = {"rows": ["Port.name"], "columns": ["Calendar.year"], "totals": "all"}
GRIDS = {
    "sums by look-ups, all totals": {**BY_PORT, "measures": ["seats_sold", "bookings"]},
    "a share": {**BY_PORT, "measures": ["share_of_ports"]},
    "the year before": {**BY_PORT, "measures": ["x"], "define": {"x": "seats_sold given (shift Calendar by -1 year)"}},
    "over another link": {**BY_PORT, "measures": ["x"], "define": {"x": 'seats_sold given (via link "booked on")'}},
    "different customers": {**BY_PORT, "measures": ["x"], "define": {"x": "count(distinct Booking.customer_no)"}},
    "a median": {**BY_PORT, "measures": ["x"], "define": {"x": "median(Booking.seats)"}},
    "a condition on the fact": {**BY_PORT, "measures": ["x"], "define": {"x": "sum(Booking.seats where Booking.fare_class = 'van')"}},
    "one number": {"measures": ["seats_sold"]},
}


class Asking:
    """Asks an engine; `run` gives the lines of a statement, `explain`, where there is one, how it goes about it."""

    dialect = DUCKDB
    kinds: dict[str, str] = {}

    def __init__(self, run: Any, explain: Any = None) -> None:
        self.run, self.explain = run, explain
        self.scans = self.shuffles = self.broadcasts = 0
        self.spent = 0.0

    def rows(self, text: str, values: Any = None) -> Any:
        """The lines, and how often the fact was read for them."""
        self.scans += len(re.findall(r'(?:FROM|JOIN) ["`]?booking(?:_scale)?\b', text, re.IGNORECASE))
        start = time.perf_counter()
        lines = self.run(text, values)
        self.spent += time.perf_counter() - start
        if self.explain and text.lstrip().startswith(("WITH", "SELECT")):
            nodes = re.findall(r"^\(\d+\) (Exchange|BroadcastExchange)\b", self.explain(text, values), re.M)
            self.shuffles += nodes.count("Exchange")
            self.broadcasts += nodes.count("BroadcastExchange")
        return lines

    def send(self, name: str, sent: Any, table: Any) -> None:
        """What goes along."""
        self.sender(name, sent, table)

    def stop(self) -> None:
        """Nobody stops it."""

    sender = staticmethod(lambda name, sent, table: None)


class Ways:
    """The way to one engine; nothing is kept, so that everything is measured."""

    def __init__(self, asking: Asking) -> None:
        self.one = asking
        self.counted: dict[str, Any] = {}
        self.answers: Any = TTLCache(1, 0.0)
        self.lock = threading.Lock()

    @contextmanager
    def asking(self, _connection: str, _seconds: float) -> Iterator[Any]:
        """The one."""
        yield self.one

    def speaks(self, _connection: str) -> Any:
        """The one, whose dialect and types are those that are asked for."""
        return self.one

    def known(self, key: str) -> Any:
        """What was counted of columns; everything else is proven anew, every time."""
        return self.counted.get(key)

    def kept(self, key: str, make: Any) -> Any:
        """Anew."""
        self.counted[key] = made = make()
        return made


def left(star: Star, table: str, asking: Asking) -> Star:
    """The demo with its bookings left in a place, under a name."""
    fact = star.model.table(FACT)
    assert fact
    model = replace(star.model, tables=tuple(replace(t, stays=True, load=1) if t is fact else t for t in star.model.tables))
    columns = {c.name: asking.kinds[c.dtype] for c in fact.columns}
    look = Look(1, "there", None, table, columns, TableRows(0, {}), "", "number")
    rows = {
        t.name: TableRows(star.size(t.name), {c.name: star.column(t.name, c.name) for c in t.columns if not c.formula})
        for t in model.tables
        if not t.formula and not t.stays
    }
    return make_star(model, rows, elsewhere=Staying(Ways(asking), {"1": look}))


def measured(star: Star, table: str, asking: Asking) -> dict[str, Any]:
    """Seconds in the engine of each question, with how often it read the fact."""
    told: dict[str, Any] = {}

    def time_of(name: str, ask: Any) -> Any:
        asking.scans = asking.shuffles = asking.broadcasts = 0
        asking.spent = 0.0
        start = time.perf_counter()
        result = ask()
        told[name] = {"seconds": round(asking.spent, 2), "all": round(time.perf_counter() - start, 2), "reads": asking.scans}
        if asking.explain:
            told[name] |= {"shuffles": asking.shuffles, "broadcasts": asking.broadcasts}
        print(f"    {name}: {told[name]}", file=sys.stderr, flush=True)
        return result

    def look() -> Star:
        there = left(star, table, asking)
        assert there.elsewhere.side("there").places  # type: ignore[attr-defined]  # its empties, which the first grid asks for
        return there

    there = time_of("rows, empties, links of all (a look)", look)
    limits = Limits(seconds=SECONDS)
    columns = [c.name for c in star.model.table(FACT).columns]  # type: ignore[union-attr]
    if there.size(FACT) <= MOST_PROFILED:
        time_of("values of all columns (a profile)", lambda: column_counts(there.elsewhere, FACT, columns))
    for name, spec in GRIDS.items():
        time_of(name, lambda s=spec: answer(there, probe_of(there, s), Budget(limits)))  # type: ignore[misc]
    probe = probe_of(there, GRIDS["sums by look-ups, all totals"])
    from nexorem.core.engine.probe import read_pick

    at = [read_pick(there, "Port.name", ["Brannock"]), read_pick(there, "Calendar.year", [2032])]
    found = time_of("a trace", lambda: trace(there, probe, "seats_sold", at, Budget(limits)))
    path = found.tree.children[0].path
    time_of("a page of its rows", lambda: trace_rows(there, probe, "seats_sold", at, Budget(limits), (), path, RowOrder(0, 100)))
    return told


def files_of(star: Star, folder: Path, millions: Sequence[int], start: Path) -> dict[int, Path]:
    """The fact with so many million rows as Parquet: the same bookings again and again, under other numbers."""
    folder.mkdir(parents=True, exist_ok=True)
    base = duckdb.connect(config={"threads": 2})
    count = base.execute(f"SELECT count(*) FROM '{start}'").fetchone()[0]  # type: ignore[index]
    files = {}
    for size in millions:
        files[size] = folder / f"booking_{size}.parquet"
        if not files[size].exists():
            again = -(-size * MILLION // count)
            select = f"SELECT * REPLACE (number + r.i * {count} AS number) FROM '{start}', range({again}) r(i) LIMIT {size * MILLION}"
            base.execute(f"COPY (SELECT * EXCLUDE i FROM ({select})) TO '{files[size]}' (FORMAT parquet)")
    return files


def on_columnar(star: Star, files: dict[int, Path]) -> dict[int, Any]:
    """On the embedded columnar database, two threads."""
    told = {}
    for size, path in files.items():
        base = duckdb.connect(config={"threads": 2})
        base.execute(f"CREATE TABLE booking AS SELECT * FROM '{path}'")
        asking = Asking(lambda text, values, b=base: b.execute(text, values or []).fetchall())
        asking.dialect = replace(DUCKDB, arrays=False)
        asking.kinds = {
            "integer": "BIGINT",
            "number": "DOUBLE",
            "text": "VARCHAR",
            "boolean": "BOOLEAN",
            "date": "DATE",
            "datetime": "TIMESTAMP",
        }
        asking.sender = lambda name, sent, table, b=base: _registered(b, name, sent, table)  # type: ignore[method-assign, misc]
        print(f"  columnar, {size} million", file=sys.stderr)
        told[size] = measured(star, "booking", asking)
        base.close()
    return told


def _registered(base: Any, name: str, sent: Any, table: Any) -> None:
    import pyarrow as pa

    from nexorem.package.arrow import ARROW

    columns = {c.name: pa.array(sent.values(c.name), ARROW[c.dtype]) for c in table.columns}
    base.register(name, pa.table({**columns, "row_number": pa.array(range(sent.size), pa.int64())}))


def on_postgresql(star: Star, files: dict[int, Path], folder: Path) -> dict[int, Any]:
    """On a PostgreSQL as Debian sets it up, two workers a statement."""
    made = cluster.start(folder / "postgresql", fast_and_unsafe=True)
    told = {}
    fact = star.model.table(FACT)
    assert fact
    try:
        for size, path in files.items():
            with psycopg.connect(made.url().replace("+psycopg", ""), autocommit=True) as connection:
                connection.execute("DROP TABLE IF EXISTS booking")
                kinds = ", ".join(f'"{c.name}" {stored(c.dtype)}' for c in fact.columns)
                connection.execute(f"CREATE UNLOGGED TABLE booking ({kinds})")
                _copied(connection, path, [c.name for c in fact.columns])
                connection.execute("VACUUM ANALYZE booking")
                for setting in ("jit = off", "enable_nestloop = off", "work_mem = '64MB'"):
                    connection.execute(f"SET {setting}")
                asking = Asking(lambda text, values, c=connection: c.execute(text, values).fetchall())
                asking.dialect, asking.kinds = POSTGRESQL, dict(PostgreSql.kinds)
                print(f"  PostgreSQL, {size} million", file=sys.stderr)
                told[size] = measured(star, "booking", asking)
    finally:
        cluster.stop(made)
    return told


def _copied(connection: Any, path: Path, columns: list[str]) -> None:
    import pyarrow.csv as pacsv
    import pyarrow.parquet as pq

    options = pacsv.WriteOptions(include_header=False, quoting_style="needed")
    with connection.cursor().copy("COPY booking FROM STDIN (FORMAT csv)") as copy:
        for batch in pq.ParquetFile(path).iter_batches(200_000, columns=columns):
            from io import BytesIO

            out = BytesIO()
            pacsv.write_csv(batch, out, options)
            copy.write(out.getvalue())


def on_cluster(star: Star, files: dict[int, Path], address: str) -> dict[int, Any]:
    """On a cluster, its tables Parquet."""
    told = {}
    there = Spark(cluster_session(address), SECONDS)
    for size, path in files.items():
        there.rows("DROP TABLE IF EXISTS booking_scale")
        there.rows(f"CREATE TABLE booking_scale USING parquet LOCATION '{path}'")
        asking = Asking(there.rows, there.plan)
        asking.dialect, asking.kinds = Spark.dialect, dict(Spark.kinds)
        asking.sender = there.send  # type: ignore[method-assign]
        print(f"  cluster, {size} million", file=sys.stderr)
        told[size] = measured(star, "booking_scale", asking)
    return told


def main() -> None:
    """Measures and prints it all as JSON."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--rows", default="1,10,60")
    parser.add_argument("--start", type=Path, required=True, help="Parquet of the first bookings, as cluster-demo makes it")
    parser.add_argument("--on", default="columnar,postgresql,cluster")
    parser.add_argument("--cluster", default="")
    asked = parser.parse_args()
    star = open_package(MODEL)
    files = files_of(star, asked.folder, [int(x) for x in asked.rows.split(",")], asked.start)
    told: dict[str, Any] = {}
    if "columnar" in asked.on:
        told["columnar"] = on_columnar(star, files)
    if "postgresql" in asked.on:
        told["postgresql"] = on_postgresql(star, files, asked.folder)
    if "cluster" in asked.on and asked.cluster:
        told["cluster"] = on_cluster(star, files, asked.cluster)
    print(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()
