"""Checks of a stored model: computed once and kept by what they were computed from, told, and compared between two states."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from nexorem.core.checks.basis import check_basis
from nexorem.core.checks.outcome import Outcome
from nexorem.core.checks.run import run_check
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec, FreshMust, QueryMust
from nexorem.core.model.model import Model
from nexorem.core.model.specs import adapter_of
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import Basis
from nexorem.core.results import Result, as_json
from nexorem.store import models, outcomes, tasks
from nexorem.store.outcomes import KeptState
from nexorem.work.actor import Actor, Need
from nexorem.work.outside import StoredOutside
from nexorem.work.workspace import Workspace

KIND = "checks"
EDITION = 2  # of what is kept of an outcome: one of another edition is computed anew
MOST_MOVES = 20


@dataclass(frozen=True, slots=True)
class CheckMoved(Result):
    """A check that is in another state afterwards; `guards` tells what it would hold up."""

    name: str
    before: str
    after: str
    sentence: str
    guards: tuple[str, ...] = ()
    silenced: bool = False


@dataclass(frozen=True, slots=True)
class Computed:
    """What came of a check on a star: its outcome, what that stands on, and the digest that it is kept under (`` where it is not kept)."""

    outcome: Outcome
    basis: Basis | None
    digest: str


class Checker:
    """Runs the checks of one stored model, on any state of it. What came of one is kept by what it was computed from, so it is computed
    once."""

    def __init__(self, workspace: Workspace, model_id: int, model: Model, budget: Callable[[], Budget] | None = None) -> None:
        self.workspace, self.model_id = workspace, model_id
        self.budget = budget or workspace.budget
        self.outside = StoredOutside(workspace, model_id, model)

    def of(self, star: Star, check: CheckSpec, again: bool = False) -> Computed:
        """What comes of a check; with `again` one that asks a database is asked anew."""
        basis = check_basis(star, check)
        return self._of(star, check, basis, self._digest(star, check, basis), again)

    def _of(self, star: Star, check: CheckSpec, basis: Basis | None, digest: str, again: bool) -> Computed:
        kept = outcomes.outcome(self.workspace.engine, self.model_id, digest) if digest and not again else None
        if kept is not None:
            return Computed(outcome_of(kept[0]), basis, digest)
        started = time.monotonic()
        outcome = run_check(star, check, self.budget(), self.outside)
        if digest:
            outcomes.put_outcome(self.workspace.engine, self.model_id, digest, as_json(outcome), time.monotonic() - started)
        return Computed(outcome, basis, digest)

    def state(self, star: Star, check: CheckSpec, stored: models.Stored, before: KeptState | None, again: bool = False) -> KeptState:
        """How a check stands, to be kept. Where what it is computed from is what it was `before`, nothing is asked of the store."""
        basis = check_basis(star, check)
        digest = self._digest(star, check, basis)
        if before is not None and digest and digest == before.digest and not again:
            now = dt.datetime.now(dt.UTC)
            return replace(before, version=stored.version, position=stored.edits, stands_on=_stands_on(basis), made_at=now)
        return kept_state(check, self._of(star, check, basis, digest, again), stored)

    def _digest(self, star: Star, check: CheckSpec, basis: Basis | None) -> str:
        """What an outcome is kept under; empty where nothing tells whether it would be the same again."""
        if basis is None or isinstance(check.must, FreshMust):
            return ""
        try:
            mark = self.outside.mark(check)
        except Refused:
            return ""
        return f"{EDITION} {basis.digest(star)} {mark}".strip()


def outcome_of(data: object) -> Outcome:
    """An outcome from its JSON."""
    made: Outcome = adapter_of(Outcome).validate_python(data)
    return made


def kept_state(check: CheckSpec, computed: Computed, stored: models.Stored) -> KeptState:
    """How a check stands, to be kept."""
    outcome, stands_on = computed.outcome, _stands_on(computed.basis)
    first = outcome.failures[0] if outcome.failures else None
    at = {"measure": first.measure or next(iter(first.values), ""), "at": dict(first.at)} if first else {}
    now = dt.datetime.now(dt.UTC)
    words = outcome.sentence, outcome.tested, outcome.failed
    return KeptState(check.name, stored.version, stored.edits, computed.digest, outcome.state, *words, stands_on, at, now)


def _stands_on(basis: Basis | None) -> dict[str, list[str]]:
    return {"table": [*basis.tables], "link": [*basis.links], "measure": [*basis.measures]} if basis else {}


def is_silenced(check: CheckSpec) -> bool:
    """Whether a check is silenced today."""
    return check.silenced is not None and dt.date.fromisoformat(check.silenced.until) >= dt.datetime.now(dt.UTC).date()


def checks_moved(workspace: Workspace, model_id: int, now: Star, then: Star) -> list[CheckMoved]:
    """The checks that are in another state on `then` than on `now`, two states of a model, those that come to fail first; one that only one
    of them has is not in it. What both share is not computed again. Cost: the checks that what differs touches."""
    sides = [Checker(workspace, model_id, star.model) for star in (now, then)]
    moved = []
    for check in now.model.checks:
        later = next((c for c in then.model.checks if c.name == check.name), None)
        if later is None or isinstance(check.must, QueryMust):
            continue
        before, after = sides[0].of(now, check), sides[1].of(then, later)
        if before.outcome.state != after.outcome.state:
            words = after.outcome.sentence
            moved.append(CheckMoved(check.name, before.outcome.state, after.outcome.state, words, check.guards, is_silenced(check)))
    return sorted(moved, key=lambda m: m.after == "holds")


def check_of(model: Model, name: str) -> CheckSpec:
    """A check by its name."""
    check = next((c for c in model.checks if c.name.lower() == name.lower()), None)
    if check is None:
        raise refuse("unknown_check", f"The check {name} does not exist.", "Choose one of Prove.")
    return check


def described(workspace: Workspace, model_id: int) -> dict[str, object]:
    """All checks of a model with how they stand, and how far the run is. One that was computed for an older version is `old` until it is
    known to be the same."""
    stored, star = workspace.star(model_id)
    kept = outcomes.states(workspace.engine, model_id)
    progress = tasks.progress_of(workspace.engine, model_id, KIND)
    waits = progress.running or tasks.waiting(workspace.engine, model_id, KIND)
    return {
        "version": stored.version,
        "checks": [_described(check, kept.get(check.name), stored.version) for check in star.model.checks],
        "done": progress.done,
        "total": progress.total,
        "running": waits,
    }


def _described(check: CheckSpec, kept: KeptState | None, version: int) -> dict[str, object]:
    answer: dict[str, object] = {"name": check.name, "silenced": is_silenced(check), "state": "not run", "sentence": "It was not run yet."}
    answer |= {"old": True, "tested": 0, "failed": 0, "tables": [], "links": [], "measures": [], "at": None, "made_at": None}
    if kept is None:
        return answer
    on = {f"{kind}s": list(names) for kind, names in kept.stands_on.items()}
    answer |= {"state": kept.state, "sentence": kept.sentence, "old": kept.version != version, "tested": kept.tested, "failed": kept.failed}
    return answer | on | {"at": dict(kept.at) or None, "made_at": kept.made_at.isoformat()}


def start(workspace: Workspace, actor: Actor, model_id: int, again: bool = True) -> None:
    """Asks for all checks to be run; what asks databases is asked anew."""
    actor.must(Need.LOOK)
    workspace.star(model_id)
    with workspace.engine.begin() as connection:
        tasks.put(connection, model_id, KIND, again=again)


def outcome_now(workspace: Workspace, model_id: int, check: CheckSpec) -> Outcome:
    """What comes of a check as the model stands, computed where it is not kept."""
    _, star = workspace.star(model_id)
    return Checker(workspace, model_id, star.model).of(star, check).outcome
