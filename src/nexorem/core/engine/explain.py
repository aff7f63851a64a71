"""A formula explained: how it is read, what becomes of its filters, and how it is computed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import Probe
from nexorem.core.language import typed as t
from nexorem.core.language.printer import print_tree
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.plan.ledger import ledger
from nexorem.core.plan.logical import Plan, ValueStep
from nexorem.core.plan.text import print_plan, step_text
from nexorem.core.plan.tree import scans
from nexorem.core.values import iso
from nexorem.core.words import counted

MOST_NAMED = 5


def explained(star: Star, probe: Probe, name: str, budget: Budget) -> dict[str, Any]:
    """Diagnostics (none, else it is refused), typed tree, grain, reading, ledger, and the plan with rows and
    milliseconds of a grid over the probe's axes."""
    page = page_words(probe)
    arriving = page | {key: _both(page.get(key), "the cell's own") for key in (*probe.rows, *probe.columns)}
    grid = answer(star, probe, budget)
    bound = next(m for m in grid.plan.measures if m.name.lower() == name.lower())
    steps = executed_steps(star, grid.plan.cells, grid.told)
    start = grid.plan.context(probe, (*probe.rows, *probe.columns))
    return {
        "measure": bound.name,
        "dtype": bound.dtype,
        "diagnostics": [],
        "reading": Reader(star.model).sentence(bound),
        "ledger": [line.as_json() for line in ledger(star.model, bound, arriving, page)],
        "grain": list(dict.fromkeys(scan.grain for scan in scans(bound))),
        "tree": print_tree(bound),
        "plan": list(steps.values()),
        "plan_text": print_plan(star, grid.plan.cells, start, lambda step: _note(steps.get(id(step)))),
    }


def executed_steps(star: Star, plan: Plan, told: Mapping[int, tuple[int, float]]) -> dict[int, dict[str, Any]]:
    """By id, the steps of an executed plan: text, rows of the table that was scanned, contexts, milliseconds."""
    found = {}
    for step in plan.steps:
        contexts, spent = told.get(id(step), (0, 0.0))
        scan = step.node if isinstance(step, ValueStep) and isinstance(step.node, t.Aggregate) else None
        rows = star.size(scan.grain) if scan else 0
        found[id(step)] = {"step": step_text(star, step), "rows": rows, "cells": contexts, "milliseconds": round(spent, 3)}
    return found


def _note(step: Mapping[str, Any] | None) -> str:
    if step is None:
        return ""
    return f"  [{counted(step['rows'], 'row')}, {counted(step['cells'], 'cell')}, {step['milliseconds']:.2f} ms]"


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
