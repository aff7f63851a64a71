"""What a step gives, and what it works with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from nexorem.core.limits import Budget
from nexorem.core.values import Array
from nexorem.gather.frame import Frame


@dataclass(frozen=True, slots=True)
class Setting:
    """Where a step stands: its table, a place to tell in errors, the rows of other tables, and what it may take."""

    table: str
    place: str
    other: Callable[[str], Frame]
    budget: Budget


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """Rows after a step. `rows` says for each of them which row before it came from, -1 for none; None: the same rows in the same order."""

    frame: Frame
    rows: Array | None = None
