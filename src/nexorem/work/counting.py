"""Columns of large tables that stay, counted exactly in the background: a statement a column, as the profiles of samples are not exact."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.limits import Budget
from nexorem.store import models, tasks
from nexorem.store.column_counts import column_counts, known_counts
from nexorem.store.sides import asking_for
from nexorem.store.staying import Staying
from nexorem.store.watching import watched
from nexorem.work.actor import Actor, Need
from nexorem.work.shaping import table_of
from nexorem.work.workspace import Workspace

KIND = "counts"
EVERY = 0.5  # seconds between two looks at whether it is to stop


def start(workspace: Workspace, actor: Actor, model_id: int, name: str) -> None:
    """Asks for the columns of a table that stays to be counted."""
    actor.must(Need.LOOK)
    stored, star = workspace.star(model_id)
    table = table_of(stored.model, name)
    if table.name not in star.stay:
        raise refuse("not_there", f"The rows of {table.name} are here, and counted.", "Look at its profile.", table.name)
    with workspace.engine.begin() as connection:
        tasks.put(connection, model_id, KIND, **{table.name: True})


def described(workspace: Workspace, model_id: int) -> dict[str, Any]:
    """How far it is."""
    progress = tasks.progress_of(workspace.engine, model_id, KIND)
    waits = progress.running or tasks.waiting(workspace.engine, model_id, KIND)
    return {"running": waits, "done": progress.done, "total": progress.total, "words": progress.words}


def run(workspace: Workspace, model_id: int, names: Iterable[str]) -> None:
    """Counts the columns of some tables that nobody counted yet. Ends when it is to stop, with the statement that is being answered; what
    was counted by then is kept. What a place says against it is kept as the words of the progress."""
    engine = workspace.engine
    _, star = workspace.star(model_id)
    there = star.elsewhere
    assert isinstance(there, Staying)
    columns = [(t, c) for t in names if t in star.stay for c in star.sampled.rows[t].columns if known_counts(there, t, c) is None]
    tasks.tell(engine, model_id, KIND, 0, len(columns))
    done, said = 0, ""
    budget = Budget()

    def stop_if_wanted() -> bool:
        stops = tasks.progress_of(engine, model_id, KIND).stopping
        if stops:
            budget.cancel()
        return stops

    try:
        with asking_for(budget), watched(stop_if_wanted, EVERY, "stop of counts"):
            for done, (table, column) in enumerate(columns):
                tasks.tell(engine, model_id, KIND, done, len(columns), words=f"{table}.{column}")
                models.notify(engine, model_id, KIND)
                column_counts(there, table, [column])
            done = len(columns)
    except Refused as refused:
        said = "stopped" if budget.is_cancelled else refused.diagnostics[0].message
    finally:
        tasks.tell(engine, model_id, KIND, done, len(columns), running=False, words=said)
        models.notify(engine, model_id, KIND)
