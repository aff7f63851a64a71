"""The bus matrix: facts against dimensions, how the one filters the other, and the gaps that a probe runs into."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import read_probe
from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import NO_WAY, Way, reaches
from nexorem.core.plan.tree import scans
from nexorem.core.results import Result

ROWS = ("fact", "bridge")


@dataclass(frozen=True, slots=True)
class MatrixCell(Result):
    """How a dimension filters a fact: direct (one link), through (by way of the tables `via`), loose (some link on the way is loose),
    inactive (a link of their own that is switched off), none; `path`, the links of the way, or those that are inactive; `links`, those
    between the two; `two_way`, whether the fact filters the dimension as well; `gap`, the probes that set the fact beside another one under
    this dimension, which does not reach it."""

    kind: Literal["direct", "through", "loose", "inactive", "none"]
    path: tuple[str, ...]
    links: tuple[str, ...]
    via: tuple[str, ...]
    two_way: bool = False
    gap: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Matrix(Result):
    """A row a fact (or bridge), a column every other linked table; `apart` are those that are linked to nothing. Cells that would tell
    nothing are left out."""

    facts: tuple[str, ...]
    dimensions: tuple[str, ...]
    apart: tuple[str, ...]
    cells: Mapping[str, Mapping[str, MatrixCell]]


def bus_matrix(star: Star) -> Matrix:
    """Facts against dimensions. Kept as long as links, roles and probes are what they were."""
    roles = {x.name: role(star, x) for x in star.model.tables}
    gaps = probe_gaps(star)
    return star.part(("matrix",), (star.model.links, roles, star.firm, gaps), lambda: _matrix(star, roles, gaps))


def _matrix(star: Star, roles: Mapping[str, str], gaps: Mapping[tuple[str, str], list[str]]) -> Matrix:
    facts = [n for n, r in roles.items() if r in ROWS]
    others = [n for n, r in roles.items() if r not in (*ROWS, "disconnected")]
    between: dict[frozenset[str], list[str]] = {}
    for link in star.model.links:
        between.setdefault(link.tables, []).append(link.name)
    towards = {other: reaches(star, star.state, other) for other in others}
    back = {fact: reaches(star, star.state, fact) for fact in facts}
    cells: dict[str, dict[str, MatrixCell]] = {}
    for fact in facts:
        row = {}
        for other in others:
            way = towards[other].get(fact, NO_WAY)
            cell = _cell(star, way, between.get(frozenset((other, fact)), []), other)
            two_way = bool(way.path and back[fact].get(other, NO_WAY).path)
            cell = replace(cell, two_way=two_way, gap=tuple(gaps.get((fact, other), ())))
            if cell.kind != "none" or cell.gap:
                row[other] = cell
        cells[fact] = row
    return Matrix(tuple(facts), tuple(others), tuple(n for n, r in roles.items() if r == "disconnected"), cells)


def _cell(star: Star, way: Way, between: Sequence[str], source: str) -> MatrixCell:
    if way.path:
        loose = any(k not in star.firm for k in way.path)
        kind: Literal["loose", "direct", "through"] = "loose" if loose else "direct" if len(way.path) == 1 else "through"
        return MatrixCell(kind, way.path, tuple(between), tuple(_via(star.model, way.path, source)))
    return MatrixCell("inactive" if between else "none", way.chain if between else (), tuple(between), ())


def _via(model: Model, path: Sequence[str], at: str) -> Iterator[str]:
    """The tables between the two ends of a path."""
    for name in path[:-1]:
        link = model.link(name)
        assert link
        at = link.other(at)
        yield at


def bound_probe(star: Star, spec: ProbeSpec) -> tuple[tuple[t.MeasureValue, ...], set[str]]:
    """A stored probe's measures, bound, and the tables that its axes, picks and conditions filter; refuses what cannot be asked."""
    probe = read_probe(star, spec)
    plan = planned(star, probe)
    filtered = {table for table, _ in (*probe.rows, *probe.columns)} | {p.table for p in probe.picks}
    return plan.measures, filtered | {c.table for c in plan.conditions}


def probe_gaps(star: Star) -> dict[tuple[str, str], list[str]]:
    """By fact and dimension, the probes whose axes or picks name the dimension, which reaches some fact that they show and not this one."""
    gaps: dict[tuple[str, str], list[str]] = {}
    for spec in star.model.probes:
        try:
            bound, filtered = bound_probe(star, spec)
        except Refused:
            continue
        reached: dict[str, set[str]] = {}
        calendars = {x.name for x in star.model.tables if x.calendar}
        for scan in (s for m in bound for s in scans(m) if s.grain not in calendars):
            reached.setdefault(scan.grain, set()).update(f.table for f in star.inflow(scan.grain, scan.state).walk())
        for dimension in filtered:
            have = [fact for fact, tables in reached.items() if dimension in tables]
            for fact in (f for f in reached if have and f not in have):
                gaps.setdefault((fact, dimension), []).append(spec.name)
    return gaps
