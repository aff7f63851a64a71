"""Models, grids and links as the interface sees them."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import CellError, Refused
from nexorem.core.engine.grid import TOTAL, Axis, Grid
from nexorem.core.engine.profile import candidate_keys
from nexorem.core.engine.reach import bus_matrix, current, edits_of, named_columns, parts, reach, reached_by, role
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.lint.findings import findings, orphan_examples
from nexorem.core.model.check import check_link_types, check_model, check_paths
from nexorem.core.model.model import Link, Table, link_from_json, link_json
from nexorem.core.model.star import Star
from nexorem.core.values import iso
from nexorem.gather.sources.kinds import source_words
from nexorem.store.models import Stored


def document(stored: Stored, star: Star) -> dict[str, Any]:
    """A model with everything that the frame and its stages show of it."""
    model = star.model
    return {
        "id": stored.id, "name": stored.name, "title": model.title or stored.name, "version": stored.version, "edits": stored.edits,
        "undo": stored.undo, "redo": stored.redo,
        "tables": [table_info(star, x.name) for x in model.tables],
        "links": [link_info(star, k) for k in model.links],
        "measures": measure_infos(star),
        "probes": [dict(p) for p in model.probes],
        "hierarchies": [dict(h) for h in model.hierarchies],
        "places": dict(model.places),
        "findings": findings(star),
        "matrix": bus_matrix(star),
        "currents": [current(star, x.name, star.state) for x in model.tables],
    }  # fmt: skip


def table_info(star: Star, name: str) -> dict[str, Any]:
    """A table with its role and keys."""
    table = star.model.table(name)
    assert table
    return {
        "name": table.name, "role": role(star, table), "rows": star.size(name), "columns": [asdict(c) for c in table.columns],
        "candidate_keys": candidate_keys(star, name), "key": list(table.key), "source": table.source, "description": table.description,
        "calendar": table.calendar.date if table.calendar else None, "unmatched": star.has_unmatched(name),
        "origin": dict(table.origin), "steps": [dict(x) for x in table.steps], "formula": table.formula, "load": table.load,
        "from_text": _from_text(table),
    }  # fmt: skip


def _from_text(table: Table) -> str:
    """Where a table's rows come from, in a few words."""
    if table.origin:
        return source_words(dict(table.origin))
    return table.source or ("a formula" if table.formula else "the package")


def link_info(star: Star, link: Link) -> dict[str, Any]:
    """A link with what the rows say of it."""
    facts = star.facts(link)
    data = asdict(link)
    data |= {
        "firm": link.name in star.firm,
        "text": link.ends_text,
        "matched": facts.matched,
        "orphans": facts.orphans,
        "empty": facts.empty,
    }
    return data


def measure_infos(star: Star) -> list[dict[str, Any]]:
    """The measures, each with its type or what is wrong with it, and the measures it builds on."""
    binder = Binder(star)
    told = []
    for measure in star.model.measures:
        data = asdict(measure) | {"dtype": None, "broken": None, "builds_on": [], "columns": [], "switches_on": []}
        try:
            bound = binder.measure(measure.name)
            switched = dict.fromkeys(e.link.name for e in edits_of(bound) if isinstance(e, t.Switched))
            data |= {
                "dtype": bound.dtype,
                "builds_on": _builds_on(bound.body),
                "columns": named_columns(bound),
                "switches_on": list(switched),
            }
        except Refused as refused:
            data["broken"] = refused.diagnostics[0].message
        told.append(data)
    return told


def _builds_on(node: t.Typed) -> list[str]:
    """The measures a formula names itself, in order."""
    found: dict[str, None] = {}

    def walk(at: t.Typed) -> None:
        if isinstance(at, t.MeasureValue):
            found[at.name] = None
            return
        for child in parts(at):
            walk(child)

    walk(node)
    return list(found)


def axis_answer(star: Star, axis: Axis) -> dict[str, Any]:
    """An axis with its lines as members."""
    members = [_members(star, table, column) for table, column in axis.columns]
    lines = [[members[i][code] if code != TOTAL else {"kind": "total"} for i, code in enumerate(line)] for line in axis.lines.tolist()]
    return {"columns": [f"{table}.{column}" for table, column in axis.columns], "lines": lines}


def _members(star: Star, table: str, column: str) -> list[dict[str, Any]]:
    values = star.column(table, column).take(star.domain(table, (column,)).firsts[:-1]).tolist()
    return [*({"kind": "empty"} if v is None else {"kind": "value", "value": iso(v)} for v in values), {"kind": "unmatched"}]


