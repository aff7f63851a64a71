"""Edits of tables, completed: what a person asks for in words of steps and sources becomes edits that name columns, keys and loads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.engine.computed import evaluated
from nexorem.core.engine.profile import Profile, profile
from nexorem.core.functions.convert import widen
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_shape
from nexorem.core.model.edits import Edit, apply, title
from nexorem.core.model.model import Column, Model, Table, plain, table_json
from nexorem.core.model.star import Star, table_rows
from nexorem.core.words import listed
from nexorem.gather import made
from nexorem.gather.compare import broken_by
from nexorem.gather.frame import Frame
from nexorem.gather.lineage import touched_by
from nexorem.gather.mismatch import compare
from nexorem.gather.roles import requested_role
from nexorem.gather.shape import Shaper, with_columns
from nexorem.gather.steps.replay import outcome_json
from nexorem.package.edit_forms import SHAPING, check_edit
from nexorem.work.checking import checks_moved
from nexorem.work.workspace import Workspace

MADE_HERE = ("add_table", "change_table", "remove_table", "together", "load_tables", "put_renamed")
LINK_EDITS = ("add_link", "remove_link", "change_link")
SAID = ("description", "key", "calendar", "role", "grain", "grain_columns", "hidden", "subject")


def table_of(model: Model, name: Any) -> Table:
    """A table by its name; refuses with near names, and what is no name."""
    name = str(name)
    table = model.table(name)
    if table is None:
        raise refuse("unknown_table", f"The table {name} does not exist.", near_hint(name, [t.name for t in model.tables]))
    return table


def completed(
    workspace: Workspace, model: Model, change: Edit, extra: Mapping[str, Frame] | None = None, model_id: int | None = None
) -> Edit:
    """An edit as it is kept: one of the kinds that people ask for becomes edits of the model, with the columns that follow; those of tables
    made by formulas where the model's number is given."""
    if change.get("kind") not in (*SHAPING, "load_tables"):
        return change
    first, words = requested_edits(model, change)
    first = [*first, *change.get("mends", [])]
    more = [] if change["kind"] == "change_links" else settled(workspace, model, first, extra)
    if model_id is not None and not extra and change["kind"] != "change_links":
        more += formula_columns(workspace, model_id, plainly(model, [*first, *more]))
    return {"kind": "together", "title": words, "edits": [*first, *more]}


def link_edits(edits: Any) -> list[Edit]:
    """Edits of links and no others, to be made as one."""
    if not isinstance(edits, list) or not edits or not all(isinstance(x, dict) and x.get("kind") in LINK_EDITS for x in edits):
        raise refuse("bad_edit", "Only links can be changed together here.", f"The edits are {', '.join(LINK_EDITS)}.")
    for edit in edits:
        check_edit(edit)
    return edits


def is_mend(edit: Any) -> bool:
    """Whether an edit may come along with another one, to make it whole."""
    if not isinstance(edit, dict):
        return False
    if edit.get("kind") == "change_table":
        return isinstance(edit.get("set"), dict) and set(edit["set"]) <= {"steps", "key"}
    return edit.get("kind") in ("remove_link", "change_link")


def from_outside(change: Edit) -> Edit:
    """An edit as it may come from outside, every part of its type: those that name columns and loads are made here alone."""
    check_edit(change)
    if change.get("kind") in MADE_HERE:
        raise refuse("unknown_edit", f"The edit {change['kind']} is not made from outside.", f"For tables there are {', '.join(SHAPING)}.")
    if change.get("kind") == "change_measure" and "name" in (change.get("set") or {}):
        raise refuse("bad_edit", "Another name has to be written everywhere.", "rename_measure does that.")
    return change


def requested_edits(model: Model, change: Edit) -> tuple[list[Edit], str]:
    """The edits that a person's edit stands for, and its title; refuses one that is incomplete."""
    try:
        if not all(is_mend(x) for x in change.get("mends", [])):
            raise TypeError("a mend changes or removes a link, or changes the steps or the key of a table")
        return _requested(model, change)
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise refuse("bad_edit", f"The edit {change['kind']} is incomplete: {error}.") from None


