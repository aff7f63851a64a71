"""Ways to the places where tables of a model stay: connections, what was proven there, and answers that were given lately."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import psycopg
from cachetools import TTLCache
from sqlalchemy import Engine, delete, select
from sqlalchemy.dialects.postgresql import insert

from nexorem.core.model.model import Table
from nexorem.gather.sources.database import failed, reading
from nexorem.sql.build import Sent
from nexorem.sql.dialects import POSTGRESQL
from nexorem.sql.proof import Line
from nexorem.store import sources, tables
from nexorem.store.elsewhere import COLUMNS, Asking, PostgreSql, cancel, declared_key, estimate, plan_of, state_of
from nexorem.store.proving import OUT_OF_RANGE, refused_by
from nexorem.store.spark import Spark, cluster_session

KEPT_ANSWERS = 200
KEPT_SECONDS = 300.0  # after which a place is asked again
AT_ONCE = 20_000  # rows that a database hands over at once
SETTINGS = ("jit = off", "enable_nestloop = off", "cursor_tuple_fraction = 1.0")  # of relations of a statement it knows no size


class Database:
    """Asks a PostgreSQL that is somebody's own, in one transaction that reads only, over cursors that stay there."""

    dialect = POSTGRESQL
    kinds = PostgreSql.kinds

    def __init__(self, connection: psycopg.Connection[Any], name: str, seconds: float) -> None:
        self.connection, self.name = connection, name
        connection.execute("SELECT set_config('statement_timeout', %s, true)", (str(int(seconds * 1000)),))
        connection.execute("SET LOCAL TIME ZONE 'UTC'")
        for setting in SETTINGS:
            connection.execute(f"SET LOCAL {setting}")

    @contextmanager
    def _said(self) -> Iterator[None]:
        """What the database says against something is a refusal that names it."""
        try:
            yield
        except psycopg.Error as error:
            if isinstance(error, psycopg.errors.QueryCanceled) or error.sqlstate == OUT_OF_RANGE:
                raise refused_by(error) from None
            raise failed(error, self.name) from None

    def rows(self, text: str, values: Any = None) -> Sequence[Line]:
        """The lines of a SELECT."""
        with self._said(), self.connection.cursor(name="nexorem") as cursor:
            cursor.itersize = AT_ONCE
            cursor.execute(text, values)
            return list(cursor)

    def send(self, name: str, sent: Sent, table: Table) -> None:
        """Nothing: they are in the statement."""

    def columns(self, tables: Sequence[str], schema: str | None) -> dict[str, dict[str, str]]:
        """The columns of all tables of a schema."""
        there: dict[str, dict[str, str]] = {}
        with self._said():
            for table, column, kind in self.connection.execute(COLUMNS, (schema,)).fetchall():
                there.setdefault(table, {})[column] = kind
        return there

    def declared_key(self, table: str, schema: str | None) -> str:
        """The column that is a table's primary key by itself."""
        with self._said():
            return declared_key(self.connection, table, schema)

    def state_of(self, table: str, schema: str | None) -> str:
        """What the database counts of changes to a table; empty for a view."""
        with self._said():
            return state_of(self.connection, table, schema)

    def estimate(self, table: str, schema: str | None) -> int | None:
        """About how many rows a table has; None for a view, and where nobody counted."""
        with self._said():
            return estimate(self.connection, table, schema)

    def plan(self, text: str, values: Any = None) -> str:
        """How the database would go about a SELECT."""
        with self._said():
            return plan_of(self.connection, text, values)

    def stop(self) -> None:
        """Cancels the statement."""
        cancel(self.connection)

    def progress(self) -> tuple[int, int]:
        """Not told."""
        return 0, 0


@dataclass(frozen=True, slots=True)
class Statement:
    """A statement that a place is answering: where, for how many seconds, and how many of its tasks are done, 0 of 0 where nobody can
    tell."""

    connection: str
    seconds: float
    done: int
    total: int


class ModelWays:
    """The ways of one model. Safe to share between threads; sessions of clusters are kept, for the views that are made in them."""

    def __init__(self, engine: Engine, data: Path, model_id: int) -> None:
        self.engine, self.data, self.model_id = engine, data, model_id
        self.answers: TTLCache[str, tuple[Sequence[Line], float]] = TTLCache(KEPT_ANSWERS, KEPT_SECONDS)
        self.lock = threading.Lock()
        self._sessions: dict[str, tuple[str, Spark]] = {}
        self._known: dict[str, list[Any]] = {}
        self._asked: dict[object, tuple[str, float, Asking]] = {}

    def access(self, connection: str) -> Mapping[str, Any]:
        """All that is needed to connect; refuses where that is not kept."""
        with self.engine.connect() as store:
            return sources.access_of(store, self.model_id, connection, sources.secret_key(self.data))

    def speaks(self, connection: str) -> type[Asking]:
        """Who asks over a connection."""
        with self.engine.connect() as store:
            return Spark if sources.is_cluster(store, self.model_id, connection) else Database

    @contextmanager
    def asking(self, connection: str, seconds: float) -> Iterator[Asking]:
        """A way to ask over a connection."""
        access = self.access(connection)
        if access.get("kind") == "cluster":
            with self._noted(connection, self._session(connection, str(access["address"]), seconds)) as asking:
                yield asking
            return
        with reading(access, connection) as database, self._noted(connection, Database(database, connection, seconds)) as asking:
            yield asking

    @contextmanager
    def _noted(self, connection: str, asking: Asking) -> Iterator[Asking]:
        key = object()
        self._asked[key] = connection, time.monotonic(), asking
        try:
            yield asking
        finally:
            del self._asked[key]

    def asked(self) -> list[Statement]:
        """What places are answering now, the oldest first."""
        now = time.monotonic()
        return [Statement(name, now - since, *asking.progress()) for name, since, asking in list(self._asked.values())]

    def _session(self, connection: str, address: str, seconds: float) -> Spark:
        with self.lock:
            kept = self._sessions.get(connection)
            if kept is None or kept[0] != address or kept[1].is_over():
                kept = self._sessions[connection] = address, Spark(cluster_session(address), seconds)
                kept[1].follow()
        return kept[1].again(seconds)

    def known(self, key: str) -> list[Any] | None:
        """What was proven under a key; None where nothing was yet."""
        if key not in self._known:
            c = tables.fact.c
            with self.engine.connect() as store:
                value = store.execute(select(c.value).where(c.model_id == self.model_id, c.key == key)).scalar_one_or_none()
            if value is None:
                return None
            self._known[key] = list(value)
        return self._known[key]

    def kept(self, key: str, make: Callable[[], list[Any]]) -> list[Any]:
        """What was proven under a key, proven where it is not known yet."""
        known = self.known(key)
        if known is not None:
            return known
        value = make()
        with self.engine.begin() as store:
            query = insert(tables.fact).values(model_id=self.model_id, key=key, value=value)
            store.execute(query.on_conflict_do_update(index_elements=["model_id", "key"], set_={"value": value}))
        self._known[key] = value
        return value

    def forget(self) -> None:
        """Lets go of answers, so that places are asked again."""
        with self.lock:
            self.answers.clear()

    def remove(self) -> None:
        """Forgets what was proven, with the model."""
        with self.engine.begin() as store:
            store.execute(delete(tables.fact).where(tables.fact.c.model_id == self.model_id))
        self.close()

    def close(self) -> None:
        """Ends the sessions of clusters."""
        for _, asking in self._sessions.values():
            with suppress(Exception):  # one that is gone has nothing to end
                asking.session.stop()
        self._sessions.clear()
