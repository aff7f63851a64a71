"""Edits of a model, each with its inverse. A model's history is a list of these.

An edit is JSON with a `kind`. `apply` gives the edited model and the edit that takes it back; `title` says it in
words; `touches` names what it changes, so that edits made at the same time can be told apart.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, fields, replace
from typing import Any

from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.model.check import check_shape
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.model import Link, Measure, Model, Table, link_from_json, link_json, plain, table_from_json, table_json
from nexorem.core.model.names import column_text
from nexorem.core.model.specs import Accepted, Clearance, FolioSpec, FormerName, Hierarchy, Place, ProbeSpec, read_spec, spec_json

Edit = dict[str, Any]  # formats.md, section 3: an edit is kept and sent as it is written
Applied = tuple[Model, Edit]


def apply(model: Model, edit: Edit) -> Applied:
    """The model after an edit of one of KINDS, and the edit's inverse; refuses with all that is wrong. Rows are not looked at. That
    each part is of its type was checked before (`package.edit_forms`)."""
    try:
        changed, inverse = KINDS[edit["kind"]](model, edit)
    except (KeyError, TypeError, AttributeError, ValueError) as error:
        raise refuse("bad_edit", f"The edit {edit['kind']} cannot be read: {error}.") from None
    wrong = check_shape(changed)
    if wrong:
        raise Refused(wrong)
    return changed, inverse


def _link(model: Model, name: str) -> Link:
    link = model.link(name)
    if link is None:
        raise refuse("unknown_link", f"The link “{name}” no longer exists.", near_hint(name, [k.name for k in model.links]))
    return link


def _measure(model: Model, name: str) -> Measure:
    measure = model.measure(name)
    if measure is None:
        raise refuse("unknown_measure", f"The measure {name} no longer exists.", near_hint(name, [m.name for m in model.measures]))
    return measure


def _inserted(items: tuple[Any, ...], item: Any, at: Any) -> tuple[Any, ...]:
    place = at if isinstance(at, int) and 0 <= at <= len(items) else len(items)
    return (*items[:place], item, *items[place:])


def _add_link(model: Model, edit: Edit) -> Applied:
    link = link_from_json(model, edit["link"])
    return replace(model, links=_inserted(model.links, link, edit.get("at"))), {"kind": "remove_link", "name": link.name}


def _remove_link(model: Model, edit: Edit) -> Applied:
    link = _link(model, edit["name"])
    left = tuple(k for k in model.links if k is not link)
    return replace(model, links=left), {"kind": "add_link", "link": link_json(link), "at": model.links.index(link)}


def _change_link(model: Model, edit: Edit) -> Applied:
    link = _link(model, edit["name"])
    before = link_json(link)
    after = link_from_json(model, {**before, **edit["set"]})
    if after.from_table == after.to_table and edit["set"].get("active"):
        raise refuse(
            "double_path",
            f"A filter on {after.from_table} would come back to it in a ring: {after.name}.",
            "A table that is linked to itself keeps that link inactive.",
        )
    changed = replace(model, links=tuple(after if k is link else k for k in model.links))
    back = {key: before.get(key, None if key == "firm" else "") for key in edit["set"]}
    return changed, {"kind": "change_link", "name": after.name, "set": back}


def _add_measure(model: Model, edit: Edit) -> Applied:
    measure = Measure(**edit["measure"])
    if not measure.name.strip():
        raise refuse("bad_name", "A measure needs a name.")
    return replace(model, measures=_inserted(model.measures, measure, edit.get("at"))), {"kind": "remove_measure", "name": measure.name}


def _remove_measure(model: Model, edit: Edit) -> Applied:
    measure = _measure(model, edit["name"])
    left = tuple(m for m in model.measures if m is not measure)
    return replace(model, measures=left), {"kind": "add_measure", "measure": plain(measure), "at": model.measures.index(measure)}


def _change_measure(model: Model, edit: Edit) -> Applied:
    measure = _measure(model, edit["name"])
    names = {f.name for f in fields(Measure)}
    unknown = set(edit["set"]) - names
    if unknown:
        raise refuse("bad_edit", f"A measure has no {sorted(unknown)[0]} that can be changed.")
    after = replace(measure, **edit["set"])
    if not after.name.strip():
        raise refuse("bad_name", "A measure needs a name.")
    back = {key: getattr(measure, key) for key in edit["set"]}
    changed = replace(model, measures=tuple(after if m is measure else m for m in model.measures))
    return changed, {"kind": "change_measure", "name": after.name, "set": back}


Listed = ProbeSpec | FolioSpec | Hierarchy | CheckSpec | Clearance


def _with(model: Model, kind: str, items: tuple[Any, ...]) -> Model:
    match kind:
        case "probe":
            return replace(model, probes=items)
        case "folio":
            return replace(model, folios=items)
        case "check":
            return replace(model, checks=items)
        case "clearance":
            return replace(model, clearances=items)
    return replace(model, hierarchies=items)


def _listed(model: Model, kind: str) -> tuple[Listed, ...]:
    match kind:
        case "probe":
            return model.probes
        case "folio":
            return model.folios
        case "check":
            return model.checks
        case "clearance":
            return model.clearances
    return model.hierarchies


def _put(model: Model, kind: str, item: Listed, at: Any) -> Applied:
    """A probe, folio, hierarchy, check or clearance, new or in place of the one of its name."""
    items = _listed(model, kind)
    old = next((x for x in items if x.name == item.name), None)
    if old is not None:
        return _with(model, kind, tuple(item if x is old else x for x in items)), {"kind": f"put_{kind}", kind: spec_json(old)}
    return _with(model, kind, _inserted(items, item, at)), {"kind": f"remove_{kind}", "name": item.name}


def _remove(model: Model, kind: str, name: str) -> Applied:
    """The model without a probe, folio, hierarchy, check or clearance."""
    items = _listed(model, kind)
    old = next((x for x in items if x.name == name), None)
    if old is None:
        raise refuse(f"unknown_{kind}", f"The {kind} {name} no longer exists.")
    left = tuple(x for x in items if x is not old)
    return _with(model, kind, left), {"kind": f"put_{kind}", kind: spec_json(old), "at": items.index(old)}


def _put_probe(model: Model, edit: Edit) -> Applied:
    return _put(model, "probe", read_spec(ProbeSpec, edit["probe"]), edit.get("at"))


def _remove_probe(model: Model, edit: Edit) -> Applied:
    return _remove(model, "probe", edit["name"])


def _put_folio(model: Model, edit: Edit) -> Applied:
    return _put(model, "folio", read_spec(FolioSpec, edit["folio"]), edit.get("at"))


def _remove_folio(model: Model, edit: Edit) -> Applied:
    return _remove(model, "folio", edit["name"])


def _put_check(model: Model, edit: Edit) -> Applied:
    """A check, new or in place of the one of its name; in place of the one called `was` where it gets another name."""
    check, was = read_spec(CheckSpec, edit["check"]), edit.get("was")
    if was is None or was == check.name:
        return _put(model, "check", check, edit.get("at"))
    old = next((c for c in model.checks if c.name == was), None)
    if old is None:
        raise refuse("unknown_check", f"The check {was} no longer exists.")
    if any(c is not old and c.name.lower() == check.name.lower() for c in model.checks):
        raise refuse("repeated_name", f"There is a check named {check.name} already.", "Give it another name.")
    changed = tuple(check if c is old else c for c in model.checks)
    return replace(model, checks=changed), {"kind": "put_check", "check": spec_json(old), "was": check.name}


def _remove_check(model: Model, edit: Edit) -> Applied:
    return _remove(model, "check", edit["name"])


def _put_hierarchy(model: Model, edit: Edit) -> Applied:
    spec = read_spec(Hierarchy, edit["hierarchy"])
    name = spec.name.strip()
    if not name or len(spec.levels) < 2:
        raise refuse(
            "bad_hierarchy", "A hierarchy has a name and two levels or more.", "Write the widest level first, each as Table.column."
        )
    levels = tuple(column_text(*model.find_column(x)) for x in spec.levels)
    return _put(model, "hierarchy", Hierarchy(name, levels), edit.get("at"))


def _remove_hierarchy(model: Model, edit: Edit) -> Applied:
    return _remove(model, "hierarchy", edit["name"])


def _put_clearance(model: Model, edit: Edit) -> Applied:
    clearance = read_spec(Clearance, edit["clearance"])
    if not [x for x in clearance.rules if x.strip()]:
        hint = "Write a condition on a table, such as Island.group = 'Near Isles'."
        raise refuse("bad_clearance", "A clearance has a rule or more.", hint)
    return _put(model, "clearance", clearance, edit.get("at"))


def _remove_clearance(model: Model, edit: Edit) -> Applied:
    return _remove(model, "clearance", edit["name"])


def _table(model: Model, name: str) -> Table:
    table = model.table(name)
    if table is None:
        raise refuse("unknown_table", f"The table {name} no longer exists.", near_hint(name, [t.name for t in model.tables]))
    return table


def _add_table(model: Model, edit: Edit) -> Applied:
    table = table_from_json(edit["table"])
    if not table.name.strip():
        raise refuse("bad_name", "A table needs a name.")
    return replace(model, tables=_inserted(model.tables, table, edit.get("at"))), {"kind": "remove_table", "name": table.name}


def _remove_table(model: Model, edit: Edit) -> Applied:
    table = _table(model, edit["name"])
    linked = [k.name for k in model.links if table.name in k.tables]
    if linked:
        raise refuse("linked_table", f"{table.name} is linked by {', '.join(linked)}.", "Remove these links first, or with it.", table.name)
    left = tuple(t for t in model.tables if t is not table)
    return replace(model, tables=left), {"kind": "add_table", "table": table_json(table), "at": model.tables.index(table)}


CHANGEABLE = (
    "name",
    "columns",
    "source",
    "key",
    "calendar",
    "description",
    "formula",
    "origin",
    "steps",
    "load",
    "role",
    "grain",
    "grain_columns",
    "hidden",
    "subject",
    "stays",
)


def _change_table(model: Model, edit: Edit) -> Applied:
    table = _table(model, edit["name"])
    unknown = set(edit["set"]) - set(CHANGEABLE)
    if unknown:
        raise refuse("bad_edit", f"A table has no {sorted(unknown)[0]} that can be changed.")
    before = table_json(table)
    after = table_from_json({k: v for k, v in {**before, **edit["set"]}.items() if v is not None})
    changed = replace(model, tables=tuple(after if t is table else t for t in model.tables))
    return changed, {
        "kind": "change_table",
        "name": after.name,
        "set": {k: before.get(k) for k in edit["set"]},
        "title": edit.get("title", ""),
    }


def _together(model: Model, edit: Edit) -> Applied:
    """Several edits as one. They are checked as a whole, at the end."""
    backwards: list[dict[str, Any]] = []
    for item in edit["edits"]:
        model, inverse = KINDS[item["kind"]](model, item)
        backwards.insert(0, inverse)
    # A link names its columns as they are called: on the way back, too, tables come to be and are changed first, and go last.
    backwards.sort(key=lambda x: ("add_table", "change_table").count(x["kind"]) * -1 + (x["kind"] == "remove_table"))
    return model, {"kind": "together", "edits": backwards, "title": edit.get("title", "")}


def _place_tables(model: Model, edit: Edit) -> Applied:
    """Where a person has pulled tables to in the star; None lets the program place a table again."""
    places = dict(model.places)
    back = {key: spec_json(places[key]) if key in places else None for key in edit["places"]}
    for key, place in edit["places"].items():
        if place is None:
            places.pop(key, None)
        else:
            places[key] = read_spec(Place, place)
    return replace(model, places=places), {"kind": "place_tables", "places": back}


def _accepted(model: Model, edit: Edit) -> Accepted | None:
    """What is accepted of the finding that an edit names."""
    named = (edit.get("code", ""), edit.get("about", ""), edit.get("key", ""))
    return next((x for x in model.accepted if x.finding == named), None)


def _accept_finding(model: Model, edit: Edit) -> Applied:
    """Keeps a finding as known, with a reason; accepted once more, the reason is another."""
    item = Accepted(*(str(edit.get(k, "")) for k in ("code", "about", "key", "reason")))
    old = _accepted(model, edit)
    if old is None:
        back = {"kind": "reopen_finding", "code": item.code, "about": item.about, "key": item.key}
        return replace(model, accepted=_inserted(model.accepted, item, edit.get("at"))), back
    kept = tuple(item if x is old else x for x in model.accepted)
    return replace(model, accepted=kept), {"kind": "accept_finding", **asdict(old)}


def _reopen_finding(model: Model, edit: Edit) -> Applied:
    old = _accepted(model, edit)
    if old is None:
        raise refuse("unknown_finding", "This finding is no longer accepted.")
    left = tuple(x for x in model.accepted if x is not old)
    return replace(model, accepted=left), {"kind": "accept_finding", **asdict(old), "at": model.accepted.index(old)}


def _put_renamed(model: Model, edit: Edit) -> Applied:
    """The names that things had, as a whole."""
    back = {"kind": "put_renamed", "renamed": [spec_json(x) for x in model.renamed]}
    return replace(model, renamed=tuple(read_spec(FormerName, x) for x in edit["renamed"])), back


KINDS: dict[str, Callable[[Model, Edit], Applied]] = {
    "add_link": _add_link,
    "remove_link": _remove_link,
    "change_link": _change_link,
    "add_measure": _add_measure,
    "remove_measure": _remove_measure,
    "change_measure": _change_measure,
    "put_probe": _put_probe,
    "remove_probe": _remove_probe,
    "place_tables": _place_tables,
    "add_table": _add_table,
    "remove_table": _remove_table,
    "change_table": _change_table,
    "put_check": _put_check,
    "remove_check": _remove_check,
    "put_hierarchy": _put_hierarchy,
    "remove_hierarchy": _remove_hierarchy,
    "put_clearance": _put_clearance,
    "remove_clearance": _remove_clearance,
    "put_folio": _put_folio,
    "remove_folio": _remove_folio,
    "together": _together,
    "accept_finding": _accept_finding,
    "reopen_finding": _reopen_finding,
    "put_renamed": _put_renamed,
}


def _subject(edit: Edit) -> str:
    inner = edit.get("link") or edit.get("measure") or edit.get("probe") or edit.get("table") or edit.get("hierarchy")
    inner = inner or edit.get("folio") or edit.get("check") or edit.get("clearance") or {}
    name = edit.get("name") or inner.get("name")
    if name or "link" not in edit:
        return str(name or "")
    ends = [x if isinstance(x, str) else ", ".join(x) for x in (inner.get("from", ""), inner.get("to", ""))]
    return f"{ends[0]} = {ends[1]}"


def title(edit: Edit) -> str:
    """The edit in a few words, as undo and redo name it."""
    kind, name = edit["kind"], _subject(edit)
    if edit.get("title"):
        return str(edit["title"])
    if kind == "together":
        return "; ".join(title(x) for x in edit["edits"][:3]) + (" …" if len(edit["edits"]) > 3 else "")
    if kind == "change_link":
        done = edit["set"]
        if set(done) == {"active"}:
            return f"switch {name} {'on' if done['active'] else 'off'}"
        return f"make {name} {done['flow']}" if set(done) == {"flow"} else f"change link {name}"
    if kind == "put_renamed":
        return "remember former names"
    if kind.endswith("finding"):
        reason = f": {edit['reason']}" if edit.get("reason") else ""
        return f"{kind.split('_')[0]} the finding about {edit['about']}{reason}"
    if kind == "place_tables":
        return f"move {', '.join(k.split('/')[-1] for k in edit['places'])}"
    verb, what = kind.split("_")
    return f"{'save' if verb == 'put' else verb} {what} {name}"


def touches(edit: Edit) -> frozenset[str]:
    """What the edit changes. Links are judged together: whether one may be active depends on the others."""
    kind = edit["kind"]
    if kind == "together":
        return frozenset[str]().union(*(touches(x) for x in edit["edits"]))
    if kind.endswith("table"):
        names = {_subject(edit), str((edit.get("set") or {}).get("name") or _subject(edit))}
        return frozenset(f"table {name.lower()}" for name in names)
    if kind == "put_renamed":
        return frozenset({"former names"})
    if kind.endswith("link"):
        return frozenset({"links", f"link {_subject(edit).lower()}"})
    if kind.endswith("finding"):
        return frozenset({f"finding {edit['code']} {edit['about']} {edit.get('key', '')}"})
    if kind == "place_tables":
        return frozenset(f"place {key}" for key in edit["places"])
    what = kind.split("_")[1]
    named = {_subject(edit), str(edit["set"].get("name") or _subject(edit))} if kind == "change_measure" else {_subject(edit)}
    named |= {str(edit["was"])} if edit.get("was") else set()
    return frozenset(f"{what} {name.lower()}" for name in named)
