"""Server time for the demo: a first grid, the same again, and a trace.

    PYTHONPATH=src python -m bench.demo [--runs 7] [--json]

Each run opens the model anew, so that `first grid` includes everything derived from the rows for the first time. Times
are those of the engine and of making the answer, as the server spends them; medians with smallest and largest.
"""

from __future__ import annotations

import argparse
import json
import statistics
import time
from collections.abc import Callable
from pathlib import Path

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.engine.trace import trace
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.package.read import open_package
from nexorem.work.describe import grid_answer

DEMO = Path(__file__).resolve().parents[1] / "demo" / "lantern_isles"
PROBE = {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "share_of_ports", "target_seats"], "totals": "all"}
GOALS = {"first grid": 150.0, "trace": 100.0}


def milliseconds(work: Callable[[], object]) -> float:
    """How long some work takes."""
    start = time.perf_counter()
    work()
    return (time.perf_counter() - start) * 1000


def one_run(opened: Star) -> dict[str, float]:
    """All figures of one run, on a star without anything derived yet."""
    star = Star(opened.model, opened.rows)
    at = [read_pick(star, "Port.name", ["Teal Quay"]), read_pick(star, "Calendar.year", [2032])]

    def grid() -> object:
        return grid_answer(answer(star, probe_of(star, PROBE), Budget()))

    def told() -> object:
        return trace(star, probe_of(star, PROBE), "share_of_ports", at, Budget())

    return {"first grid": milliseconds(grid), "same grid again": milliseconds(grid), "trace": milliseconds(told)}


def main() -> None:
    """The command."""
    parser = argparse.ArgumentParser(description="Time the demo's grid and trace.")
    parser.add_argument("--runs", type=int, default=7)
    parser.add_argument("--json", action="store_true", dest="as_json")
    options = parser.parse_args()
    opened = open_package(DEMO)
    runs = [one_run(opened) for _ in range(options.runs)]
    figures = {name: [run[name] for run in runs] for name in runs[0]}
    told = {n: {"median": statistics.median(v), "least": min(v), "most": max(v), "goal": GOALS.get(n)} for n, v in figures.items()}
    if options.as_json:
        print(json.dumps(told, indent=1))
        return
    for name, f in told.items():
        goal = f"  goal under {f['goal']:.0f} ms" if f["goal"] else ""
        print(f"{name:<16} {f['median']:7.1f} ms  ({f['least']:.1f} to {f['most']:.1f}){goal}")


if __name__ == "__main__":
    main()
