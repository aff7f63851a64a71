"""The same probe on two states of a model: the cells that moved."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TypeVar

from nexorem.core.checks.cells import cells_of, is_number, place_text, value_text
from nexorem.core.checks.outcome import Failure
from nexorem.core.checks.tables import key_of
from nexorem.core.engine.grid import answer
from nexorem.core.engine.order import MemberJson
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.former import back_to, presented
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.model import Model
from nexorem.core.model.specs import ProbeSpec, read_spec, spec_json
from nexorem.core.model.star import Star
from nexorem.core.values import Cell

Coordinates = Mapping[str, MemberJson]
Placed = dict[str, tuple[Coordinates, Mapping[str, Cell]]]
S = TypeVar("S", ProbeSpec, CheckSpec)
NOTHING: dict[str, Cell] = {}


def cells_moved(then: Star, now: Star, spec: ProbeSpec, where: str, budget: Budget) -> tuple[int, Iterator[Failure]]:
    """How many cells of a probe have a value in either state, and those that are not the same, line by line of the present one, then what
    it no longer has. `where` names the other state, for sentences. Things may have had other names then."""
    former = named_then(then.model, now.model, spec)
    after = _cells(now, spec, spec, budget, now)
    before = _cells(then, former, spec, budget, now)

    def moved() -> Iterator[Failure]:
        for key in dict.fromkeys([*after, *before]):
            at = (after.get(key) or before[key])[0]
            old, new = (side[key][1] if key in side else NOTHING for side in (before, after))
            for name in (n for n in spec.measures if old.get(n) != new.get(n)):
                yield _failure(at, name, old.get(name), new.get(name), where)

    return len(before.keys() | after.keys()) * len(spec.measures), moved()


def named_then(then: Model, now: Model, spec: S) -> S:
    """A probe or a check with the names that things had in an earlier state of the model."""
    since = [x for x in now.renamed if x not in then.renamed]
    return read_spec(type(spec), presented(back_to(then, since), spec_json(spec))) if since else spec


def names_then(then: Model, now: Model, spec: ProbeSpec) -> dict[str, str]:
    """What the measures and the axes' columns of a probe were called in an earlier state, by their present names in small letters."""
    former = named_then(then, now, spec)
    present, past = ((*x.measures, *x.rows, *x.columns) for x in (spec, former))
    return {name.lower(): was for name, was in zip(present, past, strict=True)}


def _cells(star: Star, spec: ProbeSpec, present: ProbeSpec, budget: Budget, now: Star) -> Placed:
    """The cells of a probe by what tells them apart, under the present names of its columns and measures."""
    grid = answer(star, read_probe(star, spec), budget)
    own = [f"{table}.{column}" for table, column in (*grid.probe.rows, *grid.probe.columns)]
    columns = dict(zip(own, (".".join(now.model.find_column(x)) for x in (*present.rows, *present.columns)), strict=True))
    names = dict(zip(grid.probe.measures, present.measures, strict=True))
    cells: Placed = {}
    for cell in cells_of(grid, len(spec.measures)):
        at = {columns[name]: member for name, member in cell.at.items()}
        cells[key_of(at)] = at, {names[name]: value for name, value in cell.values.items()}
    return cells


def _failure(at: Coordinates, name: str, old: Cell, new: Cell, where: str) -> Failure:
    place = place_text(at)
    off = float(new - old) if is_number(old) and is_number(new) else None
    said = f"{place}: {name} is {value_text(new)}; in {where} it was {value_text(old)}."
    return Failure("differs", said, name, at, {name: new}, None if isinstance(old, dict) else old, off)