def _requested(model: Model, change: Edit) -> tuple[list[Edit], str]:
    kind = change["kind"]
    if kind == "make_table":
        return [
            {"kind": "add_table", "table": {"columns": [], **change["table"]}, "at": change.get("at")}
        ], f"make table {change['table']['name']}"
    if kind == "change_links":
        edits = link_edits(change["edits"])
        return edits, str(change.get("title") or "; ".join(title(x) for x in edits[:3]) + (" …" if len(edits) > 3 else ""))
    if kind == "load_tables":
        return list(change["edits"]), str(change["title"])
    if kind == "take_keys":
        said = [(table_of(model, str(x["name"])), list(x["key"])) for x in change["tables"]]
        return [
            {"kind": "change_table", "name": t.name, "set": {"key": key}} for t, key in said
        ], f"take the {'key' if len(said) == 1 else 'keys'} of {listed([t.name for t, _ in said], most=3)}"
    table = table_of(model, change["name"])
    if kind == "make_role":
        return requested_role(model, table, change)
    if kind == "shape_table":
        edit = {"kind": "change_table", "name": table.name, "set": {"steps": list(change["steps"])}}
        return [edit], str(change.get("title") or f"shape {table.name}")
    if kind == "remake_table":
        given = {k: change[k] for k in ("origin", "formula") if k in change}
        return [{"kind": "change_table", "name": table.name, "set": given}], f"change how {table.name} is made"
    if kind == "drop_table":
        links = [{"kind": "remove_link", "name": k.name} for k in model.links if table.name in k.tables]
        return [*links, {"kind": "remove_table", "name": table.name}], f"remove table {table.name}"
    return _of_columns(table, change)


def _of_columns(table: Table, change: Edit) -> tuple[list[Edit], str]:
    """Computed columns, and what is said of columns and tables."""
    columns: list[dict[str, Any]] = [plain(c) | {"name": c.name, "dtype": c.dtype} for c in table.columns]
    if change["kind"] == "describe_table":
        said = {k: change[k] for k in SAID if k in change}
        return [{"kind": "change_table", "name": table.name, "set": said}], f"describe {table.name}"
    asked_order = [str(c.get("order_by") or "") for c in change.get("columns", [change.get("column")]) if isinstance(c, dict)]
    if unknown := [x for x in asked_order if x and table.column(x) is None]:
        hint = near_hint(unknown[0], [c.name for c in table.columns])
        raise refuse("unknown_column", f"{table.name} has no column {unknown[0]} to order by.", hint)
    if change["kind"] == "put_columns":
        said = {str(c["name"]).lower(): c for c in change["columns"]}
        lost = [c["name"] for c in change["columns"] if table.column(str(c["name"])) is None]
        if lost:
            raise refuse("unknown_column", f"{table.name} has no column {lost[0]}.", near_hint(lost[0], [c.name for c in table.columns]))
        kept = [c | {k: v for k, v in said.get(c["name"].lower(), {}).items() if k != "name" and v is not None} for c in columns]
        words = str(change.get("title") or f"change {len(said)} columns of {table.name}")
        return [{"kind": "change_table", "name": table.name, "set": {"columns": kept}}], words
    name = change["column"] if change["kind"] == "drop_column" else change["column"]["name"]
    old = table.column(name)
    if change["kind"] == "drop_column":
        if old is None or not old.formula:
            raise refuse(
                "stored_column",
                f"{table.name}.{name} is not a computed column.",
                "A step of its table leaves out columns that were loaded.",
            )
        left = [c for c in columns if c["name"] != old.name]
        return [{"kind": "change_table", "name": table.name, "set": {"columns": left}}], f"remove column {table.name}.{old.name}"
    given: dict[str, Any] = {"dtype": "", **{k: v for k, v in change["column"].items() if v is not None}}
    if old is not None and given.get("formula") and not old.formula:
        raise refuse("stored_column", f"{table.name}.{old.name} was loaded, and has no formula.", "Give the computed column another name.")
    if old is None and not given.get("formula"):
        raise refuse("bad_edit", f"{table.name} has no column {name}.", near_hint(name, [c.name for c in table.columns]))
    made_column: dict[str, Any] = {**(plain(old) | {"dtype": old.dtype} if old else {}), **given}
    if old is not None and not made_column["dtype"]:
        made_column["dtype"] = "" if made_column.get("formula") else old.dtype
    kept = [made_column if old is not None and c["name"] == old.name else c for c in columns]
    kept = kept if old is not None else [*kept, made_column]
    return [
        {"kind": "change_table", "name": table.name, "set": {"columns": kept}}
    ], f"{'change' if old else 'compute'} column {table.name}.{name}"


