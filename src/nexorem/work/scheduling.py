"""Schedules: tables loaded by themselves, taken in where nothing breaks and held where something would."""

from __future__ import annotations

import datetime as dt
import logging
import threading
from typing import Any

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.language.former import present_name
from nexorem.core.model.check_specs import FreshMust, QueryMust
from nexorem.core.words import counted
from nexorem.gather.frame import same_rows
from nexorem.gather.jobs import Job
from nexorem.store import rows, sources
from nexorem.work import checking, loading, staying
from nexorem.work.actor import SCHEDULE, Actor, Need
from nexorem.work.shaping import table_of
from nexorem.work.workspace import Workspace

log = logging.getLogger("nexorem")
CHECKED_AGAIN = dt.timedelta(hours=1)


def schedules(workspace: Workspace, model_id: int) -> list[dict[str, Any]]:
    """When the tables of a model are loaded by themselves."""
    with workspace.engine.connect() as connection:
        return sources.schedules(connection, model_id)


def put_schedule(workspace: Workspace, actor: Actor, model_id: int, table: str, minutes: int, now: dt.datetime) -> None:
    """Sets the schedule of a table that can be loaded again, or ends it (`minutes` 0)."""
    actor.must(Need.BRING)
    _, star = workspace.star(model_id)
    if table != sources.EVERYTHING:
        loading.source_of(table_of(star.model, table))
    with workspace.engine.begin() as connection:
        sources.put_schedule(connection, model_id, table, minutes, now)


def run_due(workspace: Workspace, now: dt.datetime) -> int:
    """Loads what its schedule says is due; gives how many schedules were run."""
    with workspace.engine.begin() as connection:
        due = sources.take_due(connection, now)
    for model_id, table in due:
        try:
            words = load_again(workspace, model_id, table)
        except Refused as refused:
            words = f"failed: {refused.diagnostics[0].message}"
        except Exception:
            log.exception("a scheduled load failed")
            words = "failed: an internal error of the server"
        with workspace.engine.begin() as connection:
            sources.keep_result(connection, model_id, table, words)
    return len(due)


def load_again(workspace: Workspace, model_id: int, table: str) -> str:
    """Loads a table, or all that have a source; holds what would break something. Gives what came of it in words."""
    model = workspace.star(model_id)[0].model
    names = (
        [t.name for t in model.tables if loading.can_reload(t)] if table == sources.EVERYTHING else [present_name(model, "table", table)]
    )
    stay = [t.name for t in model.tables if t.stays and t.name in names]
    looked = _looked_again(workspace, model_id, stay) if stay else ""
    names = [n for n in names if n not in stay]
    if not names:
        return looked
    job = loading.start_reading(workspace, SCHEDULE, model_id, {"tables": names})
    try:
        job.wait()
        return _settle(workspace, model_id, job)
    finally:
        workspace.jobs.drop(job)


def _looked_again(workspace: Workspace, model_id: int, names: list[str]) -> str:
    """Looks again at tables that stay and have changed where they are."""
    changed = [n for n in names if staying.has_changed(workspace, model_id, n)]
    if not changed:
        return "nothing has changed"
    staying.look_again(workspace, SCHEDULE, model_id, changed, workspace.star(model_id)[0].version)
    return f"looked again at {counted(len(changed), 'table')}"


def _settle(workspace: Workspace, model_id: int, job: Job) -> str:
    """Takes what a scheduled reading brought, or holds it; rows that are the same as before are neither."""
    failed = [i for i in job.items if i.state != "read"]
    if failed:
        said = failed[0].errors[0]["message"] if failed[0].errors else "it was not read"
        raise refuse("load_failed", f"{failed[0].name}: {said}")
    model = workspace.star(model_id)[0].model
    changed = [(p, i) for p, i in enumerate(job.items) if not same_rows(workspace.base(table_of(model, i.table)), job.frame(p))]
    if not changed:
        return "nothing has changed"
    chosen = [{"place": place, "table": item.table} for place, item in changed]
    comparison = loading.comparison(workspace, model_id, job, chosen)
    if not comparison["breaks"]:
        loading.take(workspace, SCHEDULE, model_id, job, chosen, workspace.star(model_id)[0].version)
        return f"loaded {counted(sum(item.size for _, item in changed), 'row')}"
    with workspace.engine.begin() as connection:
        for old in rows.loads_of(connection, model_id):
            # The newest one that is held says all that those before it did.
            if old["state"] == "held" and present_name(model, "table", old["table"]) in {item.table for _, item in changed}:
                rows.drop_load(connection, old["id"])
        for place, item in changed:
            more = {"source": item.source, "report": {**loading.short_report(item.report or {}), "breaks": comparison["breaks"]}}
            rows.save_load(connection, model_id, str(item.table), job.frame(place), author=SCHEDULE.name, state="held", **more)
    return f"held: {comparison['breaks'][0]['message']}"


def check_again(workspace: Workspace) -> int:
    """Asks for the checks of every model that has one whose outcome changes by itself, as what a database says and the age of loads; gives
    how many models these are."""
    count = 0
    for item in workspace.listed():
        model = workspace.star(item["id"])[0].model
        if any(isinstance(c.must, QueryMust | FreshMust) for c in model.checks):
            checking.start(workspace, SCHEDULE, item["id"], again=True)
            count += 1
    return count


class Clock:
    """Looks for schedules that are due, and once an hour for checks whose outcomes change by themselves, in a thread of its own."""

    def __init__(self, workspace: Workspace, every: float = 15.0) -> None:
        self.workspace, self.every = workspace, every
        self._stop = threading.Event()
        threading.Thread(target=self._run, name="schedules", daemon=True).start()

    def _run(self) -> None:
        asked = dt.datetime.now(dt.UTC)
        while not self._stop.wait(self.every):
            now = dt.datetime.now(dt.UTC)
            try:
                run_due(self.workspace, now)
                if now - asked > CHECKED_AGAIN:
                    asked = now
                    check_again(self.workspace)
            except Exception:
                log.exception("schedules could not be looked at")

    def stop(self) -> None:
        """No more loads."""
        self._stop.set()
