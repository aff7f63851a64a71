"""A grid held against what SQL gives for the same probe, cell by cell."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any

from nexorem.core.checks.cells import is_number, place_text, value_text
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import UNMATCHED as UNMATCHED_JSON
from nexorem.core.engine.order import MemberJson
from nexorem.core.results import Result
from nexorem.core.values import Cell, iso
from nexorem.core.words import counted, verb
from nexorem.sql.tree import EMPTY, TOTAL, UNMATCHED

MOST_TOLD = 20
NEAR = 1e-9  # by how much sums of doubles may part, for the sake of their order
CANCELLED = 1e-13  # of the largest: what is left of sums whose parts cancel each other out

Line = tuple[Any, ...]
Place = tuple[tuple[str, MemberJson], ...]


@dataclass(frozen=True, slots=True)
class Difference(Result):
    """A cell that SQL has otherwise; None is empty. Where only one side has the cell, `missing` says which does not: `ours` or `theirs`."""

    at: Mapping[str, MemberJson]
    measure: str
    ours: Cell
    theirs: Cell
    sentence: str
    missing: str = ""


@dataclass(frozen=True, slots=True)
class Proof(Result):
    """What came of it: `proven`, `differs` or `cannot`. Of `cells` so many are `equal` and `different`; those that cannot be compared are
    `aside`, for `reasons`. `by` is the engine and its version."""

    state: str
    sentence: str
    cells: int
    equal: int
    different: int
    aside: int
    reasons: tuple[str, ...] = ()
    differences: tuple[Difference, ...] = ()
    milliseconds: float = 0.0
    by: str = ""


@dataclass(frozen=True, slots=True)
class Answer:
    """What a database gave: for each measure the value at each place, a measure that failed as a whole with why; the seconds it took, and
    what it was."""

    values: Mapping[str, Mapping[Place, Cell]]
    failed: Mapping[str, str]
    seconds: float
    by: str = ""


@dataclass(frozen=True, slots=True)
class ValueBeside(Result):
    """A measure in a cell, here and there; `same` is None where it cannot be compared."""

    measure: str
    ours: Cell
    theirs: Cell
    same: bool | None


@dataclass(frozen=True, slots=True)
class LineBeside(Result):
    """The measures of a cell, here and there."""

    at: Mapping[str, MemberJson]
    values: tuple[ValueBeside, ...]


def beside(grid: Grid, answer: Answer, most: int) -> list[LineBeside]:
    """The first cells of a grid, each measure here and there."""
    return _beside(grid.probe.measures, islice(_cells(grid), most), answer)


def _beside(measures: Sequence[str], here: Iterable[tuple[dict[str, MemberJson], list[Cell]]], answer: Answer) -> list[LineBeside]:
    lines = []
    for at, values in here:
        place = _key(tuple(at.items()))
        told = []
        for name, ours in zip(measures, values, strict=True):
            known = name not in answer.failed and not isinstance(ours, dict)
            theirs = answer.values.get(name, {}).get(place)
            told.append(ValueBeside(name, ours, theirs, same_value(ours, theirs, _widest(answer, name)) if known else None))
        lines.append(LineBeside(at, tuple(told)))
    return lines


def _widest(answer: Answer, name: str) -> float:
    return max((abs(x) for x in answer.values.get(name, {}).values() if is_number(x)), default=0.0)


def member(kind: int, value: Any) -> MemberJson:
    """A member as JSON."""
    return None if kind == EMPTY else UNMATCHED_JSON if kind == UNMATCHED else iso(value)


def place_of(names: Sequence[str], line: Line) -> Place:
    """Where a line of an answer stands, totals left out."""
    return tuple((n, member(line[2 * i], line[2 * i + 1])) for i, n in enumerate(names) if line[2 * i] != TOTAL)


def values_by_place(names: Sequence[str], measures: Sequence[str], lines: Sequence[Line]) -> dict[str, dict[Place, Cell]]:
    """The values of an answer's lines by measure, by place."""
    places = [_key(place_of(names, line)) for line in lines]
    return {m: {p: iso(line[2 * len(names) + i]) for p, line in zip(places, lines, strict=True)} for i, m in enumerate(measures)}


def values_by_grid(grid: Grid) -> dict[str, dict[Place, Cell]]:
    """The values of a grid by measure, by place."""
    values: dict[str, dict[Place, Cell]] = {m: {} for m in grid.probe.measures}
    for at, cells in _cells(grid):
        for name, value in zip(grid.probe.measures, cells, strict=True):
            values[name][_key(tuple(at.items()))] = value
    return values


def tidy_lines(names: Sequence[str], measures: Sequence[str], lines: Sequence[Line]) -> Iterator[dict[str, Any]]:
    """An answer's lines as tidy cells: one object each, the unmatched member by its word."""
    for line in lines:
        at = {n: "(unmatched)" if isinstance(m, dict) else m for n, m in place_of(names, line)}
        yield {**at, **{m: iso(v) for m, v in zip(measures, line[2 * len(names) :], strict=True)}}


