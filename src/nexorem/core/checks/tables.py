"""Cells held against a table that lists what they should be."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from nexorem.core.checks.cells import CheckedCell, cells_of, is_number, place_text, value_text
from nexorem.core.checks.outcome import Failure
from nexorem.core.diagnostics import Diagnostic, Refused, near_hint
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.order import UNMATCHED, MemberJson
from nexorem.core.engine.probe import read_probe, read_value
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import ListedTable, ListMust, Tolerance
from nexorem.core.model.specs import Member, ProbeSpec, Unmatched
from nexorem.core.model.star import Star
from nexorem.core.values import Cell, Json, iso

MOST_TOLD = 20


@dataclass(frozen=True, slots=True)
class ListedLine:
    """One line of a listed table: coordinates by `Table.column`, and what each listed measure should be."""

    at: Mapping[str, MemberJson]
    expected: Mapping[str, Json]

    @property
    def key(self) -> str:
        """What tells lines apart."""
        return key_of(self.at)


def key_of(at: Mapping[str, MemberJson]) -> str:
    """The same text for the same coordinates, in whatever order."""
    return json.dumps(sorted(at.items(), key=lambda x: x[0]))


def listed_apart(
    star: Star, spec: ProbeSpec, table: ListedTable, must: ListMust, budget: Budget, texts: bool = False
) -> tuple[int, Iterator[Failure]]:
    """How many cells are listed, and those that are not what they should be. The probe is asked by the listed columns of its axes, so that
    over the others the cells are totals. With `texts` every value is written as text, as in a file."""
    probe, measures = listing(star, spec, table)
    grid = answer(star, read_probe(star, probe), budget)
    lines = _lines(star, grid, table, measures, texts)
    cells = {key_of(c.at): c for c in cells_of(grid, len(measures))}
    listed = {line.key for line in lines}
    surplus = [c for key, c in cells.items() if key not in listed] if must.whole else []
    tested = len(lines) * len(measures) + len(surplus)
    return tested, _differing(lines, measures, cells, surplus, must.tolerance)


def listing(star: Star, spec: ProbeSpec, table: ListedTable) -> tuple[ProbeSpec, list[str]]:
    """The probe by the listed columns alone, with the listed measures first, and these; refuses columns that are neither. Its lines are
    kept by its conditions and its top where all columns of its rows are listed."""
    names = {f"{a}.{b}".lower(): f"{a}.{b}" for a, b in (star.model.find_column(x) for x in (*spec.rows, *spec.columns))}
    known = {m.lower(): m for m in spec.measures}
    wrong, listed, measures = [], set[str](), []
    for text in table.columns:
        low = text.lower()
        if low in known and known[low] not in measures:
            measures.append(known[low])
            continue
        try:
            name = ".".join(star.model.find_column(text))
        except Refused:
            name = ""
        if name.lower() not in names or name in listed:
            hint = near_hint(text, [*known.values(), *names.values()])
            wrong.append(
                Diagnostic("bad_check", f"{text} is neither a measure nor on an axis of the probe.", place="must.table", hint=hint)
            )
        listed.add(name)
    if not measures and not wrong:
        wrong.append(Diagnostic("bad_check", "The table lists no measure.", place="must.table", hint="Name one of the probe's."))
    if wrong:
        raise Refused(wrong)
    rows, columns = (tuple(x for x in axis if ".".join(star.model.find_column(x)) in listed) for axis in (spec.rows, spec.columns))
    rest = tuple(m for m in spec.measures if m not in measures)
    asked = spec if rows == spec.rows else replace(spec, top=None, having=())
    return replace(asked, rows=rows, columns=columns, measures=(*measures, *rest), totals="none", sort=()), measures


def _lines(star: Star, grid: Grid, table: ListedTable, measures: Sequence[str], texts: bool) -> list[ListedLine]:
    """The listed lines, read by the types of their columns; refuses with all that cannot be read, and lines that are listed twice."""
    dtypes = dict(zip(grid.probe.measures, grid.dtypes, strict=True))
    wrong: list[Diagnostic] = []
    lines: list[ListedLine] = []
    for number, row in enumerate(table.rows, 1):
        if len(row) != len(table.columns):
            said = f"Line {number:,} has {len(row)} values for {len(table.columns)} columns."
            wrong.append(Diagnostic("bad_check", said, place="must.table", hint="Write a value for each."))
            continue
        at: dict[str, MemberJson] = {}
        expected: dict[str, Json] = {}
        for text, value in zip(table.columns, row, strict=True):
            measure = next((m for m in measures if m.lower() == text.lower()), None)
            try:
                if measure is not None:
                    expected[measure] = _read(dtypes[measure], value, measure, texts)
                else:
                    name = star.model.find_column(text)
                    dtype = star.model.dtype(*name)
                    at[".".join(name)] = UNMATCHED if isinstance(value, Unmatched) else _read(dtype, value, text, texts)
            except Refused as refused:
                wrong += [replace(d, message=f"Line {number:,}: {d.message}", place="must.table") for d in refused.diagnostics]
        lines.append(ListedLine(at, expected))
    keys = Counter(line.key for line in lines)
    twice = next((line for line in lines if keys[line.key] > 1), None)
    if twice is not None and not wrong:
        where = place_text(twice.at)
        wrong.append(Diagnostic("bad_check", f"The line {where} is listed twice.", place="must.table", hint="Leave one of them out."))
    if wrong:
        raise Refused(wrong[:MOST_TOLD])
    return lines


def _read(dtype: str, value: Member, what: str, texts: bool) -> Json:
    assert not isinstance(value, Unmatched)
    if value is None or (texts and value == ""):
        return None
    if not texts and dtype in ("integer", "number") and is_number(value):
        return value
    return iso(read_value("text" if dtype == "null" else dtype, value, what))


def _differing(
    lines: Sequence[ListedLine],
    measures: Sequence[str],
    cells: Mapping[str, CheckedCell],
    surplus: Sequence[CheckedCell],
    within: Tolerance,
) -> Iterator[Failure]:
    for line in lines:
        cell = cells.get(line.key)
        where = place_text(line.at)
        for measure in measures:
            expected, value = line.expected[measure], cell.values[measure] if cell else None
            if isinstance(value, dict):
                yield Failure(
                    "error", f"{where}: {measure} cannot be computed: {value['error']}.", measure, line.at, {measure: value}, expected
                )
            elif value is None and expected is not None:
                yield Failure(
                    "missing",
                    f"{where}: {measure} is empty; {value_text(expected)} is listed.",
                    measure,
                    line.at,
                    {measure: None},
                    expected,
                )
            elif not is_within(value, expected, within):
                off = float(value - expected) if is_number(value) and is_number(expected) else None
                listed = "nothing" if expected is None else value_text(expected)
                said = f"{where}: {measure} is {value_text(value)}; {listed} is listed."
                yield Failure("differs", said, measure, line.at, {measure: value}, expected, off)
    for cell in surplus:
        yield Failure("surplus", f"{cell.words()}: this line is not listed.", at=cell.at, values=cell.values)


def is_within(value: Cell, expected: Json, within: Tolerance) -> bool:
    """Whether a value is what it should be: numbers as near as they may be off, everything else equal."""
    if not (is_number(value) and is_number(expected)):
        return value == expected and isinstance(value, bool) == isinstance(expected, bool)
    return abs(value - expected) <= max(within.absolute, within.relative * abs(expected))
