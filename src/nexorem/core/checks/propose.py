"""Checks made of what is there: a cell, several cells, a grid, two measures, a finding; and the cell that would close a hole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nexorem.core.checks.cells import cells_of, is_number, place_text, value_text
from nexorem.core.checks.tables import key_of
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import MemberJson
from nexorem.core.model.model import Model
from nexorem.core.model.specs import ProbeSpec, spec_json
from nexorem.core.model.star import Star
from nexorem.core.results import Result
from nexorem.core.values import Cell

NEAR = 1e-9  # how far sums of fractions may be apart by the order they are summed in


@dataclass(frozen=True, slots=True)
class Move:
    """A cell whose value moves."""

    measure: str
    at: Mapping[str, MemberJson]
    before: Cell
    after: Cell

    def words(self, where: str) -> str:
        """The move as a sentence."""
        place = place_text(self.at)
        return f"In the {where}, {self.measure} of {place} would be {value_text(self.after)} in place of {value_text(self.before)}."


@dataclass(frozen=True, slots=True)
class Proposal(Result):
    """A check that might be made, as JSON that an edit takes, and what it would hold, in words."""

    words: str
    check: dict[str, Any]


def widest_move(before: Grid, after: Grid) -> Move | None:
    """The cell that moves most, by share of the larger of both values; where one side is no number, it has moved by all. None where no
    cell does. Cells that are there before come first: of them there is something to hold."""
    cells = [{key_of(c.at): c for c in cells_of(grid, len(grid.probe.measures))} for grid in (before, after)]
    widest: tuple[tuple[bool, float, float], Move] | None = None
    for key in dict.fromkeys([*cells[0], *cells[1]]):
        here = cells[0].get(key) or cells[1][key]
        for name in before.probe.measures:
            old, new = (side[key].values.get(name) if key in side else None for side in cells)
            if alike(old, new):
                continue
            rank = (is_number(old), *_moved(old, new))
            if widest is None or rank > widest[0]:
                widest = rank, Move(name, here.at, old, new)
    return widest[1] if widest else None


def first_cell(grid: Grid) -> Move | None:
    """The first cell of a grid that has a value, as one that would have none; None where no cell has."""
    for cell in cells_of(grid, len(grid.probe.measures)):
        for name in grid.probe.measures:
            if cell.values[name] is not None:
                return Move(name, cell.at, cell.values[name], None)
    return None


def alike(old: Cell, new: Cell) -> bool:
    """Whether two values are the same, but for what the order of summing does to fractions."""
    if isinstance(old, float) or isinstance(new, float):
        return old == new or (is_number(old) and is_number(new) and abs(new - old) <= NEAR * max(abs(old), abs(new)))
    return old == new and isinstance(old, bool) == isinstance(new, bool)


def _moved(old: Cell, new: Cell) -> tuple[float, float]:
    a, b = (float(x) if isinstance(x, int | float) else 0.0 for x in (old, new))
    if not (is_number(old) and is_number(new)):
        return 1.0, abs(a) + abs(b)
    return abs(b - a) / (max(abs(a), abs(b)) or 1.0), abs(b - a)


def proposal(star: Star, probe: str | ProbeSpec, words: str, move: Move) -> Proposal:
    """A check of one cell, of a probe of the model or of its own: that it stays what it is."""
    place = place_text(move.at)
    name = free_name(star.model, f"{move.measure} of {place}")
    return Proposal(words, cell_check(name, probe, move.measure, move.at, move.before))


def cell_check(name: str, probe: str | ProbeSpec, measure: str, at: Mapping[str, MemberJson], value: Cell) -> dict[str, Any]:
    """A check of one cell, as JSON: `probe` is one of the model by its name, or a spec."""
    return table_check(name, probe, [*at, measure], [[*at.values(), value]])


def table_check(name: str, probe: str | ProbeSpec, columns: Sequence[str], rows: Sequence[Sequence[Any]]) -> dict[str, Any]:
    """A check of cells, as JSON; fractions may differ by what the order of summing does to them."""
    must: dict[str, Any] = {"table": {"columns": list(columns), "rows": [list(r) for r in rows]}}
    if any(isinstance(v, float) for r in rows for v in r):
        must["tolerance"] = {"relative": NEAR}
    return {"name": name, "probe": probe if isinstance(probe, str) else spec_json(probe), "must": must}


def free_name(model: Model, wanted: str) -> str:
    """A name that no check has."""
    taken = {c.name.lower() for c in model.checks}
    wanted = " ".join(wanted.split())[:200] or "A check"
    return next(x for x in (wanted, *(f"{wanted}, {n}" for n in range(2, 100_000))) if x.lower() not in taken)
