"""A cluster that speaks Spark Connect: statements with their parameters, a bound of time, cancelled with who asked. Its client is
optional."""

from __future__ import annotations

import logging
import re
import secrets
import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from typing import Any

import pyarrow as pa

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.model.model import Table
from nexorem.package.arrow import ARROW
from nexorem.sql.build import ROW_NUMBER, Sent
from nexorem.sql.dialects import SPARK
from nexorem.sql.proof import Line
from nexorem.sql.tree import plain_name

SETTINGS = {"spark.sql.ansi.enabled": "true", "spark.sql.session.timeZone": "UTC"}
CANCELLED = "OPERATION_CANCELED"
MISSING = ("TABLE_OR_VIEW_NOT_FOUND", "SCHEMA_NOT_FOUND", "CATALOG_NOT_FOUND")
OUT_OF_RANGE = ("ARITHMETIC_OVERFLOW", "CAST_OVERFLOW", "BINARY_ARITHMETIC_OVERFLOW")
MOST_SAID = 300
MOST_LISTED = 2_000  # tables of a cluster
MOST_DESCRIBED = 60  # of them with their columns: each is a question of its own
PLAIN = re.compile(r"\w+", re.ASCII)  # names that catalogs take
LOGGER = "SQLQueryContextLogger"  # of the client, which writes what we say in our own words


class Spark:
    """Asks a cluster over one session."""

    dialect = SPARK
    kinds: Mapping[str, str] = {
        "integer": "bigint",
        "number": "double",
        "text": "string",
        "boolean": "boolean",
        "date": "date",
        "datetime": "timestamp_ntz",
    }

    def __init__(self, session: Any, seconds: float) -> None:
        self.session, self.seconds = session, seconds
        self.views: set[str] = set()
        self.tasks: dict[str | None, tuple[int, int]] = {}  # done and in all, of each statement of the session
        self._tag = ""

    def again(self, seconds: float) -> Spark:
        """Another way to ask over the same session."""
        asking = Spark(self.session, seconds)
        asking.views, asking.tasks = self.views, self.tasks
        return asking

    def follow(self) -> None:
        """Hears from now on how far statements of the session are."""

        def hear(stages: Any, inflight_tasks: int, operation_id: str | None, done: bool) -> None:
            if done:
                self.tasks.pop(operation_id, None)
            else:
                there = list(stages or ())
                self.tasks[operation_id] = sum(s.num_completed_tasks for s in there), sum(s.num_tasks for s in there)

        self.session.registerProgressHandler(hear)

    def progress(self) -> tuple[int, int]:
        """Tasks of all statements of the session."""
        told = list(self.tasks.values())
        return sum(done for done, _ in told), sum(total for _, total in told)

    def stop(self) -> None:
        """Cancels the statement."""
        if self._tag:
            with suppress(Exception):  # one that has ended meanwhile
                self.session.interruptTag(self._tag)

    def rows(self, text: str, values: Any = None) -> Sequence[Line]:
        """The lines of a SELECT, which come as Arrow."""
        tag = self._tag = f"nexorem-{secrets.token_hex(8)}"
        late = threading.Event()

        def end() -> None:
            late.set()
            self.session.interruptTag(tag)

        timer = threading.Timer(self.seconds, end)
        timer.daemon = True
        self.session.addTag(tag)
        timer.start()
        try:
            table = self.session.sql(text, args=values or None).toArrow()
            return list(zip(*(c.to_pylist() for c in table.columns), strict=True)) if table.num_columns else []
        except KeyboardInterrupt:
            self.session.interruptTag(tag)
            raise
        except Exception as error:
            raise refused_by(error, late.is_set()) from None
        finally:
            timer.cancel()
            self._tag = ""
            self.session.removeTag(tag)

    def is_over(self) -> bool:
        """Whether the session has ended."""
        return bool(getattr(self.session, "is_stopped", False))

    def send(self, name: str, sent: Sent, table: Table) -> None:
        """Makes a view of this session of the rows, which go there as Arrow, where there is none of that name."""
        if name in self.views:
            return
        columns = {c.name: pa.array(sent.values(c.name), ARROW[c.dtype]) for c in table.columns}
        rows = pa.table({**columns, ROW_NUMBER: pa.array(range(sent.size), pa.int64())})
        try:
            self.session.createDataFrame(rows).createOrReplaceTempView(name)
        except Exception as error:
            raise refused_by(error, False) from None
        self.views.add(name)

    def listed(self) -> list[dict[str, Any]]:
        """Its tables and views: with their columns, of the first so many."""
        schemas = [str(line[0]) for line in self.rows("SHOW SCHEMAS")]
        tables = []
        for schema in schemas:
            for line in self.rows(f"SHOW TABLES IN `{schema.replace('`', '``')}`"):
                if not line[-1]:  # views of a session are nobody else's
                    tables.append((schema, str(line[1])))
        listed = []
        for place, (schema, name) in enumerate(tables[:MOST_LISTED]):
            columns = self.columns([name], schema).get(name, {}) if place < MOST_DESCRIBED else {}
            listed.append({"schema": schema, "name": name, "kind": "table", "rows": None, "columns": list(columns)})
        return listed

    def declared_key(self, table: str, schema: str | None) -> str:
        """None: clusters prove no key."""
        return ""

    def state_of(self, table: str, schema: str | None) -> str:
        """Nothing: catalogs keep no count of changes."""
        return ""

    def estimate(self, table: str, schema: str | None) -> int | None:
        """Not known."""
        return None

    def plan(self, text: str, values: Any = None) -> str:
        """How the cluster would go about a SELECT."""
        return str(self.rows(f"EXPLAIN FORMATTED {text}", values)[0][0])

    def columns(self, tables: Sequence[str], schema: str | None) -> dict[str, dict[str, str]]:
        """The columns of those of the tables that are there."""
        there = {}
        for name in dict.fromkeys(n for table in tables for n in (table, plain_name(table)) if PLAIN.fullmatch(n)):
            parts = [*(schema.split(".") if schema else []), name]
            quoted = ".".join(f"`{p.replace('`', '``')}`" for p in parts)
            try:
                lines = self.rows(f"DESCRIBE TABLE {quoted}")
            except Refused as refused:
                if refused.diagnostics[0].code == "no_table":
                    continue
                raise
            there[name] = {line[0]: line[1] for line in lines if line[0] and not line[0].startswith("#")}
        return there


