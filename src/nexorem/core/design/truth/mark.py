"""What a mark of truth is, and the formula that would mend what it tells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.names import reference_text
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import below

MOST_CELLS = 20_000  # that a mark names one by one
CLOSE = 1e-9  # of the larger of two numbers that count as the same

Mark = dict[str, Any]
Columns = Sequence[tuple[str, str]]


def make_mark(kind: str, sentence: str, tables: Sequence[str] = (), columns: Columns = (), **more: Any) -> Mark:
    """A mark of a kind, its columns as probes write them; parts that are not given say nothing."""
    named = [reference_text(table, column) for table, column in columns]
    return {
        "kind": kind,
        "sentence": sentence,
        "tables": list(tables),
        "columns": named,
        "cells": [],
        "mends": [],
        "why": "",
        "links": [],
    } | more


def mend_of(star: Star, define: Mapping[str, str], measure: t.MeasureValue, at: t.Typed, text: str, label: str) -> Mark | None:
    """The formula of a measure, or of the probe's own, with other text in a node's place."""
    owner = owner_of_node(measure, at)
    if owner is None:
        return None
    own = star.model.measure(owner.name) is None and owner.name in define
    if not own and star.model.measure(owner.name) is None:
        return None
    formula = text if at is owner.body else owner.formula[: at.span.start] + text + owner.formula[at.span.end :]
    return {"measure": owner.name, "formula": formula, "label": label, "own": own}


def mended_measure(star: Star, define: Mapping[str, str], mend: Mark, measure: t.MeasureValue) -> t.MeasureValue | None:
    """The measure as it would be with a mend; nothing where that cannot be computed, as a way that a filter could be carried may double
    another's. Only what is so no more with the mend is offered: an edit may be undone by one inside the formula."""
    try:
        return Binder(star, {**define, mend["measure"]: mend["formula"]}).measure(measure.name)
    except Refused:
        return None


def owner_of_node(measure: t.MeasureValue, at: t.Typed) -> t.MeasureValue | None:
    """The measure in whose own formula a node stands."""
    queue: list[tuple[t.MeasureValue, t.Typed]] = [(measure, measure.body)]
    met: set[int] = set()
    while queue:
        owner, node = queue.pop()
        if node is at:
            return owner
        if id(node) in met:
            continue
        met.add(id(node))
        queue += [(node if isinstance(node, t.MeasureValue) else owner, x) for x in below(node)]
    return None