def _key(place: Place) -> Place:
    """A place as what is found by it: an unmatched member is a text that no value is."""
    return tuple((n, UNMATCHED_KEY if isinstance(m, dict) else m) for n, m in place)


UNMATCHED_KEY = "\0unmatched"


def _cells(grid: Grid) -> Iterator[tuple[dict[str, MemberJson], list[Cell]]]:
    down, across = grid.rows.named(grid.star, UNMATCHED_JSON), grid.columns.named(grid.star, UNMATCHED_JSON)
    columns = [v.as_json() for v in grid.values]
    for r, row in enumerate(down):
        for c, column in enumerate(across):
            yield {**row, **column}, [v[r * len(across) + c] for v in columns]


def compared(grid: Grid, answer: Answer, where: str) -> Proof:
    """What of a grid a database has the same. Cost: the cells."""
    return _compared(grid.probe.measures, _cells(grid), answer, where)


def compared_cell(at: Mapping[str, MemberJson], values: Mapping[str, Cell], answer: Answer, where: str) -> tuple[Proof, list[LineBeside]]:
    """The same of one cell, each measure of which has a value; with these here and there."""
    cells = [(dict(at), list(values.values()))]
    return _compared(list(values), iter(cells), answer, where), _beside(list(values), cells, answer)


def _compared(measures: Sequence[str], here: Iterator[tuple[dict[str, MemberJson], list[Cell]]], answer: Answer, where: str) -> Proof:
    widest = {m: _widest(answer, m) for m in measures}
    equal, aside, reasons = 0, 0, dict.fromkeys(f"{m}: {why}" for m, why in answer.failed.items())
    differences: list[Difference] = []
    met: set[Place] = set()
    cells = 0
    for at, values in here:
        place = _key(tuple(at.items()))
        met.add(place)
        for name, ours in zip(measures, values, strict=True):
            cells += 1
            if name in answer.failed:
                aside += 1
                continue
            if isinstance(ours, dict):
                aside += 1
                reasons[f"{name}: {ours.get('error')} in a cell, which SQL has no value for"] = None
                continue
            if place not in answer.values[name]:
                differences.append(_difference(at, name, ours, None, "theirs", where))
            elif same_value(ours, theirs := answer.values[name][place], widest[name]):
                equal += 1
            else:
                differences.append(_difference(at, name, ours, theirs, "", where))
    for name, values_ in answer.values.items():
        for place in values_.keys() - met:
            cells += 1
            at = {n: UNMATCHED_JSON if m == UNMATCHED_KEY else m for n, m in place}
            differences.append(_difference(at, name, None, values_[place], "ours", where))
    state = "differs" if differences else "proven" if equal or not cells or not aside else "cannot"
    sentence = _sentence(state, cells, equal, len(differences), aside, where, list(reasons))
    told = tuple(differences[:MOST_TOLD])
    return Proof(state, sentence, cells, equal, len(differences), aside, tuple(reasons), told, round(answer.seconds * 1000, 1), answer.by)


def same_value(a: Cell, b: Cell, widest: float = 0.0) -> bool:
    """Equal; where one is no whole number to nine digits, or, where parts cancel each other out, to what doubles leave of the largest
    number of the measure."""
    if not is_number(a) or not is_number(b):
        return type(a) is type(b) and a == b
    exact = isinstance(a, int) and isinstance(b, int)
    return a == b or (not exact and math.isclose(a, b, rel_tol=NEAR, abs_tol=max(NEAR, CANCELLED * widest)))


def _difference(at: Mapping[str, MemberJson], name: str, ours: Cell, theirs: Cell, missing: str, where: str) -> Difference:
    place = place_text(at)
    if missing == "theirs":
        sentence = f"{where} has no cell at {place}."
    elif missing == "ours":
        sentence = f"{where} has a cell at {place} that the grid does not have."
    else:
        sentence = f"{name} at {place} is {value_text(ours)}; {where} has {value_text(theirs)}."
    return Difference(at, name, ours, theirs, sentence, missing)


def _sentence(state: str, cells: int, equal: int, different: int, aside: int, where: str, reasons: Sequence[str]) -> str:
    rest = f" {counted(aside, 'cell')} could not be compared ({reasons[0]})." if aside else ""
    if state == "cannot":
        return f"No cell could be compared: {reasons[0]}." if reasons else "No cell could be compared."
    if state == "differs":
        return f"{counted(different, 'cell')} of {cells:,} {verb(different, 'differs', 'differ')} in {where}.{rest}"
    if not cells:
        return f"The grid has no cell, and neither has {where}."
    return f"{where} has the same in {'its one cell' if equal == 1 else f'all {equal:,} cells'}.{rest}"


def cannot(reason: str) -> Proof:
    """A proof that could not be tried."""
    return Proof("cannot", reason, 0, 0, 0, 0, (reason,))
