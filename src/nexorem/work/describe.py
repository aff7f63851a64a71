"""Models, grids and links as the interface sees them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from nexorem.core.design.keys import loose_reason
from nexorem.core.design.matrix import bus_matrix
from nexorem.core.design.roles import apparent_role, role
from nexorem.core.design.suggest import PUT_ASIDE, role_name
from nexorem.core.design.truth import looked_at, unmatched_marks
from nexorem.core.design.truth.mark import Mark, Sums
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.member_order import member_ranks
from nexorem.core.engine.order import TOTAL, Axis, member_values
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Probe, read_probe, unknown_members
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.lint.finding import RankedFinding
from nexorem.core.lint.findings import findings
from nexorem.core.model.model import Link, Measure, Table
from nexorem.core.model.names import column_text, quoted, reference_text
from nexorem.core.model.specs import FolioSpec, MemberPick, PickSpec, ProbeSpec, spec_json
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import named_columns, reached_by
from nexorem.core.plan.reach import current
from nexorem.core.plan.text import print_plan
from nexorem.core.plan.tree import below, edits_of
from nexorem.core.results import as_json
from nexorem.core.values import FAULTS, Array, Vector, iso
from nexorem.gather.sources.kinds import source_words
from nexorem.store.models import Stored


def document(stored: Stored, star: Star) -> dict[str, Any]:
    """A model as the frame and its stages show it; what is found in it as a whole is told apart (`analysis`)."""
    model, whole = star.model, star.cleared is None
    return {
        "id": stored.id,
        "name": stored.name,
        "title": model.title or stored.name,
        "version": stored.version,
        "edits": stored.edits,
        "undo": stored.undo,
        "redo": stored.redo,
        "tables": [_told(table_info(star, x.name), whole) for x in model.tables],
        "links": [link_info(star, k) for k in model.links],
        "measures": measure_infos(star),
        "probes": [_probe_json(p) for p in model.probes],
        "folios": [_folio_json(x) for x in model.folios],
        "hierarchies": [spec_json(h) for h in model.hierarchies],
        "checks": [spec_json(c) for c in model.checks] if whole else [],
        "clearances": [spec_json(x) for x in model.clearances] if whole else [],
        "cleared": star.cleared,
        "places": {key: spec_json(place) for key, place in model.places.items()},
        "renamed": [spec_json(x) for x in model.renamed],
        "put_aside": [x.about for x in model.accepted if x.code == PUT_ASIDE],
    }


def _told(table: dict[str, Any], whole: bool) -> dict[str, Any]:
    """A table as somebody is told of it who may not see all rows: where they come from and their steps may name what is in others."""
    return table if whole else {**table, "origin": {}, "steps": [], "from_text": "", "load": None}


def _probe_json(probe: ProbeSpec) -> dict[str, Any]:
    """A probe with the parts that every screen asks for, empty ones too."""
    return {"rows": [], "columns": [], "measures": [], "picks": [], "totals": probe.totals, **spec_json(probe)}


def _folio_json(folio: FolioSpec) -> dict[str, Any]:
    tiles = [spec_json(t) | ({"probe": _probe_json(t.probe)} if isinstance(t.probe, ProbeSpec) else {}) for t in folio.tiles]
    return {**spec_json(folio), "tiles": tiles}


def plan_text(star: Star, probe: Probe) -> str:
    """How a probe is gone about, as `nexorem explain` prints it."""
    plan = planned(star, probe)
    return "\n".join(print_plan(star, plan.cells, plan.context(probe, [*probe.rows, *probe.columns])))


def analysis(stored: Stored, star: Star, with_findings: bool = True) -> dict[str, Any]:
    """What is found in a model as a whole: the bus matrix, the current of every table; and findings, for which places where tables stay may
    be asked, and what could be keys, for which all rows of a table may be looked at."""
    found = findings_of(star) if with_findings else []
    currents = [current(star, x.name, star.state) for x in star.model.tables]
    keys = {x.name: [" + ".join(k) for k in candidate_keys(star, x.name)] for x in star.model.tables} if with_findings else None
    return {"version": stored.version, "findings": found, "matrix": bus_matrix(star), "currents": currents, "candidate_keys": keys}


def whole(stored: Stored, star: Star) -> dict[str, Any]:
    """A model with what is found in it."""
    told, derived = document(stored, star), analysis(stored, star)
    keys = derived.pop("candidate_keys")
    return told | derived | {"tables": [{**x, "candidate_keys": keys[x["name"]]} for x in told["tables"]]}


_found: WeakKeyDictionary[Star, list[RankedFinding]] = WeakKeyDictionary()


def findings_of(star: Star) -> list[RankedFinding]:
    """The findings of a star, kept as long as it is: every screen that compares two states asks for them again."""
    ranked = _found.get(star)
    if ranked is None:
        ranked = _found[star] = findings(star)
    return ranked


def table_info(star: Star, name: str) -> dict[str, Any]:
    """A table with its role and keys."""
    table = star.model.table(name)
    assert table
    made_from = (table, role(star, table), apparent_role(star, table), star.has_unmatched(name))
    return star.part(("table", name), made_from, lambda: _table_info(star, table))


def _table_info(star: Star, table: Table) -> dict[str, Any]:
    name = table.name
    return {
        "name": table.name,
        "role": role(star, table),
        "rows": star.size(name),
        "columns": [asdict(c) for c in table.columns],
        "key": list(table.key),
        "source": table.source,
        "description": table.description,
        "calendar": table.calendar.date if table.calendar else None,
        "unmatched": star.has_unmatched(name),
        "origin": dict(table.origin),
        "steps": [dict(x) for x in table.steps],
        "formula": table.formula,
        "load": table.load,
        "from_text": _from_text(table),
        "apparent_role": apparent_role(star, table),
        "stays": table.stays,
        "grain": table.grain,
        "grain_columns": list(table.grain_columns),
        "hidden": table.hidden,
        "subject": table.subject,
    }


def _from_text(table: Table) -> str:
    """Where a table's rows come from, in a few words."""
    if table.origin:
        return source_words(dict(table.origin))
    return table.source or ("a formula" if table.formula else "the package")


