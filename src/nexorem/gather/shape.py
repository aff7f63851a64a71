"""The shaped rows of a model's tables: what was loaded or is made here, then the steps; a table after those it takes rows from."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import replace
from typing import Any

from cachetools import LRUCache

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.limits import Budget
from nexorem.core.model.model import Calendar, Column, Model, Table
from nexorem.core.model.names import split_reference
from nexorem.gather import made
from nexorem.gather.frame import Frame
from nexorem.gather.steps import kinds as k
from nexorem.gather.steps.replay import Outcome, replay, shaped

Base = Callable[[Table], Frame]
MOST_KEPT = 3 * 1024**3 // 2  # bytes of frames


class Frames:
    """Shaped rows that were made lately, by what they were made from; those used longest ago go first."""

    def __init__(self) -> None:
        self._kept: LRUCache[str, Frame] = LRUCache(MOST_KEPT, getsizeof=Frame.bytes)
        self._lock = threading.Lock()

    def get(self, key: str) -> Frame | None:
        """A frame, if it is still here."""
        with self._lock:
            return self._kept.get(key)

    @property
    def nbytes(self) -> int:
        """What they take."""
        return int(self._kept.currsize)

    def clear(self) -> None:
        """Lets all of them go."""
        with self._lock:
            self._kept.clear()

    def put(self, key: str, frame: Frame) -> None:
        """Keeps a frame; one that takes more room than there is for all is not kept."""
        with self._lock, suppress(ValueError):
            self._kept[key] = frame


class Shaper:
    """Shapes the tables of one model; each at most once."""

    def __init__(self, model: Model, base: Base, budget: Budget, kept: Frames | None = None) -> None:
        self.model, self.base, self.budget = model, base, budget
        self.kept = kept or Frames()
        self._trail: list[str] = []

    def table(self, name: str) -> Table:
        """A table that has rows of its own."""
        table = self.model.table(name)
        if table is None:
            raise refuse("unknown_table", f"The table {name} does not exist.", near_hint(name, [t.name for t in self.model.tables]), name)
        if table.formula:
            raise refuse(
                "computed_table",
                f"{table.name} is computed from the whole model; steps come before it.",
                "Take rows of gathered or made tables.",
                name,
            )
        return table

    def needed(self, table: Table) -> list[str]:
        """The tables it takes rows from."""
        tables = made.tables_needed(table.origin)
        for data in table.steps:
            step = k.read_step(dict(data), table.name)
            if not step.off:
                tables += k.tables_needed(step)
            if table.stays and not step.off and step.kind != "rename":
                said = f"The rows of {table.name} stay elsewhere: no step here shapes them but another name for a column."
                raise refuse("rows_stay", said, "Make a view of it there, or take its rows in.", table.name)
        # A calendar takes the first and the last day: these stand among the rows that were looked at.
        days = {split_reference(x)[0] for x in table.origin.get("dates", [])} if table.origin.get("kind") == "calendar" else set()
        for name in tables:
            if name not in days and (other := self.model.table(name)) is not None and other.stays:
                said = f"{table.name} takes rows of {other.name}, which stay elsewhere."
                raise refuse("rows_stay", said, f"Take the rows of {other.name} in, or make {table.name} without them.", table.name)
        return list(dict.fromkeys(tables))

    def signature(self, name: str) -> str:
        """What the shaped rows of a table depend on, as a text."""
        table = self.table(name)
        with self._inside(table.name):
            others = [self.signature(x) for x in self.needed(table)]
        return json.dumps(
            [table.load, table.name, dict(table.origin) if made.is_made(table.origin) else None, [dict(s) for s in table.steps], others],
            sort_keys=True,
        )

    def _inside(self, name: str) -> _Inside:
        if name in self._trail:
            round_trip = " › ".join([*self._trail[self._trail.index(name) :], name])
            raise refuse("cycle", f"{name} takes rows from itself: {round_trip}.", "Break the cycle at one of these.", name)
        return _Inside(self._trail, name)

    def raw(self, table: Table) -> Frame:
        """Rows before any step."""
        with self._inside(table.name):
            return made.make(table.origin, self.frame) if made.is_made(table.origin) else self.base(table)

    def frame(self, name: str) -> Frame:
        """Rows after all steps; refuses with what is wrong with them."""
        table = self.table(name)
        key = self.signature(table.name)
        frame_of = self.kept.get(key)
        if frame_of is None:
            start = self.raw(table)
            with self._inside(table.name):
                frame_of = Frame.of(shaped(start, table.steps, table.name, self.frame, self.budget).rows())
            self.kept.put(key, frame_of)
        return frame_of

    def outcomes(self, name: str, steps: list[Mapping[str, Any]]) -> tuple[Frame, list[Outcome]]:
        """What each of some steps does to a table's rows, and the rows before them."""
        table = self.table(name)
        start = self.raw(table)
        with self._inside(table.name):
            return start, replay(start, steps, table.name, self.frame, self.budget)


class _Inside:
    """A table that is being made, so that a round is noticed."""

    def __init__(self, trail: list[str], name: str) -> None:
        self.trail, self.name = trail, name

    def __enter__(self) -> None:
        self.trail.append(self.name)

    def __exit__(self, *_: object) -> None:
        self.trail.pop()


def with_columns(table: Table, frame: Frame) -> Table:
    """The table with the columns its rows have; what was said of columns that are still there stays, computed ones do."""
    by_name = {c.name.lower(): c for c in table.columns}
    columns = []
    usual = made.ORDERED_BY.get(str(table.origin.get("kind")), {})
    for name, dtype in frame.types().items():
        old = by_name.get(name.lower())
        order = usual.get(name, "") if usual.get(name) in frame.columns else ""
        columns.append(replace(old, name=name, dtype=dtype, formula="") if old and not old.formula else Column(name, dtype, order_by=order))
    taken = {c.name.lower() for c in columns}
    computed = [c for c in table.columns if c.formula and c.name.lower() not in taken]
    have = taken | {c.name.lower() for c in computed}
    columns, computed = ([replace(c, order_by=c.order_by if c.order_by.lower() in have else "") for c in x] for x in (columns, computed))
    key = tuple(c for c in table.key if c.lower() in taken)
    calendar = table.calendar
    if table.origin.get("kind") == "calendar":
        date = calendar.date if calendar and calendar.date.lower() in taken else "date"
        calendar = Calendar(date, int(table.origin.get("year_starts_in", 1))) if date in frame.columns else None
    elif calendar and calendar.date.lower() not in taken:
        calendar = None
    return replace(table, columns=(*columns, *computed), key=key if len(key) == len(table.key) else (), calendar=calendar)
