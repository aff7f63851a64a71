"""How long a piece of work takes."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable


def median(work: Callable[[], object], runs: int, warm: int = 3) -> float:
    """Milliseconds of a run, the median of several, after some that do not count."""
    for _ in range(warm):
        work()
    gc.collect()
    found = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        found.append((time.perf_counter() - start) * 1000)
    return statistics.median(found)
