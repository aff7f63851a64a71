"""Coverage of a stored model: every change that a person might make by mistake, tried in memory, with its loads and steps too."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from nexorem.core.checks.coverage import Coverage, Covered, Verdict
from nexorem.core.checks.mutations import Mutation, mutations
from nexorem.core.checks.outcome import Outcome
from nexorem.core.diagnostics import Refused
from nexorem.core.language.former import earlier_names
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec, FreshMust, QueryMust
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Model
from nexorem.core.model.specs import adapter_of
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.store import models, outcomes, rows, tasks
from nexorem.work.actor import Actor, Need
from nexorem.work.checking import Checker
from nexorem.work.shaping import completed
from nexorem.work.workspace import Workspace

KIND = "coverage"
TELL_SECONDS = 0.3


@dataclass(slots=True)
class StoredVerdicts:
    """Verdicts that the store keeps, read at once and written as they come."""

    workspace: Workspace
    model_id: int
    kept: dict[str, Any]
    fresh: dict[str, Any] = field(default_factory=dict)

    def get(self, key: str) -> Verdict | None:
        """One of before."""
        data = self.kept.get(key) or self.fresh.get(key)
        return adapter_of(Verdict).validate_python(data) if data is not None else None

    def put(self, key: str, verdict: Verdict) -> None:
        """Keeps one, with the next that are written."""
        self.fresh[key] = as_json(verdict)

    def write(self) -> None:
        """Writes what is new."""
        outcomes.put_verdicts(self.workspace.engine, self.model_id, self.fresh)
        self.kept |= self.fresh
        self.fresh = {}


def run(workspace: Workspace, model_id: int, wait: Callable[[], None], budget: Callable[[], Budget] | None = None) -> bool:
    """Computes the coverage of the model as it stands; False where it was stopped. What was tried before on the same things is not tried
    again, so it goes on where it was stopped."""
    engine = workspace.engine
    stored, star = workspace.star(model_id)
    memory = StoredVerdicts(workspace, model_id, outcomes.verdicts(engine, model_id))
    coverage = coverage_of(workspace, model_id, star, memory, wait, budget)
    changes = [whole(workspace, model_id, star.model, m) for m in mutations(star, earlier_loads(workspace, model_id, star.model))]
    covered: list[Covered] = []
    tasks.tell(engine, model_id, KIND, 0, len(changes))
    spoken, stopped = time.monotonic(), False
    try:
        for change, verdict in zip(changes, coverage.all(changes), strict=True):
            covered.append(verdict)
            if time.monotonic() - spoken > TELL_SECONDS:
                memory.write()
                stopped = tasks.tell(engine, model_id, KIND, len(covered), len(changes), words=f"{change.about}: {change.words}")
                models.notify(engine, model_id, KIND)
                spoken = time.monotonic()
                if stopped:
                    return False
            wait()
    finally:
        memory.write()
        outcomes.put_coverage(engine, model_id, stored.version, [as_json(c) for c in covered])
        tasks.tell(engine, model_id, KIND, len(covered), len(changes), running=False, words="stopped" if stopped else "")
        models.notify(engine, model_id, KIND)
    return True


def whole(workspace: Workspace, model_id: int, model: Model, change: Mutation) -> Mutation:
    """A change of a table's steps or load with the columns that follow from it, as a person's edit is completed; one that cannot be is left
    as it is, and refused when it is tried."""
    if change.kind not in ("step", "load"):
        return change
    (edit,) = change.edits
    asked: Edit = {"kind": "load_tables", "edits": [edit], "title": "", "mends": []}
    if change.kind == "step":
        asked = {"kind": "shape_table", "name": edit["name"], "steps": edit["set"]["steps"]}
    try:
        return replace(change, edits=(completed(workspace, model, asked, model_id=model_id),))
    except Refused as refused:
        return replace(change, edits=(), words=change.words, refused=refused.diagnostics[0].message)


def coverage_of(
    workspace: Workspace,
    model_id: int,
    star: Star,
    memory: StoredVerdicts,
    wait: Callable[[], None],
    budget: Callable[[], Budget] | None = None,
) -> Coverage:
    """What breaks a stored model. Checks that ask a database or the clock take no part: no change of the model reaches what they ask."""
    checker = Checker(workspace, model_id, star.model, budget)

    def outcome(on: Star, check: CheckSpec, _digest: str) -> Outcome:
        if isinstance(check.must, QueryMust | FreshMust):
            return Outcome("holds", "It takes no part.")
        return checker.of(on, check).outcome

    return Coverage(star, lambda model: workspace.edited(model_id, model), outcome, budget or workspace.budget, memory, wait)


def earlier_loads(workspace: Workspace, model_id: int, model: Model) -> dict[str, int]:
    """For each table that has one, the load before the one in force."""
    earlier = {}
    with workspace.engine.connect() as connection:
        for table in model.tables:
            if table.load is not None:
                loads = rows.loads_of(connection, model_id, earlier_names(model, "table", table.name))
                before = [x["id"] for x in loads if x["id"] < table.load and x["state"] == "kept"]
                if before:
                    earlier[table.name] = int(before[0])
    return earlier


def described(workspace: Workspace, model_id: int) -> dict[str, Any]:
    """The newest coverage, and how far a run of it is; `old` where the model has changed since."""
    engine = workspace.engine
    version = models.version_of(engine, model_id)
    kept, progress = outcomes.coverage(engine, model_id), tasks.progress_of(engine, model_id, KIND)
    waits = progress.running or tasks.waiting(engine, model_id, KIND)
    answer = {"done": progress.done, "total": progress.total, "running": waits, "words": progress.words}
    if kept is None:
        return {"changes": [], "old": True, "made_at": None, **answer}
    made_for, changes, made_at = kept
    return {"changes": changes, "old": made_for != version, "made_at": made_at.isoformat(), **answer}


def start(workspace: Workspace, actor: Actor, model_id: int) -> None:
    """Asks for the coverage to be computed."""
    actor.must(Need.LOOK)
    workspace.star(model_id)
    with workspace.engine.begin() as connection:
        tasks.put(connection, model_id, KIND)
