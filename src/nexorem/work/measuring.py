"""Edits of measures that people ask for by name: rename everywhere, make a trial official, take in many from a text."""

from __future__ import annotations

import difflib
import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.formats import pattern_fault
from nexorem.core.language.binder import Binder
from nexorem.core.language.renames import Renaming, remembered
from nexorem.core.language.sheet import Written, read_sheet
from nexorem.core.language.uses import renaming, replacing
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Measure, plain
from nexorem.core.model.specs import spec_json
from nexorem.core.model.star import Star

Edit = dict[str, Any]
ASKED = ("rename_measure", "promote_measure", "put_measures")
PARTS = ("formula", "home", "folder", "format", "description", "trial", "variant_of")


def completed_measures(star: Star, change: Edit) -> Edit:
    """One of the kinds in ASKED as the edits that it stands for; any other edit as it is."""
    kind = change.get("kind")
    if kind not in ASKED:
        return change
    try:
        if kind == "rename_measure":
            name, to = str(change["name"]), str(change["to"])
            more = dict(change.get("set") or {})
            edits = renamed_and_changed(star, name, to, more)
            return {"kind": "together", "title": f"rename {name} to {to}" + (" and change it" if more else ""), "edits": edits}
        if kind == "promote_measure":
            return {"kind": "together", "title": f"make {change['name']} official", "edits": promoting(star, str(change["name"]))}
        return {"kind": "together", "title": "take measures in", "edits": taking(star, str(change["text"]), change.get("names"))}
    except KeyError as error:
        raise refuse("bad_edit", f"The edit {kind} is incomplete: it needs {error}.") from None


def renamed_and_changed(star: Star, name: str, to: str, more: Mapping[str, Any]) -> list[Edit]:
    """The edits that give a measure another name everywhere, and other parts: one save is one edit. A formula that comes along is written
    with the new name already, or with the old one."""
    measure = _measure(star, name)
    note = remembered(star.model, Renaming("measure", "", measure.name, to.strip()))
    noted: list[Edit] = [{"kind": "put_renamed", "renamed": [spec_json(x) for x in note]}] if note != star.model.renamed else []
    if not more:
        return renaming(star, name, to) + noted
    first: Edit = {"kind": "change_measure", "name": measure.name, "set": {k: v for k, v in more.items() if k != "name"}}
    changed = star.with_model(apply(star.model, first)[0])
    edits = [first, *(renaming(changed, name, to) if to.strip() != measure.name else []), *noted]
    Binder(star.with_model(apply(star.model, {"kind": "together", "edits": edits})[0])).measure(to.strip())
    return edits


def _measure(star: Star, name: str) -> Measure:
    measure = star.model.measure(name)
    if measure is None:
        raise refuse("unknown_measure", f"The measure {name} no longer exists.", near_hint(name, [m.name for m in star.model.measures]))
    return measure


def promoting(star: Star, name: str) -> list[Edit]:
    """The edits that make a trial official. One that stands beside an official measure takes its place: that measure has its formula from
    then on, and whatever named the trial names the measure."""
    trial = _measure(star, name)
    if not trial.trial:
        raise refuse("not_trial", f"{trial.name} is official already.")
    official = star.model.measure(trial.variant_of) if trial.variant_of else None
    if official is None:
        return [{"kind": "change_measure", "name": trial.name, "set": {"trial": False, "variant_of": ""}}]
    kept = {"formula": trial.formula, "format": trial.format or official.format, "description": trial.description or official.description}
    edits: list[Edit] = [{"kind": "change_measure", "name": official.name, "set": kept}]
    # What named the trial is to name the official one, also in the formula that has just moved there.
    moved = apply(star.model, edits[0])[0]
    edits += [e for e in replacing(star.with_model(moved), trial.name, official.name) if e.get("name") != trial.name]
    edits.append({"kind": "remove_measure", "name": trial.name})
    Binder(star.with_model(apply(star.model, {"kind": "together", "edits": edits})[0])).measure(official.name)
    return edits


def promotion(star: Star, name: str) -> dict[str, Any]:
    """What making a trial official would change, and what forbids it."""
    trial = _measure(star, name)
    official = star.model.measure(trial.variant_of) if trial.variant_of else None
    answer_of: dict[str, Any] = {"trial": trial.name, "official": official.name if official else None, "difference": [], "errors": []}
    if official:
        answer_of["difference"] = difference(official.formula, trial.formula)
    try:
        promoting(star, name)
    except Refused as refused:
        answer_of["errors"] = [d.as_json() for d in refused.diagnostics]
    return answer_of


