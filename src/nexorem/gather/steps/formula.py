"""Formulas over a row's own columns, for steps: evaluated by the language's own engine on a model of that one table."""

from __future__ import annotations

from typing import Any

from nexorem.core.engine.computed import make_star
from nexorem.core.language import syntax as s
from nexorem.core.language.parser import parse
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Model, Table
from nexorem.core.model.star import table_rows
from nexorem.core.values import Vector
from nexorem.gather.frame import Frame


def columns_named(formula: str, frame: Frame) -> list[str]:
    """The frame's columns that a formula names; all of them where it takes rows as a whole."""
    names: set[str] = set()
    whole = False

    def walk(node: Any) -> None:
        nonlocal whole
        if isinstance(node, tuple):
            for x in node:
                walk(x)
        elif isinstance(node, s.BareName):
            names.add(node.name.lower())
        elif isinstance(node, s.ColumnName):
            names.add(node.column.lower())
        elif isinstance(node, s.TableRows):
            whole = True
        if hasattr(node, "__dataclass_fields__"):
            for field in node.__dataclass_fields__:
                walk(getattr(node, field))

    walk(parse(formula)[0])
    return [c for c in frame.columns if whole or c.lower() in names]


def computed(frame: Frame, table: str, name: str, formula: str, budget: Budget, dtype: str = "") -> Vector:
    """A formula's value for each row; refuses with what is wrong with it, its spans counted in the formula."""
    used = columns_named(formula, frame)
    if not used:
        used = list(frame.columns)[:1]
    free = name
    while any(free.lower() == c.lower() for c in used):
        free += "_"
    columns = (*(Column(c, frame.columns[c].dtype) for c in used), Column(free, dtype, formula=formula))
    model = Model("steps", (Table(table, columns),))
    rows = {table: table_rows(frame.size, {c: frame.columns[c] for c in used})}
    return make_star(model, rows, budget).column(table, free).rows()