def link_info(star: Star, link: Link) -> dict[str, Any]:
    """A link with what the rows say of it."""
    model = star.model
    made_from = (link, link.name in star.firm, model.links, model.tables)
    return star.part(("link", link.name), made_from, lambda: _link_info(star, link))


def _link_info(star: Star, link: Link) -> dict[str, Any]:
    facts = star.facts(link)
    data = asdict(link)
    data |= {
        "firm": link.name in star.firm,
        "why_loose": loose_reason(star, link),
        "text": link.ends_text,
        "matched": facts.matched,
        "orphans": facts.orphans,
        "empty": facts.empty,
        "role_name": role_name(star.model, link),
    }
    return data


def measure_infos(star: Star) -> list[dict[str, Any]]:
    """The measures, each with its type or what is wrong with it, and the measures it builds on."""
    binder = Binder(star)
    infos = []
    for measure in star.model.measures:
        try:
            bound = binder.measure(measure.name)
        except Refused as refused:
            nothing: dict[str, Any] = {"dtype": None, "builds_on": [], "columns": [], "switches_on": []}
            infos.append(asdict(measure) | nothing | {"broken": refused.diagnostics[0].message})
            continue
        info = star.part(("measure", measure.name), (measure, bound.body), lambda m=measure, b=bound: _measure_info(m, b))  # type: ignore[misc]
        infos.append(info)
    return infos


def _measure_info(measure: Measure, bound: t.MeasureValue) -> dict[str, Any]:
    switched = dict.fromkeys(e.link.name for e in edits_of(bound) if isinstance(e, t.Switched))
    named = {"builds_on": _builds_on(bound.body), "columns": named_columns(bound), "switches_on": list(switched)}
    return asdict(measure) | {"dtype": bound.dtype, "broken": None} | named


def _builds_on(node: t.Typed) -> list[str]:
    """The measures a formula names itself, in order."""
    names: dict[str, None] = {}

    def walk(at: t.Typed) -> None:
        if isinstance(at, t.MeasureValue):
            names[at.name] = None
            return
        for child in below(at):
            walk(child)

    walk(node)
    return list(names)


def axis_answer(star: Star, axis: Axis) -> dict[str, Any]:
    """An axis with its lines as members."""
    members = [_members(star, *at, codes) for at, codes in zip(axis.columns, axis.lines.T, strict=True)]
    lines = [[members[i][code] if code != TOTAL else {"kind": "total"} for i, code in enumerate(line)] for line in axis.lines.tolist()]
    return {"columns": [reference_text(table, column) for table, column in axis.columns], "lines": lines}


def _members(star: Star, table: str, column: str, codes: Array) -> dict[int, dict[str, Any]]:
    """By code, the members of some codes; the last code of a domain is that of unmatched rows. Costs the codes, not the domain."""
    values = member_values(star, table, column, codes)
    members_of = {c: {"kind": "empty"} if v is None else {"kind": "value", "value": v} for c, v in values.items()}
    return members_of | {star.domain(table, (column,)).size - 1: {"kind": "unmatched"}}


