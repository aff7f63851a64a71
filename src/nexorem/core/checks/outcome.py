"""What came of a check."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from nexorem.core.engine.order import MemberJson
from nexorem.core.results import Result
from nexorem.core.values import Cell, Json

MOST_FAILURES = 1_000  # that are kept one by one; all are counted
Why = Literal["false", "empty", "error", "missing", "surplus", "differs", "apart", "count", "finding", "stale"]


@dataclass(frozen=True, slots=True)
class Failure(Result):
    """One place where a check fails. `at` are the coordinates of a cell, by `Table.column`, totals left out; `values` what the measures are
    there; `expected` and `difference` where a number should be another one."""

    why: Why
    sentence: str
    measure: str = ""
    at: Mapping[str, MemberJson] = field(default_factory=dict)
    values: Mapping[str, Cell] = field(default_factory=dict)
    expected: Json = None
    difference: float | None = None


def width(failure: Failure) -> tuple[float, float]:
    """How far a value is from what it should be, as a share of that, then by itself; one that came, went or is wrong as such: by all."""
    if failure.difference is None:
        return 1.0, 0.0
    meant = abs(float(failure.expected)) if isinstance(failure.expected, int | float) else 0.0
    return (abs(failure.difference) / meant if meant else 1.0), abs(failure.difference)


@dataclass(frozen=True, slots=True)
class Obstacle(Result):
    """Why a check cannot be computed: a diagnostic's code and words, what it is about, and what mends it."""

    code: str
    message: str
    place: str = ""
    mend: str = ""


@dataclass(frozen=True, slots=True)
class Outcome(Result):
    """Whether a check holds: of `tested` cells, totals, rows or findings `failed` do not. Where it cannot be computed, why."""

    state: Literal["holds", "fails", "cannot"]
    sentence: str
    tested: int = 0
    failed: int = 0
    failures: tuple[Failure, ...] = ()
    problems: tuple[Obstacle, ...] = ()
