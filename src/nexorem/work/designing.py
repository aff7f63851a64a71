"""Links as they are being designed: what a link would be, what edits would do, two states of a model compared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from nexorem.core.design.change import doubles, drawn, reach_change, yielding
from nexorem.core.design.keys import allowed_cardinalities, loose_reason, proven
from nexorem.core.design.opening import Opening, ReachOf, measure_reach, opening, reach_of
from nexorem.core.design.roles import grain_test, hierarchy_faults
from nexorem.core.design.suggest import free_name
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget
from nexorem.core.lint.change import findings_change
from nexorem.core.model.check import check_link_types, check_model, checked_star
from nexorem.core.model.edits import Edit, apply
from nexorem.core.model.model import Link, Model, link_from_json, link_json
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import scans
from nexorem.core.results import as_json
from nexorem.store import models
from nexorem.work.beside import beside
from nexorem.work.checking import checks_moved
from nexorem.work.describe import findings_of, whole
from nexorem.work.shaping import link_edits
from nexorem.work.workspace import Workspace


def _asked_link(star: Star, request: Mapping[str, Any], new: bool) -> Link:
    """The link that is asked about; a new one stands the way round that the data prove, whatever else was chosen for it by then. Refuses
    columns that are never equal."""
    link = link_from_json(star.model, request)
    if link.from_table == link.to_table:
        link = replace(link, active=False)
    wrong = check_link_types(star.model, link)
    if wrong:
        raise Refused(wrong)
    if not new:
        return link
    turned = proven(star, link)
    return replace(turned, cardinality=link.cardinality if "cardinality" in request else turned.cardinality)


def link_preview(star: Star, request: Mapping[str, Any], name: str | None) -> dict[str, Any]:
    """What a link is or would be: the right way round, what the data prove of its keys, firm or loose and why. With `name` it takes the
    place of the link of that name; without, and without a word on its state, it is offered inactive where it would double a path."""
    others = tuple(k for k in star.model.links if name is None or k.name != name)
    link = _asked_link(star, request, new=name is None)
    bare = replace(star.model, links=others)
    link = replace(link, name=str(request.get("name") or free_name(bare, link)))
    edited = star.with_model(replace(bare, links=(*others, link)))
    doubled = doubles(edited.model)
    if "active" not in request and doubled:
        link = replace(link, active=False)
        edited = star.with_model(replace(bare, links=(*others, link)))
    facts = edited.facts(link)
    return {
        "link": link_json(link),
        "text": link.ends_text,
        "from_table": link.from_table,
        "from_columns": list(link.from_columns),
        "to_table": link.to_table,
        "to_columns": list(link.to_columns),
        "proven": proven(star, link).cardinality,
        "allowed": allowed_cardinalities(star, link),
        "firm": link.name in edited.firm,
        "why_loose": loose_reason(edited, link),
        "matched": facts.matched,
        "orphans": facts.orphans,
        "empty": facts.empty,
        "rows": star.size(link.from_table),
        "key_empty": facts.key_empty,
        "repeated": len(facts.repeated),
        "doubles": [drawn(d) for d in doubled],
        "yields": yielding(replace(bare, links=(*others, replace(link, active=True))), [link.name]),
    }


def edited_model(model: Model, edits: Sequence[Edit]) -> Model:
    """The model after edits of links, as one."""
    return apply(model, {"kind": "together", "edits": link_edits(list(edits))})[0] if edits else model


def edited_star(workspace: Workspace, model_id: int, edits: Sequence[Edit]) -> Star:
    """The star after edits of links that are not made; the model's own without any."""
    _, star = workspace.star(model_id)
    return workspace.edited(model_id, edited_model(star.model, edits)) if edits else star


def trial(workspace: Workspace, model_id: int, edits: Sequence[Edit], probe: ProbeSpec | None, budget: Budget) -> dict[str, Any]:
    """What edits of links would do: to who filters whom, to paths, findings, and the numbers of a probe; and what forbids them."""
    _, star = workspace.star(model_id)
    answer_of: dict[str, Any] = {"errors": [], "doubles": [], "yields": [], "comparison": None}
    try:
        model = edited_model(star.model, edits)
        then = workspace.edited(model_id, model)
    except Refused as refused:
        return answer_of | {"errors": [d.as_json() for d in refused.diagnostics]}
    wrong = check_model(then, star)
    if wrong:
        mine = [str(e.get("set", {}).get("name") or e.get("name") or e["link"].get("name", "")) for e in edits]
        return answer_of | {
            "errors": [d.as_json() for d in wrong],
            "doubles": [drawn(d) for d in doubles(model)],
            "yields": yielding(model, mine),
        }
    return answer_of | {"comparison": compared(star, then, probe, budget) | {"checks": checks_moved(workspace, model_id, star, then)}}


