"""Another name for a table or column in what shapes and makes tables: steps, and the sources of calendars."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.language.renames import Renaming
from nexorem.core.model.model import Model, Table
from nexorem.core.model.names import reference_text, split_reference


def steps_renamed(model: Model, table: Table, change: Renaming) -> Table:
    """A table whose steps and source name a thing by its new name. A column that is loaded or made gets it by a step at the end."""
    steps = [_step(dict(s), change, table) for s in table.steps]
    own = table.column(change.old) if change.kind == "column" and table.name == change.table else None
    if own and not own.formula:
        steps = _with_rename(steps, change)
    return replace(table, steps=tuple(steps), origin=_origin(model, table.origin, change))


def _with_rename(steps: list[dict[str, Any]], change: Renaming) -> list[dict[str, Any]]:
    """The steps with one that renames; a last one that renames already takes this name in."""
    last = steps[-1] if steps else {}
    if last.get("kind") == "rename" and not last.get("off"):
        names = dict(last["names"])
        first = next((old for old, new in names.items() if new == change.old), change.old)
        names[first] = change.new
        names = {old: new for old, new in names.items() if old != new}
        return [*steps[:-1], {**last, "names": names}] if names else steps[:-1]
    return [*steps, {"kind": "rename", "names": {change.old: change.new}}]


def _step(step: dict[str, Any], change: Renaming, table: Table) -> dict[str, Any]:
    """A step that takes rows or columns of another table."""
    if step.get("kind") == "append" and isinstance(step.get("tables"), list):
        if change.kind == "table":
            step["tables"] = [change.new if x == change.old else x for x in step["tables"]]
        elif change.kind == "column" and change.table in step["tables"] and not step.get("off"):
            message = f"{table.name} takes rows of {change.table} beneath its own by the names of their columns."
            raise refuse("appended_column", message, f"Rename {change.old} in a step of {table.name}, or before that step.", table.name)
    if step.get("kind") == "add_missing":
        step["named_by"] = [_orphans(dict(x), change) for x in step.get("named_by", [])]
    if step.get("kind") == "look_up":
        if change.kind == "table" and step.get("table") == change.old:
            step["table"] = change.new
        elif change.kind == "column" and step.get("table") == change.table:
            step["columns"] = {change.new if k == change.old else k: v for k, v in dict(step.get("columns", {})).items()}
            step["on"] = [{**m, "theirs": change.new} if m.get("theirs") == change.old else m for m in step.get("on", [])]
    return step


def _orphans(item: dict[str, Any], change: Renaming) -> dict[str, Any]:
    """A table whose keys are added: itself by another name, or one of its columns."""
    columns = [change.column(str(item.get("table")), str(c))[1] for c in item.get("columns", [])]
    return {
        **item,
        "table": change.new if change.kind == "table" and item.get("table") == change.old else item.get("table"),
        "columns": columns,
    }


def _origin(model: Model, origin: Mapping[str, Any], change: Renaming) -> Mapping[str, Any]:
    """A calendar's source: the columns its dates come from, and the table of its holidays; a role's: the table whose rows it has."""
    if origin.get("kind") == "role" and change.kind == "table" and origin.get("table") == change.old:
        return {**origin, "table": change.new}
    if origin.get("kind") != "calendar":
        return origin
    origin_of = dict(origin)
    if "dates" in origin_of:
        origin_of["dates"] = [_reference(model, str(x), change) for x in origin_of["dates"]]
    holidays = origin_of.get("holidays")
    if isinstance(holidays, Mapping):
        table = str(holidays.get("table", ""))
        named = {k: change.column(table, str(v))[1] if k in ("date", "name") and v else v for k, v in holidays.items()}
        origin_of["holidays"] = {**named, "table": change.new if change.kind == "table" and table == change.old else table}
    return origin_of


def _reference(model: Model, text: str, change: Renaming) -> str:
    try:
        later = change.column(*model.find_column(text))
        return reference_text(*later) if later != split_reference(text) else text
    except Refused:
        return text
