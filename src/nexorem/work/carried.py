"""What is carried over from one state of a model to the next."""

from __future__ import annotations

import operator
from dataclasses import replace
from typing import Any

from nexorem.core.model.model import Model, Table
from nexorem.core.model.rows import Chosen
from nexorem.core.model.star import Star, TableRows


def settled(model: Model, before: Model) -> Model:
    """The model with the parts of an earlier state in place of those that equal them: what was kept of these is then found at once."""
    changed: dict[str, Any] = {}
    for name in ("tables", "links", "measures"):
        now, then = getattr(model, name), getattr(before, name)
        originals = {repr(x): x for x in then}  # 1, 1.0 and true are equal, and three things in a step
        parts = tuple(originals.get(repr(x), x) for x in now)
        changed[name] = then if len(parts) == len(then) and all(map(operator.is_, parts, then)) else parts
    return replace(model, **changed)


def stored_rows(star: Star, table: Table) -> TableRows:
    """Rows of a star without its computed columns, the columns in the order in which a table has them."""
    return TableRows(star.size(table.name), Chosen.of(star.rows[table.name].columns, (c.name for c in table.columns if not c.formula)))
