"""A formula explained: how it is read, what becomes of its filters, and how it is computed."""

from __future__ import annotations

from typing import Any

from nexorem.core.engine.grid import answer
from nexorem.core.engine.plan_text import notes_of, plan_steps, print_plan
from nexorem.core.engine.probe import Probe
from nexorem.core.engine.reach import scans
from nexorem.core.language.binder import Binder
from nexorem.core.language.printer import print_tree
from nexorem.core.language.reading import Reader, ledger
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.values import iso

MOST_NAMED = 5


def explained(star: Star, probe: Probe, name: str, budget: Budget) -> dict[str, Any]:
    """Diagnostics (none, else it is refused), typed tree, grain, reading, ledger, and the plan with rows and
    milliseconds of a grid over the probe's axes."""
    bound = Binder(star, probe.define, budget.limits).measure(name)
    page = page_words(probe)
    arriving = page | {key: _both(page.get(key), "the cell's own") for key in (*probe.rows, *probe.columns)}
    grid = answer(star, probe, budget)
    return {
        "measure": bound.name, "dtype": bound.dtype, "diagnostics": [],
        "reading": Reader(star.model).sentence(bound),
        "ledger": [line.as_json() for line in ledger(star.model, bound, arriving, page)],
        "grain": list(dict.fromkeys(scan.grain for scan in scans(bound))),
        "tree": print_tree(bound),
        "plan": plan_steps(star, grid.plan, grid.told),
        "plan_text": print_plan(star, grid.plan, notes_of(star, grid.plan, grid.told)),
    }  # fmt: skip


def page_words(probe: Probe) -> dict[tuple[str, str], str]:
    """The page's picks in words, by column."""
    found: dict[tuple[str, str], str] = {}
    for pick in probe.picks:
        values = ["(empty)" if v is None else str(iso(v)) for v in pick.values[:MOST_NAMED]] + (["(unmatched)"] if pick.unmatched else [])
        more = f" and {len(pick.values) - MOST_NAMED} more" if len(pick.values) > MOST_NAMED else ""
        found[pick.table, pick.column] = f"the page's {', '.join(values)}{more}"
    return found


def _both(page: str | None, cell: str) -> str:
    return f"{page} and {cell}" if page else cell