def plainly(model: Model, edits: Sequence[Edit]) -> Model:
    """The model after edits of tables, links looked at only at the end."""
    for edit in edits:
        if edit["kind"] == "change_table":
            table = table_of(model, edit["name"])
            data = {k: v for k, v in {**table_json(table), **edit["set"]}.items() if v is not None}
            model = replace(model, tables=tuple(_read(data) if t is table else t for t in model.tables))
        elif edit["kind"] == "add_table":
            at = edit.get("at") if isinstance(edit.get("at"), int) else len(model.tables)
            if model.table(edit["table"]["name"]):
                raise refuse("repeated_name", f"There is already a table {edit['table']['name']}.", "Choose another name.")
            model = replace(model, tables=(*model.tables[:at], _read(edit["table"]), *model.tables[at:]))
        elif edit["kind"] == "remove_table":
            gone = table_of(model, edit["name"])
            links = tuple(k for k in model.links if gone.name not in k.tables)
            model = replace(model, tables=tuple(t for t in model.tables if t is not gone), links=links)
    return model


def _read(data: Mapping[str, Any]) -> Table:
    from nexorem.core.model.model import table_from_json

    try:
        return table_from_json(data)
    except (TypeError, KeyError, AttributeError, ValueError) as error:
        raise refuse("bad_edit", f"The table cannot be read: {error}.") from None


def settled(workspace: Workspace, model: Model, edits: Sequence[Edit], extra: Mapping[str, Frame] | None = None) -> list[Edit]:
    """The edits that bring every table's columns in line with its rows, once these edits are made."""
    after = plainly(model, edits)
    shaper = workspace.shaper(after, extra)
    settled_edits: list[Edit] = []
    for table in (t for t in after.tables if not t.formula):
        fresh = with_columns(table, shaper.frame(table.name))
        if fresh != table:
            now, then = table_json(fresh), table_json(table)
            changed = {k: now.get(k) for k in ("columns", "key", "calendar") if now.get(k) != then.get(k)}
            if "key" in changed:
                changed["key"] = changed["key"] or []
            settled_edits.append({"kind": "change_table", "name": table.name, "set": changed})
    return settled_edits


def formula_columns(workspace: Workspace, model_id: int, after: Model) -> list[Edit]:
    """The edits that say which columns the tables made by formulas have: links, picks and other tables name them like any others. None
    where the model cannot be computed; it is refused for that when it is to be kept."""
    if not any(t.formula for t in after.tables) or check_shape(after):
        return []
    try:
        made_tables = {t.name: t for t in workspace.edited(model_id, after).model.tables if t.formula}
    except Refused:
        return []
    pairs = [(t, made_tables[t.name]) for t in after.tables if t.name in made_tables]
    changed = [(t.name, table_json(m)["columns"]) for t, m in pairs if t.columns != m.columns]
    return [{"kind": "change_table", "name": name, "set": {"columns": columns}} for name, columns in changed]


def consequences(workspace: Workspace, model_id: int, change: Edit) -> dict[str, Any]:
    """What an edit would break, what is built on what it takes away, and which checks would no longer hold, before it is made."""
    _, star = workspace.star(model_id)
    model = star.model
    touched: list[dict[str, str]] = []
    changed, after, refused = _tried(workspace, model_id, model, change)
    breaks = broken_by(star, after, changed, refused)
    lost = [x["in"] for x in breaks if model.link(str(x["in"]))]
    if refused and lost and len(lost) == len(breaks):
        # What else would break once the links that cannot stay are gone.
        mends = [{"kind": "remove_link", "name": name} for name in dict.fromkeys(lost)]
        changed, after, refused = _tried(workspace, model_id, model, {**change, "mends": [*change.get("mends", []), *mends]})
        breaks += broken_by(star, after, changed, refused)
    if change.get("kind") == "drop_table":
        touched = [{"kind": k, "name": n} for k, n in touched_by(model, table_of(model, change["name"]).name)]
    elif change.get("name") and (table := model.table(str(change["name"]))):
        gone = _gone(workspace, model, table, change)
        touched = [{"kind": k, "name": n} for k, n in touched_by(model, table.name, gone)] if gone else []
    ended = [m for m in checks_moved(workspace, model_id, star, after) if m.after != "holds"] if after is not None else []
    return {"touches": touched, "breaks": breaks, "checks": ended}


def _tried(workspace: Workspace, model_id: int, model: Model, change: Edit) -> tuple[Model, Star | None, Refused | None]:
    """The model and star after an edit, or why there are none."""
    changed = model
    try:
        changed, _ = apply(model, completed(workspace, model, change, model_id=model_id))
        return changed, workspace.edited(model_id, changed), None
    except Refused as error:
        return changed, None, error


