"""A formula explained: how it is read, what becomes of its filters, and how it is computed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import Probe
from nexorem.core.language import typed as t
from nexorem.core.language.printer import print_tree
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.model.star import Star
from nexorem.core.plan.ledger import LedgerLine, ledger
from nexorem.core.plan.logical import Plan, ValueStep
from nexorem.core.plan.text import print_plan, step_text
from nexorem.core.plan.tree import scans
from nexorem.core.results import Result
from nexorem.core.values import iso
from nexorem.core.words import counted

MOST_NAMED = 5


@dataclass(frozen=True, slots=True)
class ExecutedStep(Result):
    """A step of a plan as it was executed: the rows of the table that was scanned, contexts, milliseconds."""

    step: str
    rows: int
    cells: int
    milliseconds: float


@dataclass(frozen=True, slots=True)
class Explained(Result):
    """How a formula is read and computed: its sentence, ledger, grains, typed tree, and the plan of a grid, as steps and as text. It has no
    diagnostics, else it would have been refused."""

    measure: str
    dtype: str
    diagnostics: tuple[str, ...]
    reading: str
    ledger: tuple[LedgerLine, ...]
    grain: tuple[str, ...]
    tree: tuple[str, ...]
    plan: tuple[ExecutedStep, ...]
    plan_text: tuple[str, ...]


def explained(star: Star, probe: Probe, name: str, budget: Budget) -> Explained:
    """A measure of a probe explained, with the rows and milliseconds of a grid over the probe's axes."""
    page = page_words(probe)
    arriving = page | {key: _both(page.get(key), "the cell's own") for key in (*probe.rows, *probe.columns)}
    grid = answer(star, probe, budget)
    bound = next(m for m in grid.plan.measures if m.name.lower() == name.lower())
    steps = executed_steps(star, grid.plan.cells, grid.measured)
    start = grid.plan.context(probe, (*probe.rows, *probe.columns))
    return Explained(
        bound.name,
        bound.dtype,
        (),
        Reader(star.model).sentence(bound),
        tuple(line.written() for line in ledger(star.model, bound, arriving, page)),
        tuple(dict.fromkeys(scan.grain for scan in scans(bound))),
        tuple(print_tree(bound)),
        tuple(steps.values()),
        tuple(print_plan(star, grid.plan.cells, start, lambda step: _note(steps.get(id(step))))),
    )


def executed_steps(star: Star, plan: Plan, measured: Mapping[int, tuple[int, float]]) -> dict[int, ExecutedStep]:
    """The steps of an executed plan by id."""
    steps = {}
    for step in plan.steps:
        contexts, spent = measured.get(id(step), (0, 0.0))
        scan = step.node if isinstance(step, ValueStep) and isinstance(step.node, t.Aggregate) else None
        rows = star.size(scan.grain) if scan else 0
        steps[id(step)] = ExecutedStep(step_text(star, step), rows, contexts, round(spent, 3))
    return steps


def _note(step: ExecutedStep | None) -> str:
    if step is None:
        return ""
    return f"  [{counted(step.rows, 'row')}, {counted(step.cells, 'cell')}, {step.milliseconds:.2f} ms]"


def page_words(probe: Probe) -> dict[tuple[str, str], str]:
    """The page's picks in words, by column."""
    words: dict[tuple[str, str], str] = {}
    for pick in probe.picks:
        values = ["(empty)" if v is None else str(iso(v)) for v in pick.values[:MOST_NAMED]] + (["(unmatched)"] if pick.unmatched else [])
        more = f" and {len(pick.values) - MOST_NAMED} more" if len(pick.values) > MOST_NAMED else ""
        words[pick.table, pick.column] = f"the page's {', '.join(values)}{more}"
    return words


def _both(page: str | None, cell: str) -> str:
    return f"{page} and {cell}" if page else cell
