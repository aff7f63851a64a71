"""The same probe under two states of a model as the screen shows it: differing cells marked, of many lines those that differ first."""

from __future__ import annotations

from typing import Any

import numpy as np

from nexorem.core.engine.beside import Lines, grids_beside
from nexorem.core.engine.grid import Grid
from nexorem.core.limits import Budget
from nexorem.core.values import Array
from nexorem.work.describe import grid_answer

MOST_LINES = 2_000

Answer = dict[str, Any]


def beside(now: Grid, then: Grid, budget: Budget) -> Answer:
    """Two grids put together over the lines that either has. `differs` counts the cells with different values; of many lines those that
    differ come first into the bound, and `more` counts the lines left out."""
    both = grids_beside(now, then)
    answers = grid_answer(now, budget), grid_answer(then, budget)
    changed = np.asarray(both.differs.any(axis=(0, 2)))
    kept = np.sort(np.argsort(~changed, kind="stable")[:MOST_LINES])
    return {
        "rows": _axis(answers, "rows", Lines(both.rows.before[kept], both.rows.after[kept])),
        "columns": _axis(answers, "columns", both.columns),
        "measures": [_measure(a, b) for a, b in zip(answers[0]["measures"], answers[1]["measures"], strict=True)],
        "now": [_shown(m[kept]) for m in both.before],
        "then": [_shown(m[kept]) for m in both.after],
        "differs": int(both.differs.sum()),
        "changed": np.flatnonzero(changed[kept]).tolist(),
        "more": len(both.rows) - len(kept),
    }


def _shown(cells: Array) -> list[list[Any]]:
    """Cells as the screen shows them: of one that failed the word for it."""
    return [[v["error"] if isinstance(v, dict) else v for v in row] for row in cells.tolist()]


def _measure(now: Answer, then: Answer) -> Answer:
    return {
        "name": now["name"],
        "dtype": now["dtype"],
        "format": now["format"],
        "now_unreached": now["unreached"],
        "then_unreached": then["unreached"],
    }


def _axis(answers: tuple[Answer, Answer], name: str, lines: Lines) -> Answer:
    """The lines of both as answers write them."""
    mine, theirs = (a[name]["lines"] for a in answers)
    merged = [mine[a] if a >= 0 else theirs[b] for a, b in zip(lines.before.tolist(), lines.after.tolist(), strict=True)]
    return {"columns": answers[0][name]["columns"], "lines": merged}