@contextmanager
def spark(url: str, seconds: float) -> Iterator[Spark]:
    """A session on a cluster, and its end."""
    session = cluster_session(url)
    try:
        yield Spark(session, seconds)
    finally:
        session.stop()


def cluster_session(url: str) -> Any:
    """A new session on a cluster, its settings as statements need them."""
    try:
        from pyspark.sql.connect.session import SparkSession
    except ImportError:
        hint = "Install it with: pip install 'nexorem[cluster]'"
        raise refuse("no_client", "The client of clusters is not installed.", hint) from None
    logging.getLogger(LOGGER).setLevel(logging.CRITICAL)
    try:
        session = SparkSession.builder.remote(url).create()
        for name, value in SETTINGS.items():
            session.conf.set(name, value)
    except Exception as error:
        raise refused_by(error, False) from None
    return session


def refused_by(error: Exception, late: bool) -> Refused:
    """What a cluster said, as a refusal in one sentence."""
    condition = str(getattr(error, "getCondition", lambda: "")() or "")
    text = str(error).strip().splitlines()
    said = (text[0] if text else type(error).__name__)[:MOST_SAID].rstrip(".")
    if late or condition == CANCELLED:
        return refuse("limit_seconds", "The cluster needs too long for it.", "Pick less, or take a column off an axis.")
    if condition in MISSING:
        return refuse("no_table", f"The cluster answered: {said}.", "Name the catalog and schema with --schema.")
    if condition in OUT_OF_RANGE:
        return refuse("overflow", "A number is beyond its type, and the statement fails as a whole.", "Ask the measures one by one.")
    if "UNAVAILABLE" in str(error) or "failed to connect" in str(error).lower():
        return refuse("cluster", "The cluster does not answer.", "Check its address (sc://host:port), and that its connect server runs.")
    return refuse("cluster", f"The cluster answered: {said}.", "Nothing was changed.")