def difference(before: str, after: str) -> list[dict[str, str]]:
    """Two formulas word by word: pieces that are the `same`, `gone` or `new`, in order (after J. W. Hunt and M. D. McIlroy's matching of
    subsequences, as the standard library has it)."""
    old, new = (re.findall(r"\w+|\s+|[^\w\s]", text) for text in (before, after))
    differences: list[dict[str, str]] = []
    for kind, a, b, c, d in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind == "equal":
            differences.append({"kind": "same", "text": "".join(old[a:b])})
            continue
        differences += [{"kind": "gone", "text": "".join(old[a:b])}] if b > a else []
        differences += [{"kind": "new", "text": "".join(new[c:d])}] if d > c else []
    return differences


def preview(star: Star, text: str) -> list[dict[str, Any]]:
    """What taking a text in would do, measure by measure: `state` is new, changed, same or clash, with what changes and what is wrong."""
    items = read_sheet(text)
    model = star.model
    for edit in _edits(star, items):
        model = apply(model, edit)[0]
    binder = Binder(star.with_model(model))
    return [_previewed(star, binder, item) for item in items]


def _previewed(star: Star, binder: Binder, item: Written) -> dict[str, Any]:
    new, old = item.measure, star.model.measure(item.measure.name)
    merged = _merged(item, old)
    changes = [
        {"part": part, "before": str(getattr(old, part) if old else ""), "after": str(getattr(merged, part))}
        for part in PARTS
        if getattr(merged, part) != (getattr(old, part) if old else Measure(new.name, "").__getattribute__(part))
    ]
    preview: dict[str, Any] = {"name": new.name, "line": item.line, "state": "changed" if old else "new", "changes": changes, "errors": []}
    if old and not changes:
        preview["state"] = "same"
    preview["difference"] = difference(old.formula, new.formula) if old and old.formula != new.formula else []
    clash = _clash(star, item, old)
    if clash:
        preview |= {"state": "clash", "errors": [clash.as_json()]}
    try:
        binder.measure(new.name)
    except Refused as refused:
        preview["errors"] += [d.as_json() for d in refused.diagnostics]
    return preview


def _clash(star: Star, item: Written, old: Measure | None) -> Diagnostic | None:
    """Why a measure of a text cannot simply be put in."""
    new = item.measure
    if old and not old.trial and new.trial:
        message = f"{old.name} is official, and the text has a trial of that name."
        return Diagnostic(
            "trial_over_official",
            message,
            place=f"line {item.line}",
            hint="Give the trial a name of its own and variant_of, or promote it.",
        )
    if new.home and star.model.table(new.home) is None:
        return Diagnostic(
            "unknown_table",
            f"{new.name} is to live with {new.home}, which is not a table.",
            place=f"line {item.line}",
            hint=near_hint(new.home, [t.name for t in star.model.tables]),
        )
    if fault := pattern_fault(new.format):
        return Diagnostic("bad_format", fault, place=f"line {item.line}", hint="Write a pattern of UTS #35, as #,##0.00 or 0.0%.")
    return None


def _merged(item: Written, old: Measure | None) -> Measure:
    """What a text says, over what the measure had."""
    if old is None:
        return item.measure
    said = {part: getattr(item.measure, part) for part in item.said if part != "standing"}
    return replace(old, **said)


def _edits(star: Star, items: Sequence[Written]) -> list[Edit]:
    edits: list[Edit] = []
    for item in items:
        old = star.model.measure(item.measure.name)
        if pattern_fault(item.measure.format):
            continue
        if old is None:
            edits.append({"kind": "add_measure", "measure": plain(item.measure) | {"name": item.measure.name}})
            continue
        merged = _merged(item, old)
        parts: Mapping[str, Any] = {p: getattr(merged, p) for p in PARTS if getattr(merged, p) != getattr(old, p)}
        if parts:
            edits.append({"kind": "change_measure", "name": old.name, "set": dict(parts)})
    return edits


def taking(star: Star, text: str, names: Any) -> list[Edit]:
    """The edits that take the chosen measures of a text in; refuses where one of them clashes or cannot be computed."""
    items = read_sheet(text)
    chosen = {str(n).lower() for n in names} if isinstance(names, list) else {i.measure.name.lower() for i in items}
    items = [i for i in items if i.measure.name.lower() in chosen]
    wrong = [c for i in items if (c := _clash(star, i, star.model.measure(i.measure.name)))]
    if wrong:
        raise Refused(wrong)
    edits = _edits(star, items)
    if not edits:
        raise refuse("nothing_new", "These measures are as the text has them.")
    model = apply(star.model, {"kind": "together", "edits": edits})[0]
    binder, failed = Binder(star.with_model(model)), list[Diagnostic]()
    for item in items:
        try:
            binder.measure(item.measure.name)
        except Refused as refused:
            failed += refused.diagnostics
    if failed:
        raise Refused(failed)
    return edits
