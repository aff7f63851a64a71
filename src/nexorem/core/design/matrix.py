"""The bus matrix: facts against dimensions, how the one filters the other, and the gaps that a probe runs into."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nexorem.core.design.roles import role
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import read_probe
from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import reaches
from nexorem.core.plan.tree import scans

ROWS = ("fact", "bridge")


def bus_matrix(star: Star) -> dict[str, Any]:
    """A row a fact (or bridge), a column every other linked table; `apart` are those that are linked to nothing.

    A cell has a `kind`: direct (one link), through (by way of the tables `via`), loose (some link on the way is loose), inactive (a link
    of their own that is switched off), none; `path`, the links of the way, or those that are inactive; `links`, those between
    the two; `two_way`, whether the fact filters the dimension as well; `gap`, the probes that set the fact beside another one under this
    dimension, which does not reach it. A cell that would tell nothing is left out.
    """
    roles = {x.name: role(star, x) for x in star.model.tables}
    gaps = probe_gaps(star)
    return star.part(("matrix",), (star.model.links, roles, star.firm, gaps), lambda: _matrix(star, roles, gaps))


def _matrix(star: Star, roles: Mapping[str, str], gaps: Mapping[tuple[str, str], list[str]]) -> dict[str, Any]:
    facts = [n for n, r in roles.items() if r in ROWS]
    others = [n for n, r in roles.items() if r not in (*ROWS, "disconnected")]
    between: dict[frozenset[str], list[str]] = {}
    for link in star.model.links:
        between.setdefault(link.tables, []).append(link.name)
    towards = {other: reaches(star, star.state, other) for other in others}
    back = {fact: reaches(star, star.state, fact) for fact in facts}
    cells: dict[str, dict[str, Any]] = {}
    for fact in facts:
        row = {}
        for other in others:
            found = towards[other].get(fact, {})
            cell = _cell(star, found, between.get(frozenset((other, fact)), []), other)
            cell["two_way"] = "path" in found and "path" in back[fact].get(other, {})
            cell["gap"] = gaps.get((fact, other), [])
            if cell["kind"] != "none" or cell["gap"]:
                row[other] = cell
        cells[fact] = row
    return {"facts": facts, "dimensions": others, "apart": [n for n, r in roles.items() if r == "disconnected"], "cells": cells}


def _cell(star: Star, found: dict[str, Any], between: list[str], source: str) -> dict[str, Any]:
    if path := found.get("path"):
        kind = "loose" if any(k not in star.firm for k in path) else "direct" if len(path) == 1 else "through"
        return {"kind": kind, "path": path, "links": between, "via": _via(star.model, path, source)}
    return {"kind": "inactive" if between else "none", "path": found.get("blocked", []) if between else [], "links": between, "via": []}


def _via(model: Model, path: list[str], at: str) -> list[str]:
    """The tables between the two ends of a path."""
    found = []
    for name in path[:-1]:
        link = model.link(name)
        assert link
        at = link.other(at)
        found.append(at)
    return found


def bound_probe(star: Star, spec: ProbeSpec) -> tuple[tuple[t.MeasureValue, ...], set[str]]:
    """A stored probe's measures, bound, and the tables that its axes, picks and conditions filter; refuses what cannot be asked."""
    probe = read_probe(star, spec)
    plan = planned(star, probe)
    filtered = {table for table, _ in (*probe.rows, *probe.columns)} | {p.table for p in probe.picks}
    return plan.measures, filtered | {c.table for c in plan.conditions}


def probe_gaps(star: Star) -> dict[tuple[str, str], list[str]]:
    """By fact and dimension, the probes whose axes or picks name the dimension, which reaches some fact that they show and not this one."""
    found: dict[tuple[str, str], list[str]] = {}
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
                found.setdefault((fact, dimension), []).append(spec.name)
    return found
