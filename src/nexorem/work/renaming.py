"""Names changed everywhere at once: the change shown before it is made, made as one edit, and refused where it would break something."""

from __future__ import annotations

from typing import Any

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.language.binder import Binder
from nexorem.core.language.renames import Renaming, edits_between, read_renaming, renamed
from nexorem.core.model.model import Model
from nexorem.core.model.names import columns_text
from nexorem.core.model.star import Star
from nexorem.gather.renames import steps_renamed
from nexorem.work.workspace import Workspace

Edit = dict[str, Any]


def completed_rename(workspace: Workspace, model_id: int, star: Star, change: Edit) -> Edit:
    """A `rename` as the edits that it stands for; any other edit as it is."""
    if change.get("kind") != "rename":
        return change
    return renaming(workspace, model_id, star, str(change["what"]), str(change["name"]), str(change["to"]))[0]


def renaming(workspace: Workspace, model_id: int, star: Star, kind: str, name: str, to: str) -> tuple[Edit, Renaming, Model]:
    """The edit that renames a thing everywhere; refuses where a measure that could be computed before could not be afterwards."""
    stored, _ = workspace.star(model_id)
    read = read_renaming(star.model, kind, name, to)
    after = renamed(star.with_model(_shaped(stored.model, star.model)), read, lambda t, c: steps_renamed(star.model, t, c))
    edits = edits_between(_shaped(stored.model, star.model), after)
    title = f"rename {kind} {f'{read.table}.' if read.table else ''}{read.old} to {read.new}"
    if not edits:
        raise refuse("same_name", f"It is called {read.new} already.", "Write another name.", read.new)
    lost = broken(workspace.edited(model_id, after)) - broken(star)
    if lost:
        message = f"Under the name {read.new}, {sorted(lost)[0]} could no longer be computed."
        raise refuse("name_in_use", message, "Choose another name, or rename what has it there.", read.new)
    return {"kind": "together", "title": title, "edits": edits}, read, after


def _shaped(stored: Model, model: Model) -> Model:
    """The model as it is stored, with the columns that tables made by formulas have."""
    return model if len(stored.tables) == len(model.tables) else stored


def broken(star: Star) -> set[str]:
    """The measures that cannot be computed."""
    binder, names = Binder(star), set[str]()
    for measure in star.model.measures:
        try:
            binder.measure(measure.name)
        except Refused:
            names.add(measure.name)
    return names


def rename_preview(workspace: Workspace, model_id: int, star: Star, kind: str, name: str, to: str) -> dict[str, Any]:
    """What would be written anew: each thing, and the text of it before and after where it is a formula."""
    edit, read, after = renaming(workspace, model_id, star, kind, name, to)
    touched = [x for e in edit["edits"] for x in _renamed_parts(star.model, after, e)]
    return {"name": f"{read.table}.{read.old}" if read.table else read.old, "to": read.new, "touched": touched}


def _renamed_parts(before: Model, after: Model, edit: Edit) -> list[dict[str, str]]:
    """One edit of a renaming in words: what it is about, and what is written there."""
    verb, _, what = edit["kind"].partition("_")
    if what == "table":
        return _of_table(before, after, edit)
    if what == "link":
        old, new = before.link(edit["name"]), after.links[[k.name for k in before.links].index(edit["name"])]
        texts = (old.ends_text if old else "", new.ends_text) if {"from", "to"} & set(edit["set"]) else (edit["name"], new.name)
        return [{"kind": "link", "owner": edit["name"], "before": texts[0], "after": texts[1]}]
    if what == "measure":
        part = next(iter(edit["set"]))
        measure = before.measure(edit["name"])
        return [{"kind": "measure", "owner": edit["name"], "before": str(getattr(measure, part)), "after": str(edit["set"][part])}]
    if verb == "put" and what in ("probe", "folio", "hierarchy", "check"):
        return [{"kind": what, "owner": str(edit[what]["name"]), "before": "", "after": ""}]
    return [{"kind": "place", "owner": x, "before": "", "after": ""} for x in edit.get("places", {})][:1] if what == "tables" else []


def _of_table(before: Model, after: Model, edit: Edit) -> list[dict[str, str]]:
    place = [t.name for t in before.tables].index(edit["name"])
    old, new = before.tables[place], after.tables[place]
    changes = [{"kind": "table", "owner": old.name, "before": old.name, "after": new.name}] if old.name != new.name else []
    changes += [{"kind": "table", "owner": old.name, "before": old.formula, "after": new.formula}] if old.formula != new.formula else []
    for a, b in zip(old.columns, new.columns, strict=True):
        if a.name != b.name:
            changes.append(
                {
                    "kind": "column",
                    "owner": old.name,
                    "before": columns_text(old.name, (a.name,)),
                    "after": columns_text(new.name, (b.name,)),
                }
            )
        if a.formula != b.formula:
            changes.append({"kind": "column", "owner": f"{old.name}.{a.name}", "before": a.formula, "after": b.formula})
    if old.steps != new.steps:
        changes.append({"kind": "steps", "owner": old.name, "before": "", "after": ""})
    return changes
