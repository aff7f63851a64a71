"""What clearances come to: which tables their rules reach, and a probe as somebody who has one sees it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.engine.cleared import PERSON, Cleared, bound_rules, for_person, reached_by
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.specs import ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.work.actor import Actor, Need, Sight, seeing
from nexorem.work.beside import beside
from nexorem.work.workspace import Workspace

SOMEBODY = dict.fromkeys(PERSON, "")


def reaches(star: Star) -> list[dict[str, Any]]:
    """For each clearance the tables that its rules come to, and those that they do not; or what is wrong with it."""
    told = []
    for clearance in star.model.clearances:
        item: dict[str, Any] = {"name": clearance.name, "rules": list(clearance.rules), "reached": [], "missed": [], "wrong": ""}
        try:
            reached = reached_by(star, bound_rules(star, [for_person(x, SOMEBODY) for x in clearance.rules]))
            item["reached"] = [t.name for t in star.model.tables if t.name in reached]
            item["missed"] = [t.name for t in star.model.tables if t.name not in reached]
        except Refused as refused:
            item["wrong"] = refused.diagnostics[0].message
        told.append(item)
    return told


def seen_as(
    workspace: Workspace, actor: Actor, model_id: int, probe: ProbeSpec, clearance: str, who: Mapping[str, str], budget: Budget
) -> dict[str, Any]:
    """A probe as the actor sees it, beside how somebody with a clearance does: the same engine over the rows that are left to them. `sizes`
    are the tables' rows before the rules."""
    actor.must(Need.KEEP)
    _, star = workspace.star(model_id)
    if star.model.clearance(clearance) is None:
        names = [x.name for x in star.model.clearances]
        raise refuse("no_clearance", f"There is no clearance {clearance[:200]}.", near_hint(clearance, names))
    with seeing(Sight(clearance, {k: v for k, v in who.items() if v})):
        theirs = workspace.star(model_id)[1]
    told: Cleared = theirs.cleared
    return {
        "grid": beside(answer(theirs, read_probe(theirs, probe), budget), answer(star, read_probe(star, probe), budget), budget),
        "rules": told.rules,
        "tables": as_json(told.tables),
        "sizes": [star.size(x.table) for x in told.tables],
    }
