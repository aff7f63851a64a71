"""Tasks that run in the background: a queue in the database. Who takes one holds its row, and those that others hold are passed over."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import psycopg
from sqlalchemy import Connection, Engine, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import OperationalError

from nexorem.store import tables

CHANNEL = "nexorem_task"


@dataclass(frozen=True, slots=True)
class Task:
    """What is to be done for a model; `asked` says more."""

    id: int
    model_id: int
    kind: str
    asked: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Progress:
    """How far the tasks of a kind are for a model."""

    done: int = 0
    total: int = 0
    running: bool = False
    stopping: bool = False
    words: str = ""


def put(connection: Connection, model_id: int, kind: str, **asked: Any) -> None:
    """Asks for something to be done, and wakes whoever waits for it, when the transaction ends well."""
    connection.execute(insert(tables.task).values(model_id=model_id, kind=kind, asked=asked))
    connection.execute(select(func.pg_notify(CHANNEL, kind)))


class StoreGone(Exception):
    """The store does not answer."""


@contextmanager
def taken(engine: Engine, kinds: Sequence[str]) -> Iterator[Task | None]:
    """The oldest task of some kinds that nobody holds, held until the block ends and then gone; None where there is none. What was asked of
    the same kind for the same model meanwhile goes with it: it is done once. Raises StoreGone."""
    c = tables.task.c
    query = select(tables.task).where(c.kind.in_(kinds)).order_by(c.id).limit(1).with_for_update(skip_locked=True)
    try:
        with engine.begin() as connection:
            row = connection.execute(query).one_or_none()
            if row is None:
                yield None
                return
            same = select(c.id, c.asked).where(c.model_id == row.model_id, c.kind == row.kind).with_for_update(skip_locked=True)
            rows = list(connection.execute(same))
            asked: dict[str, Any] = {}
            for other in rows:
                asked |= other.asked
            yield Task(row.id, row.model_id, row.kind, asked)
            connection.execute(delete(tables.task).where(c.id.in_([r.id for r in rows])))
    except OperationalError as error:
        raise StoreGone(str(error.orig)) from None


def is_gone(error: Exception) -> bool:
    """Whether an error says that the store does not answer."""
    return isinstance(error, StoreGone | OperationalError)


def notices(engine: Engine, seconds: float) -> Iterator[None]:
    """Comes once, and then whenever something was asked for, at least every so many seconds. Connects anew when the store went away."""
    url = engine.url.render_as_string(False).replace("+psycopg", "")
    while True:
        try:
            with psycopg.connect(url, autocommit=True) as connection:
                connection.execute(f"LISTEN {CHANNEL}")
                while True:
                    yield
                    for _ in connection.notifies(timeout=seconds, stop_after=1):
                        pass
        except psycopg.Error:
            time.sleep(1.0)


def waiting(engine: Engine, model_id: int, kind: str) -> bool:
    """Whether something of a kind is yet to be done for a model."""
    c = tables.task.c
    with engine.connect() as connection:
        return connection.execute(select(c.id).where(c.model_id == model_id, c.kind == kind).limit(1)).first() is not None


def tell(engine: Engine, model_id: int, kind: str, done: int, total: int, running: bool = True, words: str = "") -> bool:
    """Keeps how far something is; gives whether somebody wants it stopped. One that begins, with nothing done, was not stopped yet."""
    values = {"done": done, "total": total, "running": running, "words": words}
    query = insert(tables.progress).values(model_id=model_id, kind=kind, **values)
    if done == 0 or not running:
        values |= {"stopping": False}
    put_row = query.on_conflict_do_update(index_elements=["model_id", "kind"], set_=values).returning(tables.progress.c.stopping)
    with engine.begin() as connection:
        return bool(connection.execute(put_row).scalar())


def progress_of(engine: Engine, model_id: int, kind: str) -> Progress:
    """How far something is."""
    c = tables.progress.c
    with engine.connect() as connection:
        row = connection.execute(select(tables.progress).where(c.model_id == model_id, c.kind == kind)).one_or_none()
    return Progress(row.done, row.total, row.running, row.stopping, row.words) if row else Progress()


def stop(engine: Engine, model_id: int, kind: str) -> None:
    """Wants something stopped: it ends after what it is at."""
    c = tables.progress.c
    with engine.begin() as connection:
        connection.execute(update(tables.progress).where(c.model_id == model_id, c.kind == kind, c.running).values(stopping=True))


def nothing_runs(engine: Engine) -> None:
    """Says of everything that it does not run: a server that begins knows."""
    with engine.begin() as connection:
        connection.execute(update(tables.progress).values(running=False, stopping=False))
