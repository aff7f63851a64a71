"""The places where tables stay: what was found in them, how they are asked, and what one of them proves."""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, Protocol

from cachetools import TTLCache

from nexorem.core.diagnostics import Refused
from nexorem.core.limits import Budget
from nexorem.core.model.model import Model, Table
from nexorem.core.model.rows import TableRows
from nexorem.core.values import iso
from nexorem.sql.build import Places
from nexorem.sql.dialects import Dialect
from nexorem.sql.proof import Line
from nexorem.sql.remote import SqlProver, with_keys
from nexorem.store.elsewhere import Asking


@dataclass(frozen=True, slots=True, eq=False)
class Look:
    """A table that stays as it was when it was last looked at: the number of the look, its connection, where it is there, its columns there
    with their types, some of its rows, when that was, the column there that is declared to tell rows apart, and what the place counted of
    changes to it."""

    number: int
    connection: str
    schema: str | None
    table: str
    columns: Mapping[str, str]
    sample: TableRows
    at: str
    key: str = ""
    state: str = ""


class Ways(Protocol):
    """How places are asked, and where what they proved is kept."""

    def asking(self, connection: str, seconds: float) -> AbstractContextManager[Asking]:
        """A way to ask over a connection."""

    def speaks(self, connection: str) -> type[Asking]:
        """Who asks over a connection."""

    def known(self, key: str) -> list[Any] | None:
        """What was proven under a key; None where nothing was yet."""

    def kept(self, key: str, make: Callable[[], list[Any]]) -> list[Any]:
        """What was proven under a key, proven where it is not known yet."""

    @property
    def answers(self) -> TTLCache[str, tuple[Sequence[Line], float]]:
        """Answers that were given lately, with when."""

    @property
    def lock(self) -> threading.Lock:
        """Of the answers."""


PROVING_SECONDS = 600.0
CALLER: ContextVar[Budget | None] = ContextVar("caller", default=None)


@contextmanager
def asking_for(budget: Budget) -> Iterator[None]:
    """What places are asked while it is entered is cancelled there when nobody waits for it any more; the time that they take is their own,
    and not that of who waits."""
    token = CALLER.set(budget)
    try:
        yield
    finally:
        CALLER.reset(token)


@contextmanager
def _cancelled_with_caller(asking: Asking) -> Iterator[None]:
    budget = CALLER.get()
    if budget is None:
        yield
        return
    start = time.monotonic()
    with budget.ending(asking.stop):
        try:
            yield
        except Refused:
            if budget.is_cancelled:
                budget.check()
            raise
        finally:
            budget.waited(time.monotonic() - start)


@dataclass(eq=False)
class Side:
    """One place: where the tables of a model are for whoever asks there."""

    connection: str
    ways: Ways
    model: Model
    looks: Mapping[str, Look]
    plain: Places  # without keys and columns to be guarded, which are proven
    before: Side | None = None  # the same place without rules of rows, where there are some
    dialect: Dialect = field(init=False)
    prover: SqlProver = field(init=False)
    _places: Places | None = None

    def __post_init__(self) -> None:
        self.dialect = self.ways.speaks(self.connection).dialect
        self.prover = SqlProver(self.model, self._run, self.dialect, self.plain, self._proven)
        self.prover.send = self._send

    @property
    def places(self) -> Places:
        """Where tables are, with their keys and what is to be guarded. Cost: a pass over each table that was not counted yet."""
        if self._places is None:
            own = [t for t in self.model.tables if t.name in self.looks]
            self._places = with_keys(self.prover, self.plain, own)
        return self._places

    def _run(self, text: str, values: Any) -> Sequence[Line]:
        if self.before and not self.dialect.arrays:
            for table in self.before.plain.sent:
                if self.before.plain.tables[table] in text:
                    self.before._send(table)
        return self.lines(text, values, (), PROVING_SECONDS)

    def _proven(self, text: str, values: Any) -> Sequence[Line]:
        """The lines of a statement as JSON; asked once for each look at the tables in it."""
        looks = sorted((name, look.number) for name, look in self.looks.items() if look.table in text)
        key = digest(self.connection, looks, text, values)
        return self.ways.kept(key, lambda: [[_plain(x) for x in line] for line in self._run(text, values)])

    def _send(self, table: str) -> None:
        with self.ways.asking(self.connection, PROVING_SECONDS) as asking:
            self._send_all(asking, [table])

    def lines(self, text: str, values: Any, sent: Sequence[str], seconds: float) -> Sequence[Line]:
        """The lines of a SELECT, the tables that go along made ready before."""
        with self.ways.asking(self.connection, seconds) as asking, _cancelled_with_caller(asking):
            self._send_all(asking, sent)
            return asking.rows(text, values)

    def states(self, seconds: float) -> dict[str, str]:
        """What the place counts now of changes to its tables, of those where it could tell."""
        known = {name: look for name, look in self.looks.items() if look.state}
        if not known:
            return {}
        with self.ways.asking(self.connection, seconds) as asking, _cancelled_with_caller(asking):
            return {name: asking.state_of(look.table, look.schema) for name, look in known.items()}

    def plan(self, text: str, values: Any, sent: Sequence[str]) -> str:
        """How the place would go about a SELECT, in its own words."""
        with self.ways.asking(self.connection, PROVING_SECONDS) as asking:
            self._send_all(asking, sent)
            return asking.plan(text, values)

    def _send_all(self, asking: Asking, tables: Sequence[str]) -> None:
        """Has tables that go along made ready; under rules of rows, which are decided over all rows, these too."""
        for side in (self, self.before) if self.before else (self,):
            for name in tables:
                asking.send(side.plain.tables[name], side.plain.sent[name], table_of(self.model, name))


def _plain(value: Any) -> Any:
    """A value as JSON; sums that come as decimals are whole."""
    return int(value) if isinstance(value, Decimal) else iso(value)


def table_of(model: Model, name: str) -> Table:
    """A table that is there."""
    table = model.table(name)
    assert table
    return table


def digest(*parts: object) -> str:
    """A text that is the same where all parts are."""
    return hashlib.blake2b(repr(parts).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
