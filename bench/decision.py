"""The 22 questions of the public decision-support benchmark as probes, beside the embedded columnar database on as many threads, in one
run: `python -m bench.decision [SCALE] [RUNS]`. Answers are held against each other in tests/tpch.
"""

from __future__ import annotations

import json
import math
import sys
import time
from collections.abc import Callable
from typing import Any

from tests.tpch import model
from tests.tpch.queries import QUERIES

from bench.timing import median
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget, Limits

THREADS = 2
SLOW = 5.0  # seconds after which a question is asked once more and no oftener


def decision_part(scale: str, runs: int, say: Callable[[str], None]) -> dict[str, Any]:
    """Milliseconds of each question: the first time, then; of the database; and how many times as fast we are."""
    model.SCALE = scale
    start = time.perf_counter()
    star, base, _ = model.made()
    say(f"made in {time.perf_counter() - start:.0f} s")
    base.execute(f"SET threads = {THREADS}")
    told: dict[str, Any] = {}
    for number, (sql, asked) in QUERIES.items():
        probe = {k: v for k, v in asked.items() if k != "unshown"}

        def ask(probe: dict[str, Any] = probe) -> None:
            list(answer(star, probe_of(star, probe), Budget(Limits(workers=THREADS, seconds=300.0), time.monotonic)).tidy())

        def look(sql: str = sql) -> None:
            base.execute(sql).fetchall()

        begun = time.perf_counter()
        ask()
        first = time.perf_counter() - begun
        few = 1 if first > SLOW else runs
        ours, theirs = median(ask, few, 0 if few == 1 else 1), median(look, few, 1)
        told[str(number)] = {"first": first * 1000, "nexorem": ours, "database": theirs, "ratio": theirs / ours}
        say(f"question {number}: first {first * 1000:.0f}, then {ours:.0f} ms, {theirs:.0f} there: {theirs / ours:.2f}")
    ratios = [x["ratio"] for x in told.values()]
    told["ratios"] = {"geomean": math.exp(sum(map(math.log, ratios)) / len(ratios)), "worst": min(ratios)}
    return told


if __name__ == "__main__":
    arguments = sys.argv[1:]
    figures = decision_part(arguments[0] if arguments else "1", int(arguments[1]) if arguments[1:] else 5, lambda x: print(x, flush=True))
    print(json.dumps(figures["ratios"]))
