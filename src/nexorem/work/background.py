"""What runs in the background: tasks taken from the queue in threads of their own, people's requests first."""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

from nexorem.core.diagnostics import Refused
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec, NoneMust, QueryMust
from nexorem.core.model.star import Star
from nexorem.store import models, outcomes, tasks
from nexorem.store.outcomes import KeptState
from nexorem.work.blaming import StoredPast, check_moves
from nexorem.work.checking import KIND, Checker
from nexorem.work.workspace import Workspace

log = logging.getLogger("nexorem")
TELL_SECONDS = 0.2  # between two words about how far something is
LOOK_SECONDS = 0.1  # between two looks at whether there is a newer version
SLOWEST = (QueryMust, NoneMust)  # those of other checks are known by then
BEAT_SECONDS = 15.0  # without a notice, the queue is looked at this often
LOW = 10  # by how much less of the processor the threads ask for


def ask_for_little() -> None:
    """Makes the present thread one of low priority."""
    with suppress(OSError, AttributeError):  # where the system has no such thing
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), LOW)


@dataclass(slots=True)
class Run:
    """One go over the checks of a model. `wait` lets people's requests go first; it and the stop are looked at between two checks."""

    workspace: Workspace
    model_id: int
    again: bool = False
    wait: Callable[[], None] = lambda: None
    budget: Callable[[], Budget] | None = None

    def all(self) -> bool:
        """Runs until every check of the newest version is computed; False where somebody stopped it. After an edit meanwhile it begins
        anew, with what that edit touched; nothing is computed twice."""
        try:
            while True:
                ended = self._version()
                if ended != "overtaken":
                    return ended == "done"
        finally:
            done = tasks.progress_of(self.workspace.engine, self.model_id, KIND)
            tasks.tell(self.workspace.engine, self.model_id, KIND, done.done, done.total, running=False)
            models.notify(self.workspace.engine, self.model_id, KIND)

    def _version(self) -> Literal["done", "overtaken", "stopped"]:
        engine, model_id = self.workspace.engine, self.model_id
        stored, star = self.workspace.star(model_id)
        before = outcomes.states(engine, model_id)
        checks = self._ordered(star.model.checks, before)
        checker = Checker(self.workspace, model_id, star.model, self.budget)
        tasks.tell(engine, model_id, KIND, 0, len(checks))
        made: list[KeptState] = []
        spoken = looked = time.monotonic()
        for number, check in enumerate(checks, 1):
            self.wait()
            if time.monotonic() - looked > LOOK_SECONDS or number == len(checks):
                if models.version_of(engine, model_id) != stored.version:
                    outcomes.put_states(engine, model_id, made)
                    return "overtaken"
                looked = time.monotonic()
            made.append(checker.state(star, check, stored, before.get(check.name), self.again))
            if time.monotonic() - spoken > TELL_SECONDS or number == len(checks):
                outcomes.put_states(engine, model_id, made)
                made, spoken = [], time.monotonic()
                if tasks.tell(engine, model_id, KIND, number, len(checks)) and number < len(checks):
                    return "stopped"
                models.notify(engine, model_id, KIND)
        outcomes.keep_states(engine, model_id, [c.name for c in checks])
        self._keep_moved(stored, star, before)
        outcomes.forget_outcomes(engine, model_id)
        return "done"

    def _ordered(self, checks: Sequence[CheckSpec], before: dict[str, KeptState]) -> list[CheckSpec]:
        """Those first whose tables, links or measures an edit touched since they were last computed; what asks databases last."""
        oldest = min((s.version for s in before.values()), default=0)
        touched = models.touched_since(self.workspace.engine, self.model_id, oldest)

        def rank(check: CheckSpec) -> tuple[bool, bool]:
            state = before.get(check.name)
            names = {f"{kind} {n.lower()}" for kind, each in state.stands_on.items() for n in each} if state else touched
            return isinstance(check.must, SLOWEST), names.isdisjoint(touched)

        return sorted(checks, key=rank)

    def _keep_moved(self, stored: models.Stored, star: Star, before: dict[str, KeptState]) -> None:
        """Keeps which edit moved each check that is in another state now; where there were several edits, it is looked for among them."""
        now = outcomes.states(self.workspace.engine, self.model_id)
        past = StoredPast(self.workspace, self.model_id)
        moved = []
        for check in star.model.checks:
            was, state = before.get(check.name), now.get(check.name)
            if was is None or state is None or was.state == state.state or was.position >= state.position:
                continue
            number = state.position
            if number - was.position > 1:
                for step in check_moves(self.workspace, self.model_id, past, star, check):
                    if step.before != step.after:
                        number = step.number
                        break
            if was.position < number <= stored.edits:
                moved.append((number, check.name, was.state, state.state))
        outcomes.put_moved(self.workspace.engine, self.model_id, moved)


Doing = Callable[[tasks.Task], None]


class Background:
    """Takes tasks from the queue: a thread for each group of kinds."""

    def __init__(self, workspace: Workspace, groups: Sequence[dict[str, Doing]]) -> None:
        self.engine = engine = workspace.engine
        self._stop = threading.Event()
        tasks.nothing_runs(engine)
        for doing in groups:
            name = " and ".join(doing)
            threading.Thread(target=self._run, args=(doing,), name=name, daemon=True).start()

    def _run(self, doing: dict[str, Doing]) -> None:
        ask_for_little()
        for _ in tasks.notices(self.engine, BEAT_SECONDS):
            try:
                while not self._stop.is_set() and self._one(doing):
                    pass
            except tasks.StoreGone as gone:  # it is asked again with the next notice
                log.warning("the queue could not be read: %s", gone)
            except Exception:
                log.exception("the queue could not be read")
            if self._stop.is_set():
                return

    def _one(self, doing: dict[str, Doing]) -> bool:
        """Does the oldest task; whether there was one. One that fails is told in the log and not tried again."""
        with tasks.taken(self.engine, list(doing)) as task:
            if task is None:
                return False
            try:
                doing[task.kind](task)
            except Refused as refused:  # its model was removed meanwhile
                log.info("%s of model %s: %s", task.kind, task.model_id, refused.diagnostics[0].message)
            except Exception as error:
                if tasks.is_gone(error):
                    raise
                log.exception("%s of model %s failed", task.kind, task.model_id)
            return True

    def stop(self) -> None:
        """No more tasks."""
        self._stop.set()