def _failed(vector: Vector, across: int) -> list[dict[str, Any]]:
    """The cells of a measure that failed; their values are null."""
    places = np.flatnonzero(vector.failed).tolist() if vector.failed is not None else []
    faults = [(place, FAULTS[vector.failed[place]]) for place in places] if vector.failed is not None else []
    return [{"row": p // across, "column": p % across, "error": code, "message": message} for p, (code, message) in faults]


def grid_answer(grid: Grid, budget: Budget | None = None) -> dict[str, Any]:
    """A grid with, for each measure, what does not reach it, what it overrides, and what is known of its totals."""
    star, probe = grid.star, grid.probe
    shape = len(grid.rows.lines), len(grid.columns.lines)
    measures = [_measure_answer(grid, i, marks, sums) for i, (marks, sums) in enumerate(looked_at(grid, budget))]
    return {
        "rows": axis_answer(star, grid.rows),
        "columns": axis_answer(star, grid.columns),
        "measures": measures,
        "values": [_lines(vector, *shape) for vector in grid.values],
        "cells": shape[0] * shape[1] * len(measures),
        "unmatched": as_json(unmatched_marks(grid)),
        "left_out": grid.left_out,
        "notes": unknown_members(star, probe),
        "said": list(grid.said),
        "conditions": [_condition(star, text, c) for text, c in zip(probe.conditions, grid.plan.conditions, strict=True)],
    }


def _measure_answer(grid: Grid, place: int, marks: list[Mark], sums: Sums) -> dict[str, Any]:
    star, probe = grid.star, grid.probe
    name, bound = probe.measures[place], grid.plan.measures[place]
    axes = {f"{table}.{column}": reference_text(table, column) for table, column in (*probe.rows, *probe.columns)}
    reached, saved = reached_by(star, bound), star.model.measure(name)
    return {
        "name": name,
        "dtype": bound.dtype,
        "format": saved.format if saved else "",
        "unreached": sorted(x for m in marks if m.kind == "unreached" for x in m.tables),
        "overrides": sorted(axes[x] for x in {*axes} & {*reached.overrides}),
        "scans": [asdict(x) for x in reached.scans],
        "failed": _failed(grid.values[place], len(grid.columns.lines)),
        "marks": as_json(marks),
        "sums": as_json(sums),
    }


def _lines(vector: Vector, rows: int, across: int) -> list[list[Any]]:
    """The values of a measure, line by line."""
    flat = [iso(v) for v in vector.tolist()] if vector.dtype in ("date", "datetime") else vector.tolist()
    return [flat[r * across : (r + 1) * across] for r in range(rows)]


def _condition(star: Star, text: str, condition: t.Condition) -> dict[str, Any]:
    columns = [reference_text(condition.table, x) for x in condition.columns]
    return {"where": text, "table": condition.table, "columns": columns, "words": Reader(star.model).words(condition.predicate)}


def members(star: Star, question: MembersAsk, budget: Budget) -> dict[str, Any]:
    """The members of a column with the rows they have under the other picks of a page, those that contain `search`; `(empty)` and
    `(unmatched)` among them. The rows are those of `counted`, where the column filters them, else of the column's own table."""
    table, column = star.model.find_column(question.column)
    name = f"{table}.{column}"
    grain = question.counted or table
    if star.model.table(grain) is None or table not in {f.table for f in star.inflow(grain, star.state).walk()}:
        grain = table
    page = tuple(p for p in question.picks if not (isinstance(p, MemberPick) and _same_column(star, p.column, name)))
    formula = f"rows({quoted(grain)})"
    stays = table in star.stay  # then there are the members that the page leaves, and no others are known
    spec = ProbeSpec(rows=(column_text(table, column),), measures=("\0rows",), define={"\0rows": formula}, picks=page, empty_lines=stays)
    grid = answer(star, read_probe(star, spec), budget)
    star = grid.star
    size = star.domain(table, (column,)).size
    counts = np.zeros(size, np.int64)
    row_counts = grid.values[0]
    counts[grid.rows.lines[:, 0]] = np.where(row_counts.valid, row_counts.data, 0)
    order = np.argsort(member_ranks(star, table, column))
    order = order[np.argsort(-counts[order], kind="stable")] if question.by_rows else order
    order = order if star.has_unmatched(table) else order[order != size - 1]
    if question.search.strip():
        listed = _members(star, table, column, order)
        order = order[[_fits(listed[c], question.search) for c in order.tolist()]] if order.size else order
    first = order[: question.most]
    listed = _members(star, table, column, first)
    shown = [{"member": listed[c], "rows": int(counts[c])} for c in first.tolist()]
    total = size - (not star.has_unmatched(table))
    return {"column": name, "counted": grain, "total": total, "members": shown, "more": order.size - first.size}


def _same_column(star: Star, text: str, name: str) -> bool:
    try:
        return "{}.{}".format(*star.model.find_column(text)) == name
    except Refused:
        return False


MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
ISO_DATE = re.compile(r"(\d{4})-(\d{2})-(\d{2})(?:T(\d{2}:\d{2}).*)?")


def _fits(member: Mapping[str, Any], search: str) -> bool:
    """Whether a member has the text looked for, as it is or as lists show it."""
    return any(search.strip().casefold() in text.casefold() for text in _shown_as(member))


def _shown_as(member: Mapping[str, Any]) -> list[str]:
    if member["kind"] != "value":
        return [f"({member['kind']})"]
    value = member["value"]
    if isinstance(value, bool):
        return ["yes" if value else "no", str(value)]
    match = ISO_DATE.fullmatch(value) if isinstance(value, str) else None
    if match is None:
        return [str(value)]
    year, month, day, time = match.groups()
    return [value, f"{int(day)} {MONTHS[int(month) - 1]} {year}{f' {time}' if time and time != '00:00' else ''}"]


@dataclass(frozen=True, slots=True)
class MembersAsk:
    """What is asked of a column's members: a page to count under, the table whose rows count, a text to look for, and whether those of most
    rows come first."""

    column: str
    search: str = ""
    picks: Sequence[PickSpec] = ()
    counted: str = ""
    by_rows: bool = False
    most: int = 200