def compared(now: Star, then: Star, probe: ProbeSpec | None, budget: Budget) -> dict[str, Any]:
    """Two states of a model: who filters whom, findings, and the same probe under each (None where one of them cannot answer it, and then
    why)."""
    answer_of: dict[str, Any] = {
        **as_json(reach_change(now, then)),
        **as_json(findings_change(findings_of(now), findings_of(then))),
        "grid": None,
        "grid_error": "",
    }
    if not probe or not probe.measures:
        return answer_of
    answers = []
    for star, words in ((now, "As it is, the probe cannot be answered"), (then, "Afterwards the probe could not be answered")):
        try:
            answers.append(answer(star, read_probe(star, probe), budget))
        except Refused as refused:
            first = refused.diagnostics[0].message
            return answer_of | {"grid_error": f"{words}: {first}"}
    return answer_of | {"grid": beside(answers[0], answers[1], budget)}


def variant(workspace: Workspace, model_id: int, edits: Sequence[Edit]) -> dict[str, Any]:
    """The document of the model after edits that are not made; refuses where they cannot be."""
    stored, now = workspace.star(model_id)
    star = checked_star(edited_star(workspace, model_id, edits), now)
    shown = replace(stored, model=star.model)
    return whole(shown, star)


def edit_change(workspace: Workspace, model_id: int, number: int, probe: ProbeSpec | None, budget: Budget) -> dict[str, Any]:
    """What one edit of the history changed: the model before it and after it, compared on their own rows."""
    if number < 1:
        raise refuse("unknown_edit", f"Edit number {number} does not exist.", "Choose one of the history.")
    sides = [workspace.edited(model_id, models.model_at(workspace.engine, model_id, n)) for n in (number - 1, number)]
    return compared(sides[0], sides[1], probe, budget) | {"checks": checks_moved(workspace, model_id, *sides)}


def reach_answer(star: Star, table: str | None, measure: str | None) -> ReachOf:
    """What filters a table or a measure, what it filters, and what is blocked."""
    if measure is not None:
        bound = Binder(star).measure(measure)
        return measure_reach(star, measure, scans(bound))
    table_of_name = star.model.table(str(table))
    if table_of_name is None:
        raise refuse("unknown_table", f"The table {table} does not exist.")
    return reach_of(star, table_of_name.name)


def opening_answer(star: Star, source: str, target: str, measure: str | None) -> Opening:
    """The smallest change that lets a filter on one table reach another; for a measure, with the links as it has them there."""
    names = [t.name for t in star.model.tables]
    if source not in names or target not in names or source == target:
        raise refuse("unknown_table", f"{source} and {target} are not two tables of the model.", "Name two of its tables.")
    state = None
    if measure is not None:
        state = next((s.state for s in scans(Binder(star).measure(measure)) if s.grain == target), None)
    return opening(star, source, target, state)


def shape_answer(star: Star, table: str, columns: Sequence[str]) -> dict[str, Any]:
    """Whether some columns tell the rows of a table apart, and the hierarchies that a table takes part in with what is wrong in them."""
    table_of_name = star.model.table(table)
    if table_of_name is None:
        raise refuse("unknown_table", f"The table {table} does not exist.")
    lost = [c for c in columns if c not in star.rows[table_of_name.name].columns]
    if lost:
        raise refuse("unknown_column", f"{table_of_name.name} has no column {lost[0]}.")
    grain = grain_test(star, table_of_name.name, columns) if columns else None
    hierarchies = []
    for item in star.model.hierarchies:
        try:
            tables = {star.model.find_column(x)[0] for x in item.levels}
        except Refused:
            tables = {table_of_name.name}
        if table_of_name.name in tables:
            hierarchies.append({"name": item.name, "levels": list(item.levels), "faults": hierarchy_faults(star, item)})
    return {"table": table_of_name.name, "grain": grain, "hierarchies": hierarchies}
