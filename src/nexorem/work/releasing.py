"""Releases: what one would say, making it, seeing the model as of it, comparing it, and bringing the draft back to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from nexorem.core.checks.compared import checked_moved, looked_moved
from nexorem.core.checks.coverage import Verdict, share_noticed
from nexorem.core.checks.moved import named_then
from nexorem.core.checks.outcome import Outcome
from nexorem.core.design.change import reach_change
from nexorem.core.design.changed import parts_changed
from nexorem.core.diagnostics import refuse
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.model import Model, link_json, plain, table_json
from nexorem.core.model.specs import ProbeSpec, adapter_of, spec_json
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.store import models, outcomes, releases
from nexorem.store.outcomes import KeptState
from nexorem.work import proving
from nexorem.work.actor import Actor, Need
from nexorem.work.beside import beside
from nexorem.work.checking import Checker, is_silenced
from nexorem.work.workspace import Workspace

MOST_WORDS = 20_000
DRAFT = "draft"


def listed(workspace: Workspace, model_id: int) -> list[dict[str, Any]]:
    """The releases of a model, the newest first, with what was proven of each."""
    workspace.star(model_id)
    return releases.listed(workspace.engine, model_id)


def star_at(workspace: Workspace, model_id: int, release: int | str | None) -> Star:
    """The model as of a release, by number, name or `latest`; without one as it stands."""
    if release is None or release == DRAFT:
        return workspace.star(model_id)[1]
    return workspace.release(model_id, releases.numbered(workspace.engine, model_id, str(release)))


def preview(workspace: Workspace, model_id: int) -> dict[str, Any]:
    """What a release made now would say: what changed since the last one, which checked numbers moved, and what stops it."""
    stored, star = workspace.star(model_id)
    last, since = _since_last(workspace, model_id, star)
    evidence = _evidence(workspace, model_id, stored, star)
    numbered = {"number": (last or 0) + 1, "last": last, "version": stored.version}
    return numbered | since | {"evidence": evidence, "stops": _stops(evidence)}


def _since_last(workspace: Workspace, model_id: int, now: Star) -> tuple[int | None, dict[str, Any]]:
    """The newest release, and what is other since it; nothing where there is none."""
    kept = releases.listed(workspace.engine, model_id)
    if not kept:
        return None, {"changes": [], "moved": [], "reach": None}
    last = int(kept[0]["number"])
    before = workspace.release(model_id, last)
    moved = list(checked_moved(before, now, f"release {last}", workspace.budget))
    return last, {"changes": parts_changed(before.model, now.model), "moved": moved, "reach": reach_change(before, now)}


def _evidence(workspace: Workspace, model_id: int, stored: models.Stored, star: Star) -> dict[str, Any]:
    """What checks say of the model as it stands, each computed where it is not kept, and what the newest coverage of it says."""
    checker = Checker(workspace, model_id, star.model)
    kept_states = outcomes.states(workspace.engine, model_id) if star.model == stored.model else {}
    checks = []
    for check in star.model.checks:
        state = kept_states.get(check.name)
        told: KeptState | Outcome = state if state and state.version == stored.version else checker.of(star, check).outcome
        words = {"name": check.name, "state": told.state, "sentence": told.sentence, "guards": list(check.guards)}
        checks.append(words | {"folder": check.folder, "silenced": is_silenced(check)})
    kept = outcomes.coverage(workspace.engine, model_id)
    coverage = None
    if kept is not None and kept[0] == stored.version:
        verdicts = [adapter_of(Verdict).validate_python(c["verdict"]) for c in kept[1]]
        noticed, of = share_noticed(verdicts)
        coverage = {"noticed": noticed, "of": of, "changes": len(verdicts)}
    return {"checks": checks, "coverage": coverage, "proofs": _proofs(workspace, model_id, star)}


def _proofs(workspace: Workspace, model_id: int, star: Star) -> list[dict[str, Any]]:
    """The grids that SQL was asked about as they are now."""
    told = []
    for one in proving.kept(workspace, model_id, star):
        if one.proof is not None and one.made_at is not None:
            words = {"about": one.about, "state": one.proof.state, "sentence": one.proof.sentence, "cells": one.proof.equal}
            told.append(words | {"by": one.proof.by, "made_at": one.made_at.isoformat()})
    return told


def _stops(evidence: Mapping[str, Any]) -> list[str]:
    """The checks that guard releases and do not hold."""
    stopping = (c for c in evidence["checks"] if "releases" in c["guards"] and c["state"] != "holds" and not c["silenced"])
    return [c["name"] for c in stopping]


def make(workspace: Workspace, actor: Actor, model_id: int, words: Mapping[str, str], base: int) -> int:
    """Makes a release of the model as it stands, with its name, its notes, and the reason where a guarding check fails. Refuses one of a
    model that has moved on since `base`, and one that a guarding check stops without a reason: never half of it."""
    actor.must(Need.KEEP)
    name = " ".join(words.get("name", "").split())
    notes, reason = words.get("notes", "").strip(), words.get("reason", "").strip()
    if max(map(len, (name, notes, reason))) > MOST_WORDS:
        raise refuse("too_long", f"A name, notes or a reason are longer than {MOST_WORDS:,} characters.", "Write less.", "notes")
    seen = preview(workspace, model_id)
    if seen["version"] != base:
        raise models.Conflict("The model has changed since this release was looked at.", [], seen["version"])
    if seen["stops"] and not reason:
        raise refuse("check_fails", f"{seen['stops'][0]} fails, and guards releases.", "Mend it, or write why it may be.", "reason")
    evidence = as_json({k: seen[k] for k in ("changes", "moved", "reach")} | seen["evidence"])
    said = {"name": name or f"Release {seen['number']}", "notes": notes, "reason": reason}
    return models.release(workspace.engine, model_id, base, actor.name, evidence, said)


def keep(workspace: Workspace, actor: Actor, model_id: int, model: Model, words: Mapping[str, str]) -> int:
    """Keeps a state of a model as its next release, with what its checks say and what changed since the one before."""
    actor.must(Need.KEEP)
    star = workspace.edited(model_id, model)
    stored = replace(workspace.star(model_id)[0], model=star.model)
    _, since = _since_last(workspace, model_id, star)
    evidence = as_json(since | _evidence(workspace, model_id, stored, star))
    said = {"name": words["name"], "notes": words["notes"], "reason": words.get("reason", "")}
    return models.release(workspace.engine, model_id, stored.version, actor.name, evidence, said, star.model)


def read(workspace: Workspace, model_id: int, release: int | str) -> dict[str, Any]:
    """A release with what was proven of it."""
    number = releases.numbered(workspace.engine, model_id, str(release))
    return next(r for r in releases.listed(workspace.engine, model_id) if r["number"] == number)


def as_stored(stored: models.Stored, star: Star) -> models.Stored:
    """A stored model with a release in the place of its draft: there is nothing to undo in it, and no edit gives it another version."""
    return replace(stored, model=star.model, undo=None, redo=None, version=0, edits=0)


def compared(workspace: Workspace, model_id: int, first: int | str, second: int | str) -> dict[str, Any]:
    """Two releases, or a release and the draft: what is written, who filters whom, and the numbers."""
    sides = [star_at(workspace, model_id, x) for x in (first, second)]
    return stars_compared(sides[0], sides[1], _name(first), workspace.budget)


def _name(release: int | str) -> str:
    return "the draft" if release == DRAFT else f"release {release}"


def stars_compared(before: Star, after: Star, where: str, budget: Callable[[], Budget]) -> dict[str, Any]:
    """Two models compared: parts, reach, and the numbers of the second's probes and checks beside the first's."""
    return {
        "changes": parts_changed(before.model, after.model),
        "reach": reach_change(before, after),
        "checked": list(checked_moved(before, after, where, budget)),
        "looked": list(looked_moved(before, after, where, budget)),
    }


def probe_beside(workspace: Workspace, model_id: int, release: int | str, probe: ProbeSpec, budget: Budget) -> dict[str, Any]:
    """A probe as of a release, beside the draft."""
    then, now = star_at(workspace, model_id, release), star_at(workspace, model_id, None)
    former = named_then(then.model, now.model, probe)
    return beside(answer(then, read_probe(then, former), budget), answer(now, read_probe(now, probe), budget), budget)


def bring_back(workspace: Workspace, actor: Actor, model_id: int, release: int | str, base: int) -> models.Stored:
    """Brings the draft back to a release: one edit, which undo takes back. Releases and what is accepted of findings stay."""
    actor.must(Need.EDIT)
    stored, _ = workspace.star(model_id)
    number = releases.numbered(workspace.engine, model_id, str(release))
    kept = releases.load(workspace.engine, model_id, number)
    edits = edits_towards(stored.model, kept.model)
    if not edits:
        raise refuse("same", f"The draft is as release {number} already.", "There is nothing to bring back.")
    change = {"kind": "together", "edits": edits, "title": f"bring back release {number}"}
    return workspace.edit(actor, model_id, change, base)


def edits_towards(now: Model, then: Model) -> list[dict[str, Any]]:
    """Edits that make one model of the other: what is over goes, what lacks comes, what differs is put anew; where tables stand and what is
    accepted of findings stays. Links go before tables and come after them, for they name their columns."""
    edits: list[dict[str, Any]] = [{"kind": "remove_measure", "name": m.name} for m in now.measures if m not in then.measures]
    edits += [{"kind": "remove_link", "name": k.name} for k in now.links if k not in then.links]
    edits += _tables_towards(now, then)
    edits += [{"kind": "add_link", "link": link_json(k), "at": i} for i, k in enumerate(then.links) if k not in now.links]
    edits += [{"kind": "add_measure", "measure": plain(m), "at": i} for i, m in enumerate(then.measures) if m not in now.measures]
    for kind, attribute in (("probe", "probes"), ("folio", "folios"), ("hierarchy", "hierarchies"), ("check", "checks")):
        mine, theirs = getattr(now, attribute), getattr(then, attribute)
        edits += [{"kind": f"remove_{kind}", "name": x.name} for x in mine if x.name not in {y.name for y in theirs}]
        edits += [{"kind": f"put_{kind}", kind: spec_json(x)} for x in theirs if x not in mine]
    if now.renamed != then.renamed:
        edits.append({"kind": "put_renamed", "renamed": [spec_json(x) for x in then.renamed]})
    return edits


def _tables_towards(now: Model, then: Model) -> list[dict[str, Any]]:
    """Edits of tables: those that are over go, the others come or get what is other."""
    kept, was = {t.name for t in then.tables}, {t.name: t for t in now.tables}
    edits: list[dict[str, Any]] = [{"kind": "remove_table", "name": t.name} for t in now.tables if t.name not in kept]
    for table in then.tables:
        data = table_json(table)
        if table.name not in was:
            edits.append({"kind": "add_table", "table": data})
        elif table != was[table.name]:
            before = table_json(was[table.name])
            changed = {k: data.get(k) for k in dict.fromkeys([*data, *before]) if data.get(k) != before.get(k)}
            edits.append({"kind": "change_table", "name": table.name, "set": changed})
    return edits