def grid_answer(grid: Grid) -> dict[str, Any]:
    """A grid with, for each measure, what does not reach it and what it overrides."""
    star, probe = grid.star, grid.probe
    asked = {table for table, _ in (*probe.rows, *probe.columns)} | {p.table for p in probe.picks}
    axes = {f"{table}.{column}" for table, column in (*probe.rows, *probe.columns)}
    binder = Binder(star, probe.define)
    asked |= {binder.page_condition(text).table for text in probe.conditions}
    shape = len(grid.rows.lines), len(grid.columns.lines)
    measures, values = [], []
    for name, dtype, found in zip(probe.measures, grid.dtypes, grid.values, strict=True):
        reached = reached_by(star, binder.measure(name))
        known = star.model.measure(name)
        error = found.code if isinstance(found, CellError) else None
        measures.append({
            "name": name, "dtype": dtype, "format": known.format if known else "", "unreached": sorted(asked - set(reached["tables"])),
            "overrides": sorted(axes & set(reached["overrides"])), "scans": reached["scans"], "error": error,
        })  # fmt: skip
        flat = [None] * (shape[0] * shape[1]) if isinstance(found, CellError) else [iso(v) for v in found.tolist()]
        values.append([flat[r * shape[1] : (r + 1) * shape[1]] for r in range(shape[0])])
    return {
        "rows": axis_answer(star, grid.rows),
        "columns": axis_answer(star, grid.columns),
        "measures": measures,
        "values": values,
        "cells": shape[0] * shape[1] * len(measures),
    }


def link_preview(star: Star, asked: dict[str, Any]) -> dict[str, Any]:
    """What a link would be and do: its keys, the cardinality the data prove, who is newly filtered, what forbids it."""
    others = star.model.links
    link = link_from_json(star.model, asked)
    wrong = check_link_types(star.model, link)
    if wrong:
        raise Refused(wrong)
    if "cardinality" not in asked:
        link = _proven(star, link)
    link = replace(link, name=_free_name(str(asked.get("name") or link.ends_text), others))
    edited = star.with_model(replace(star.model, links=(*others, link)))
    if "active" not in asked and check_paths(edited.model):
        # A second path is refused; what can be offered is the same link, switched off.
        link = replace(link, active=False)
        edited = star.with_model(replace(star.model, links=(*others, link)))
    facts = edited.facts(link)
    examples, nearly = orphan_examples(edited, link)
    errors = check_model(edited)
    now, then = _pairs(star), _pairs(edited) if not errors else _pairs(star)
    return {
        "cardinality": link.cardinality, "firm": link.name in edited.firm, "matched": facts.matched, "orphans": facts.orphans,
        "empty": facts.empty, "rows": star.size(link.from_table), "examples": examples, "nearly": nearly, "text": link.ends_text,
        "newly": [f"{a} filters {b}" for a, b in sorted(then - now)], "no_longer": [f"{a} filters {b}" for a, b in sorted(now - then)],
        "errors": [d.as_json() for d in errors], "link": link_json(link),
    }  # fmt: skip


def _free_name(name: str, others: tuple[Link, ...]) -> str:
    taken = {k.name.lower() for k in others}
    return next(x for x in (name, *(f"{name} ({n})" for n in range(2, 99))) if x.lower() not in taken)


def _proven(star: Star, link: Link) -> Link:
    """The link the right way round, with the cardinality that the rows prove."""
    facts = star.facts(link)
    if not facts.repeated:
        return replace(link, cardinality="many-to-one")
    if not facts.from_repeated:
        return replace(
            link,
            cardinality="many-to-one",
            from_table=link.to_table,
            from_columns=link.to_columns,
            to_table=link.from_table,
            to_columns=link.from_columns,
        )
    return replace(link, cardinality="many-to-many")


def _pairs(star: Star) -> set[tuple[str, str]]:
    names = [x.name for x in star.model.tables]
    return {(a, b) for a in names for b in names if a != b and "path" in reach(star, star.state, a, b)}


def members(star: Star, column_text: str, search: str, most: int = 200) -> dict[str, Any]:
    """The members of a column with their rows, those that contain `search`."""
    table, column = star.model.find_column(column_text)
    domain = star.domain(table, (column,))
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)
    listed = _members(star, table, column)
    found = [
        {"member": m, "rows": int(counts[i])}
        for i, m in enumerate(listed[:-1])
        if search.casefold() in str(m.get("value", "(empty)")).casefold()
    ]
    if star.has_unmatched(table) and search.casefold() in "(unmatched)":
        found.append({"member": listed[-1], "rows": 0})
    return {"column": f"{table}.{column}", "members": found[:most], "total": len(listed) - 1, "more": max(len(found) - most, 0)}
