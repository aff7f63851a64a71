"""The benchmark suite behind `nexorem bench`: everything is measured side by side in one run, each warmed up before."""

from __future__ import annotations

import io
import math
import os
import platform
import statistics
import tempfile
import time
from collections.abc import Callable, Iterable
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

import duckdb
import polars as pl
import pyarrow.csv

from bench import star_schema as ss
from bench.arrival import arrival_part
from bench.crowd import crowd_part
from bench.decision import decision_part
from bench.gather import loads_part, steps_part
from bench.link import link_part
from bench.probe import probe_part
from bench.prove import prove_part
from bench.sql import sql_part
from bench.timing import median
from nexorem.core.engine.computed import edited_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.engine.trace import trace
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.model import Measure
from nexorem.core.model.star import Star
from nexorem.package.read import open_package

THREADS = 2
GRID = {"rows": ["Part.brand"], "columns": ["Calendar.year"], "picks": []}
SUMS_SQL = """WITH g AS (SELECT d.year, p.brand, sum(l.revenue::BIGINT) AS v FROM lineorder l JOIN calendar d ON l.orderdate = d.date
JOIN part p ON l.partkey = p.partkey GROUP BY ALL)
SELECT year, brand, v, v / sum(v) OVER (PARTITION BY year), lag(v) OVER (PARTITION BY brand ORDER BY year) FROM g ORDER BY brand, year"""
DISTINCT_SQL = """SELECT d.year, p.brand, count(DISTINCT l.custkey) FROM lineorder l JOIN calendar d ON l.orderdate = d.date
JOIN part p ON l.partkey = p.partkey GROUP BY ALL ORDER BY p.brand, d.year"""
EDITS = {
    "none": "revenue",
    "set": "revenue given (set Part.mfgr = 'MFGR#1')",
    "set in rows": "revenue given (set Part.mfgr in values ('MFGR#1'))",
    "keep": "revenue given (keep Part.mfgr = 'MFGR#1')",
    "clear": "revenue given (clear Part)",
    "reset": "revenue given (reset Part)",
    "shift": "revenue given (shift Calendar by -1 year)",
    "stretch start": "revenue given (stretch Calendar to start of year)",
    "stretch back": "revenue given (stretch Calendar back 3 month)",
    "flow off": "revenue given (flow Lineorder.partkey = Part.partkey off)",
    "match": "revenue given (flow Lineorder.suppkey = Supplier.suppkey off, match Supplier.suppkey to Lineorder.suppkey)",
    "for each": "max(revenue for each every Calendar.year)",
    "rank": "rank(revenue among page Part.mfgr)",
}


def budget() -> Budget:
    """What each of our computations may take: the usual, but time."""
    return Budget(Limits(workers=THREADS, seconds=300.0), time.monotonic)


def ours(star: Star, data: dict[str, Any]) -> list[dict[str, Any]]:
    """A probe's whole answer."""
    return list(answer(star, probe_of(star, data), budget()).tidy())


class Peers:
    """The general-purpose engines, with the same tables in their own memory."""

    def __init__(self, parts: Iterable[dict[str, Any]]) -> None:
        self.database = duckdb.connect()
        self.database.execute(f"SET threads = {THREADS}")
        self.frames = pl.SQLContext()
        frames: dict[str, list[pl.DataFrame]] = {}
        for tables in parts:
            for name, columns in tables.items():
                if name in frames and name != "Lineorder":
                    continue
                found = ss.arrow(columns)
                self.database.register("found", found)
                into = f"INSERT INTO {name.lower()}" if name in frames else f"CREATE TABLE {name.lower()} AS"
                self.database.execute(f"{into} SELECT * FROM found")
                self.database.unregister("found")
                frame = pl.from_arrow(found)
                assert isinstance(frame, pl.DataFrame)
                frames.setdefault(name, []).append(frame)
        for name, some in frames.items():
            self.frames.register(name.lower(), pl.concat(some, rechunk=True) if len(some) > 1 else some[0])

    def rows(self, sql: str) -> list[Any]:
        """The database's answer."""
        return list(self.database.execute(sql).fetchall())

    def framed(self, sql: str) -> list[Any]:
        """The data frames' answer."""
        return list(self.frames.execute(sql.replace("GROUP BY ALL", "GROUP BY d.year, p.brand"), eager=True).rows())


def same_values(mine: list[dict[str, Any]], measure: str, theirs: list[Any]) -> bool:
    """Whether two answers have the same values, whatever their order."""
    a = sorted(x[measure] for x in mine if x[measure] is not None)
    return a == sorted(int(r[-1]) for r in theirs if r[-1] is not None)


