"""What a load changes before it replaces anything: columns, rows, keys, links, measures, probes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.core.engine.beside import grids_beside
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_keys, check_model, check_shape
from nexorem.core.model.model import Model, Table
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.values import iso
from nexorem.gather.frame import Frame

MOST_PROBES = 30


def columns_changed(old: Mapping[str, str], new: Mapping[str, str]) -> dict[str, Any]:
    """Columns that are gone, new, or of another type, by their types before and now."""
    return {
        "gone": [c for c in old if c not in new],
        "new": [{"name": c, "type": t} for c, t in new.items() if c not in old],
        "retyped": [{"name": c, "from": old[c], "to": t} for c, t in new.items() if c in old and old[c] != t],
    }


def repeated_keys(frame: Frame, key: Sequence[str]) -> int:
    """Rows whose key stands on another row as well, or is empty in part."""
    from nexorem.gather.frame import groups_of

    if not key or any(c not in frame.columns for c in key) or frame.size == 0:
        return 0
    groups, _ = groups_of(frame, key)
    full = np.logical_and.reduce([frame.columns[c].valid for c in key])
    counts = np.bincount(groups[full], minlength=int(groups.max()) + 1)
    return int((counts[groups[full]] > 1).sum() + (~full).sum())


def links_changed(before: Star, after: Star, tables: Sequence[str]) -> list[dict[str, Any]]:
    """Links of these tables, with rows that match and rows without partner, before and now."""
    changes = []
    for link in after.model.links:
        if not set(tables) & link.tables or before.model.link(link.name) is None:
            continue
        old, new = before.facts(link), after.facts(link)
        changes.append(
            {
                "link": link.name,
                "matched": [old.matched, new.matched],
                "orphans": [old.orphans, new.orphans],
                "empty": [old.empty, new.empty],
                "firm": [link.name in before.firm, link.name in after.firm],
            }
        )
    return [x for x in changes if any(v[0] != v[1] for k, v in x.items() if k != "link")]


def totals(star: Star, names: Sequence[str], budget: Budget) -> list[Any]:
    """Measures over everything, an error's words for one that cannot be computed. All at once, so that they share what they look at."""
    try:
        vectors = answer(star, read_probe(star, ProbeSpec(measures=tuple(names))), budget).values
        return [v.fault_code() or (iso(v.tolist()[0]) if len(v) else None) for v in vectors]
    except Refused as refused:
        if len(names) > 1:
            return [value for name in names for value in totals(star, [name], budget)]
        return [f"error: {refused.diagnostics[0].message}"]


def measures_changed(before: Star, after: Star, budget: Budget) -> list[dict[str, Any]]:
    """Measures whose value over everything differs, and those that no longer make sense."""
    kept = [m for m in after.model.measures if before.model.measure(m.name) is not None]
    names = [m.name for m in kept]
    both = zip(kept, totals(before, names, budget), totals(after, names, budget), strict=True) if kept else ()
    return [{"measure": m.name, "before": old, "after": new, "format": m.format} for m, old, new in both if old != new]


def probes_changed(before: Star, after: Star, budget: Budget) -> list[dict[str, Any]]:
    """Saved probes with how many of their cells differ, over the lines of both states."""
    changes = []
    for spec in after.model.probes[:MOST_PROBES]:
        name = spec.name
        try:
            new = answer(after, read_probe(after, spec), budget)
        except Refused as refused:
            changes.append({"probe": name, "cells": 0, "changed": 0, "error": refused.diagnostics[0].message})
            continue
        cells = changed = len(new.rows.lines) * len(new.columns.lines) * len(new.values)
        with suppress(Refused):  # what could not be answered before is all new
            differs = grids_beside(answer(before, read_probe(before, spec), budget), new).differs
            cells, changed = differs.size, int(differs.sum())
        if changed:
            changes.append({"probe": name, "cells": cells, "changed": changed, "error": None})
    return changes


def broken_measures(before: Star, after: Star) -> list[Diagnostic]:
    """Measures that made sense and no longer do."""
    broken = []
    for measure in after.model.measures:
        try:
            Binder(after).measure(measure.name)
        except Refused as refused:
            try:
                if before.model.measure(measure.name):
                    Binder(before).measure(measure.name)
            except Refused:
                continue
            broken.append(replace(refused.diagnostics[0], place=measure.name, span=None))
    return broken


def broken_by(before: Star, after: Star | None, model: Model, refused: Refused | None) -> list[dict[str, Any]]:
    """Everything that a change breaks: what keeps the model from holding together, and measures that no longer make sense."""
    if after is None or refused is not None:
        wrong = list(refused.diagnostics) if refused else []
        return [d.as_json() for d in [*wrong, *(check_shape(model) if not wrong else [])]]
    return [d.as_json() for d in [*check_model(after, before), *broken_measures(before, after)]]


def loosened_by(before: Star, after: Star) -> list[dict[str, Any]]:
    """Links that were firm and whose keys repeat in the rows afterwards, each with the keys: they are loose then."""
    lost = [k for k in after.model.links if k.name in before.firm - after.firm]
    return [d.as_json() for link in lost for d in check_keys(after, link)]


def key_report(table: Table, before: Frame, after: Frame) -> dict[str, Any]:
    """A table's own key, and rows that break it, before and now."""
    return {"key": list(table.key), "broken": [repeated_keys(before, table.key), repeated_keys(after, table.key)]}