def _gone(workspace: Workspace, model: Model, table: Table, change: Edit) -> list[str]:
    """The columns that an edit of a table takes away."""
    if change.get("kind") not in SHAPING:
        return []
    if change["kind"] == "drop_column":
        return [str(change.get("column"))]
    try:
        first, _ = requested_edits(model, change)
        after = plainly(model, first)
        fresh = with_columns(table_of(after, table.name), workspace.shaper(after).frame(table.name))
    except Refused:
        return []
    return [c.name for c in table.columns if fresh.column(c.name) is None]


def preview(
    workspace: Workspace, star: Star, name: str, steps: Sequence[Mapping[str, Any]], at: int | None, start: int, count: int
) -> dict[str, Any]:
    """What steps do to a table, one by one, and some rows after step `at` (0: before the first; None: after the last)."""
    table = table_of(star.model, name)
    shaper = workspace.shaper(star.model)
    raw, outcomes = shaper.outcomes(table.name, [dict(s) for s in steps])
    frame = raw if at == 0 or not outcomes else outcomes[min(at if at is not None else len(outcomes), len(outcomes)) - 1].after
    rows = np.arange(min(start, frame.size), min(start + count, frame.size))
    first = {"rows": raw.size, "columns": [{"name": c, "dtype": t} for c, t in raw.types().items()]}
    return {
        "start": first,
        "steps": [outcome_json(o) for o in outcomes],
        "size": frame.size,
        "columns": [{"name": c, "dtype": t} for c, t in frame.types().items()],
        "rows": frame.listed(rows),
        "from": start,
    }


def profiles_of(frame: Frame) -> list[Profile]:
    """The profiles of a frame's columns."""
    columns = tuple(Column(c, t) for c, t in frame.types().items())
    star = Star(Model("profile", (Table("T", columns),)), {"T": table_rows(frame.size, frame.columns)})
    return [profile(star, "T", c) for c in frame.columns]


def step_frame(workspace: Workspace, model: Model, name: str, steps: Sequence[Mapping[str, Any]], at: int | None) -> Frame:
    """A table's rows after step `at`."""
    raw, outcomes = workspace.shaper(model).outcomes(name, [dict(s) for s in steps])
    if at == 0 or not outcomes:
        return raw
    return outcomes[min(at if at is not None else len(outcomes), len(outcomes)) - 1].after


def made_rows(workspace: Workspace, model: Model, origin: Mapping[str, Any], most: int = 60) -> dict[str, Any]:
    """The rows that a made table would have, and what it means to link it or not."""
    shaper: Shaper = workspace.shaper(model)
    frame = made.make(origin, shaper.frame)
    shown = np.arange(min(most, frame.size))
    return {
        "size": frame.size,
        "columns": [{"name": c, "dtype": t} for c, t in frame.types().items()],
        "rows": frame.listed(shown),
        "means": made.MEANS[str(origin["kind"])],
    }


MOST_SHOWN = 40


def computed_rows(star: Star, table: str | None, column: str, formula: str, budget: Budget) -> dict[str, Any]:
    """The rows that a formula would make: of a table, or of a column beside the first columns of its table. Nothing is kept."""
    binder = Binder(star, limits=budget.limits)
    if table is None:
        computed = evaluated(star, binder.computed_table("", formula), budget)
        vectors = {c.name: computed.column(i) for i, c in enumerate(computed.shape.columns)}
        frame = Frame(len(computed), {n: widen(v, "text") if v.dtype == "null" else v for n, v in vectors.items()})
    else:
        home = table_of(star.model, table)
        computed = evaluated(star, binder.computed_column(home.name, column, formula), budget)
        value = computed.column(len(computed.shape.columns) - 1)
        beside = [c for c in home.columns if c.name.lower() != column.lower()][:3]
        columns = {c.name: star.column(home.name, c.name).rows() for c in beside}
        frame = Frame(star.size(home.name), {**columns, column: widen(value, "text") if value.dtype == "null" else value})
    columns_told = [{"name": c, "dtype": t} for c, t in frame.types().items()]
    rows = frame.listed(np.arange(min(MOST_SHOWN, frame.size)))
    return {"size": frame.size, "columns": columns_told, "rows": rows, "means": ""}


def mismatch(star: Star, left: tuple[str, list[str]], right: tuple[str, list[str]], amount: str, budget: Budget) -> dict[str, Any]:
    """Two keys compared, on the tables' rows as they are."""
    frames = []
    for name, _ in (left, right):
        table = table_of(star.model, name)
        columns = {c: star.column(table.name, c).rows() for c in star.rows[table.name].columns}
        frames.append(Frame(star.size(table.name), columns))
    return compare(frames[0], left[1], frames[1], right[1], amount, budget)