def star_part(star: Star, peers: Peers, runs: int, say: Callable[[str], None]) -> dict[str, Any]:
    """The 13 queries."""
    told: dict[str, Any] = {}
    for name in ss.QUERIES:
        probe, sql, measure = ss.as_probe(name), ss.as_sql(name), ss.QUERIES[name][0]
        if not same_values(ours(star, probe), measure, peers.rows(sql)):
            raise AssertionError(f"{name}: the answers differ")
        times = {"nexorem": median(lambda p=probe: ours(star, p), runs), "database": median(lambda s=sql: peers.rows(s), runs)}
        times["frames"] = median(lambda s=sql: peers.framed(s), max(runs // 2, 2), 1)
        told[name] = times | {"ratio": min(times["database"], times["frames"]) / times["nexorem"]}
        say(f"{name}: {told[name]['ratio']:.1f} times faster")
    return told


def grid_part(star: Star, peers: Peers, runs: int, say: Callable[[str], None]) -> dict[str, Any]:
    """7 × 1000 cells: a sum, its share of the year and the year before; and a distinct count."""
    told: dict[str, Any] = {}
    parts = {"sums": (["revenue", "share", "year_before"], SUMS_SQL), "distinct": (["customers"], DISTINCT_SQL)}
    for name, (measures, sql) in parts.items():
        probe = {**GRID, "measures": measures}
        if name == "distinct" and not same_values(ours(star, probe), "customers", peers.rows(sql)):
            raise AssertionError("the distinct counts differ")
        times = {"nexorem": median(lambda p=probe: ours(star, p), runs), "database": median(lambda s=sql: peers.rows(s), max(runs // 2, 2))}
        try:
            frames = SUMS_SQL.replace("::BIGINT", "") if name == "sums" else sql
            times["frames"] = median(lambda s=frames: peers.framed(s), 2, 1)
        except pl.exceptions.PolarsError:  # what its SQL does not have
            times["frames"] = None
        peers_best = min(x for x in (times["database"], times["frames"]) if x is not None)
        told[name] = times | {"ratio": peers_best / times["nexorem"]}
        say(f"grid, {name}: {told[name]['ratio']:.1f} times faster")
    return told


def cells_part(star: Star, runs: int, say: Callable[[str], None]) -> dict[str, Any]:
    """How the time of computing a grid grows from about 10 to about 10,000 cells, for every kind of edit."""
    told: dict[str, Any] = {}
    small = {"rows": [], "columns": ["Calendar.year"], "picks": [], "totals": "all"}
    large = {"rows": ["Part.brand"], "columns": ["Calendar.year"], "picks": [], "totals": "all"}
    for name, formula in EDITS.items():
        few = small | {"measures": ["x"], "define": {"x": formula}}
        many = large | {"measures": ["x"], "define": {"x": formula}}
        a, b = (median(lambda p=p: answer(star, probe_of(star, p), budget()), runs, 3) for p in (few, many))
        told[name] = {"few": a, "many": b, "growth": b / a}
        say(f"{name}: {a:.1f} ms for 8 cells, {b:.1f} ms for 8,008")
    return told


def trace_part(star: Star, runs: int) -> dict[str, float]:
    """A trace of a cell, with edits and without."""
    told = {}
    for name in ("revenue", "share", "year_before", "customers"):
        at = [read_pick(star, "Calendar.year", [1995]), read_pick(star, "Part.brand", ["MFGR#2239"])]
        probe = probe_of(star, {"measures": [name]})
        told[name] = median(lambda p=probe, a=at, n=name: trace(star, p, n, a, budget()), runs, 2)
    return told


def formula_part(star: Star, runs: int) -> float:
    """From a change of a formula to the grid that is shown."""
    number = iter(range(10**6))

    def work() -> None:
        formula = f"sum(Lineorder.revenue) * {next(number)}"
        measures = tuple(Measure(m.name, formula) if m.name == "revenue" else m for m in star.model.measures)
        ours(
            edited_star(star, type(star.model)(**{**_fields(star.model), "measures": measures})), GRID | {"measures": ["revenue", "share"]}
        )

    return median(work, runs, 2)


def _fields(model: Any) -> dict[str, Any]:
    return {name: getattr(model, name) for name in model.__dataclass_fields__}


def load_part(tables: dict[str, Any]) -> dict[str, float]:
    """A package with all facts as CSV, opened."""
    with tempfile.TemporaryDirectory() as folder:
        resources = []
        for name, columns in tables.items():
            pyarrow.csv.write_csv(ss.arrow(columns), Path(folder) / f"{name}.csv")
            resources.append(f'{{"name": "{name}", "path": "{name}.csv"}}')
        text = io.StringIO()
        text.write(f'{{"name": "loaded", "resources": [{", ".join(resources)}]}}')
        (Path(folder) / "datapackage.json").write_text(text.getvalue())
        start = time.perf_counter()
        star = open_package(Path(folder))
        spent = time.perf_counter() - start
    return {"rows": star.size("Lineorder"), "seconds": spent, "rows_a_second": star.size("Lineorder") / spent}


def memory_part(star: Star) -> dict[str, float]:
    """Bytes a fact row: the columns, and everything made on first use for what was asked so far."""
    size = star.size("Lineorder")
    columns = sum(c.bytes() for c in star.rows["Lineorder"].columns.values()) / size
    return {"columns": columns, "with_derived": columns + star.derived.table_bytes("Lineorder") / size}


def measured(rows: int, runs: int, only: set[str], say: Callable[[str], None]) -> dict[str, Any]:
    """The whole suite, or parts of it."""
    wanted = lambda name: not only or name in only  # noqa: E731
    say(f"making {rows:,} rows")
    tables = cache(lambda: ss.tables(rows))
    of_star = {"star", "grid", "memory", "cells", "trace", "sql"}
    star = ss.star_of(ss.parts(rows if not only or of_star & only else 10_000))
    told: dict[str, Any] = {"rows": rows, "machine": machine(), "ratios": {}}
    if wanted("star") or wanted("grid"):
        peers = Peers(ss.parts(rows))
        if wanted("star"):
            told["star"] = star_part(star, peers, runs, say)
            ratios = [x["ratio"] for x in told["star"].values()]
            told["ratios"]["star"] = {"geomean": math.exp(statistics.fmean(map(math.log, ratios))), "worst": min(ratios)}
        if wanted("memory"):
            told["memory"] = memory_part(star)
        if wanted("grid"):
            told["grid"] = grid_part(star, peers, runs, say)
            told["ratios"]["grid"] = {name: x["ratio"] for name, x in told["grid"].items()}
        del peers
    elif wanted("memory"):
        told["memory"] = memory_part(star)
    others: dict[str, Callable[[], Any]] = {
        "cells": lambda: cells_part(star, runs, say),
        "trace": lambda: trace_part(star, runs),
        "formula": lambda: formula_part(ss.make_star(ss.tables(min(rows, 1_000_000))), runs),
        "load": lambda: load_part(tables()),
        "gather": lambda: loads_part(tables(), say),
        "arrival": lambda: arrival_part(rows, say),
        "decision": lambda: decision_part(f"{rows / 6_000_000:g}", min(runs, 5), say),
        "link": lambda: link_part(say),
        "probe": lambda: probe_part(say),
        "prove": lambda: prove_part(rows, say),
        "crowd": lambda: crowd_part(say),
        "sql": lambda: sql_part(star, tables(), min(runs, 3), say),
        "steps": lambda: steps_part(min(rows, 1_000_000), min(runs, 3), say),
    }
    for name, part in others.items():
        if wanted(name):
            say(name)
            told[name] = part()
    return told


def machine() -> dict[str, Any]:
    """Where and with what it was measured."""
    names = ("numpy", "numba", "duckdb", "polars", "pyarrow")
    cpu = next((x.split(":")[1].strip() for x in Path("/proc/cpuinfo").read_text().splitlines() if x.startswith("model name")), "")
    return {"cpu": cpu, "cores": os.cpu_count(), "python": platform.python_version(), **{n: version(n) for n in names}}


def as_table(told: dict[str, Any]) -> str:
    """The figures as Markdown."""
    m = told["machine"]
    versions = ", ".join(f"{k} {m[k]}" for k in ("python", "numpy", "numba", "duckdb", "polars", "pyarrow"))
    lines = [f"{told['rows']:,} fact rows; {m['cores']} cores, {m['cpu']}; two threads each; {versions}.", ""]
    if "star" in told or "grid" in told:
        lines += _queries(told)
    for name, section in SECTIONS.items():
        if name in told:
            lines += ["", *section(told[name])]
    return "\n".join(lines)


def _queries(told: dict[str, Any]) -> list[str]:
    lines = [
        "| query | Nexorem, ms | columnar database, ms | data frames, ms | times faster than the faster |",
        "| --- | --: | --: | --: | --: |",
    ]
    for name, x in {**told.get("star", {}), **{f"grid, {k}": v for k, v in told.get("grid", {}).items()}}.items():
        frames = f"{x['frames']:.1f}" if x["frames"] is not None else "–"
        lines.append(f"| {name} | {x['nexorem']:.1f} | {x['database']:.1f} | {frames} | {x['ratio']:.1f} |")
    if "star" in told["ratios"]:
        star = told["ratios"]["star"]
        lines += ["", f"The 13 queries: {star['geomean']:.1f} times (geometric mean), {star['worst']:.1f} at least."]
    return lines


def _table(heads: list[str], rows: Iterable[list[str]]) -> list[str]:
    return [f"| {' | '.join(heads)} |", f"| --- |{' --: |' * (len(heads) - 1)}", *(f"| {' | '.join(row)} |" for row in rows)]


def _cells(x: dict[str, Any]) -> list[str]:
    rows = ([k, f"{v['few']:.1f}", f"{v['many']:.1f}", f"{v['growth']:.1f}"] for k, v in x.items())
    return _table(["edit", "8 cells, ms", "8,008 cells, ms", "growth"], rows)


def _gathered(x: dict[str, Any]) -> list[str]:
    heads = ["file", "rows", "seconds", "million rows a second", "megabytes"]
    rows = ([k, f"{v['rows']:,}", f"{v['seconds']:.1f}", f"{v['rows_a_second'] / 1e6:.2f}", f"{v['megabytes']:,.0f}"] for k, v in x.items())
    return _table(heads, rows)


def _arrived(x: dict[str, Any]) -> list[str]:
    names = next(iter(x.values()))
    return _table(["a file's way", *x], ([name, *(f"{kind[name]:,.1f}" for kind in x.values())] for name in names))


def _decided(x: dict[str, Any]) -> list[str]:
    rows = (
        [k, f"{v['first']:.0f}", f"{v['nexorem']:.0f}", f"{v['database']:.0f}", f"{v['ratio']:.2f}"] for k, v in x.items() if k != "ratios"
    )
    end = f"The 22 questions: {x['ratios']['geomean']:.2f} times (geometric mean), {x['ratios']['worst']:.2f} at least."
    return [*_table(["question", "first, ms", "then, ms", "columnar database, ms", "times faster"], rows), "", end]


def _linked(x: dict[str, Any]) -> list[str]:
    lines = _table(["the server, of a large model", "ms"], ([k, f"{v:.0f}"] for k, v in x["server"].items()))
    frames = (
        [k, f"{v['mean']:.0f}", f"{v['slowest twentieth']:.0f}"] if "mean" in v else [k, f"opened in {v['seconds']:.1f} s", ""]
        for k, v in x["browser"].items()
    )
    return [*lines, "", *_table(["the browser", "frames a second", "of the slowest twentieth"], frames)]


def _probed(x: dict[str, Any]) -> list[str]:
    lines = _table(["the server, Measure and Probe", "ms"], ([k, f"{v:.0f}"] for k, v in x["server"].items()))
    browser = ([k, ", ".join(f"{n:.1f} {unit}" for unit, n in v.items())] for k, v in x["browser"].items())
    return [*lines, "", *_table(["the browser", ""], browser)]


SECTIONS: dict[str, Callable[[dict[str, Any]], list[str]]] = {
    "cells": _cells,
    "trace": lambda x: ["A trace: " + ", ".join(f"{k} {v:.0f} ms" for k, v in x.items()) + "."],
    "formula": lambda x: [f"From a changed formula to its grid of 7 × 1000, at 1 million rows: {x:.0f} ms."],
    "load": lambda x: [f"CSV: {x['rows']:,} rows in {x['seconds']:.1f} s, {x['rows_a_second'] / 1e6:.2f} million a second."],
    "gather": _gathered,
    "arrival": _arrived,
    "decision": _decided,
    "steps": lambda x: _table(
        ["step on a million rows", "ms", "its sample, ms"], ([k, f"{v['step']:.0f}", f"{v['sample']:.0f}"] for k, v in x.items())
    ),
    "link": _linked,
    "probe": _probed,
    "crowd": lambda x: _table(["requests, ms", *x], ([n, *(f"{some[n]:.0f}" for some in x.values())] for n in next(iter(x.values())))),
    "prove": lambda x: _table(["Prove", "seconds"], ([k, f"{v:.2f}"] for k, v in x.items() if k != "rows")),
    "memory": lambda x: [
        f"Memory: {x['columns']:.0f} bytes a fact row of eleven columns, {x['with_derived']:.0f} with all that was derived for the 13 queries."
    ],
}
