"""Two states of a model compared by their numbers: which checked and which looked at numbers moved, and by how much."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from nexorem.core.checks.cells import probe_of_check
from nexorem.core.checks.looked_at import looked_at
from nexorem.core.checks.moved import cells_moved, named_then
from nexorem.core.checks.outcome import Failure, width
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec, HoldMust, ListMust
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.results import Result

MOST_CELLS = 20  # of one probe or check that are told


@dataclass(frozen=True, slots=True)
class NumbersMoved(Result):
    """A check or a probe whose numbers are others: of `cells` that either state has `changed` differ, the widest of them first. Where one
    state cannot answer it, `error` says so."""

    about: str
    cells: int
    changed: int
    widest: tuple[Failure, ...] = ()
    error: str = ""


def checked_moved(then: Star, now: Star, where: str, budget: Callable[[], Budget]) -> Iterator[NumbersMoved]:
    """The checks of `now` whose probes had other numbers in `then`, which `where` names."""
    for check in now.model.checks:
        spec = _asked(now, check)
        if spec is not None and (moved := _moved(then, now, spec, f"check {check.name}", where, budget())):
            yield moved


def looked_moved(then: Star, now: Star, where: str, budget: Callable[[], Budget]) -> Iterator[NumbersMoved]:
    """The probes and folios of `now` whose numbers were others; of a folio each tile that differs."""
    for looked in looked_at(now.model):
        if not looked.about.startswith("check ") and (moved := _moved(then, now, looked.spec, looked.about, where, budget())):
            yield moved


def _asked(star: Star, check: CheckSpec) -> ProbeSpec | None:
    if check.probe is None or not isinstance(check.must, ListMust | HoldMust):
        return None
    try:
        return probe_of_check(star, check.probe)
    except Refused:
        return None


def _moved(then: Star, now: Star, spec: ProbeSpec, about: str, where: str, budget: Budget) -> NumbersMoved | None:
    asked = replace(spec, sort=())
    try:
        cells, moving = cells_moved(then, now, asked, where, budget)
        moved = list(moving)
    except Refused as refused:
        answered = [_can_answer(then, named_then(then.model, now.model, asked), budget), _can_answer(now, asked, budget)]
        return NumbersMoved(about, 0, 0, error=refused.diagnostics[0].message) if answered[0] != answered[1] else None
    if not moved:
        return None
    moved.sort(key=width, reverse=True)
    return NumbersMoved(about, cells, len(moved), tuple(moved[:MOST_CELLS]))


def _can_answer(star: Star, spec: ProbeSpec, budget: Budget) -> bool:
    try:
        answer(star, read_probe(star, spec), budget)
    except Refused:
        return False
    return True
