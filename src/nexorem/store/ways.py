"""Ways to the places where tables of a model stay: connections, what was proven there, and answers that were given lately."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
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
from nexorem.store.elsewhere import COLUMNS, Asking, PostgreSql, declared_key, estimate, plan_of, state_of
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

    def rows(self, text: str, values: Any = None) -> Sequence[Line]:
        """The lines of a SELECT."""
        try:
            with self.connection.cursor(name="nexorem") as cursor:
                cursor.itersize = AT_ONCE
                cursor.execute(text, values)
                return list(cursor)
        except psycopg.Error as error:
            if isinstance(error, psycopg.errors.QueryCanceled) or error.sqlstate == OUT_OF_RANGE:
                raise refused_by(error) from None
            raise failed(error, self.name) from None

    def send(self, name: str, sent: Sent, table: Table) -> None:
        """Nothing: they are in the statement."""

    def columns(self, tables: Sequence[str], schema: str | None) -> dict[str, dict[str, str]]:
        """The columns of all tables of a schema."""
        there: dict[str, dict[str, str]] = {}
        for table, column, kind in self.connection.execute(COLUMNS, (schema,)).fetchall():
            there.setdefault(table, {})[column] = kind
        return there

    def declared_key(self, table: str, schema: str | None) -> str:
        """The column that is a table's primary key by itself."""
        return declared_key(self.connection, table, schema)

    def state_of(self, table: str, schema: str | None) -> str:
        """What the database counts of changes to a table; empty for a view."""
        return state_of(self.connection, table, schema)

    def estimate(self, table: str, schema: str | None) -> int | None:
        """About how many rows a table has; None for a view, and where nobody counted."""
        return estimate(self.connection, table, schema)

    def plan(self, text: str, values: Any = None) -> str:
        """How the database would go about a SELECT."""
        return plan_of(self.connection, text, values)


class ModelWays:
    """The ways of one model. Safe to share between threads; sessions of clusters are kept, for the views that are made in them."""

    def __init__(self, engine: Engine, data: Path, model_id: int) -> None:
        self.engine, self.data, self.model_id = engine, data, model_id
        self.answers: TTLCache[str, tuple[Sequence[Line], float]] = TTLCache(KEPT_ANSWERS, KEPT_SECONDS)
        self.lock = threading.Lock()
        self._sessions: dict[str, tuple[str, Spark]] = {}
        self._known: dict[str, list[Any]] = {}

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
            yield self._session(connection, str(access["address"]), seconds)
            return
        with reading(access, connection) as database:
            yield Database(database, connection, seconds)

    def _session(self, connection: str, address: str, seconds: float) -> Spark:
        with self.lock:
            kept = self._sessions.get(connection)
            if kept is None or kept[0] != address or kept[1].is_over():
                kept = self._sessions[connection] = address, Spark(cluster_session(address), seconds)
        asking = Spark(kept[1].session, seconds)
        asking.views = kept[1].views
        return asking

    def kept(self, key: str, make: Callable[[], list[Any]]) -> list[Any]:
        """What was proven under a key, proven where it is not known yet."""
        known = self._known.get(key)
        if known is not None:
            return known
        c = tables.fact.c
        with self.engine.connect() as store:
            value = store.execute(select(c.value).where(c.model_id == self.model_id, c.key == key)).scalar_one_or_none()
        if value is None:
            value = make()
            with self.engine.begin() as store:
                query = insert(tables.fact).values(model_id=self.model_id, key=key, value=value)
                store.execute(query.on_conflict_do_update(index_elements=["model_id", "key"], set_={"value": value}))
        self._known[key] = value
        return list(value)

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
