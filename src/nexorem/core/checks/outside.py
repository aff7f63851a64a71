"""What a check needs that is not in the model: files beside it, databases, releases, the times of loads. Whoever runs checks brings it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

from nexorem.core.diagnostics import refuse
from nexorem.core.model.check_specs import ListedTable, Query
from nexorem.core.model.star import Star

OF_LINKS = frozenset({"orphans", "repeated_key", "loose"})  # codes of what a link and the rows at its two ends alone tell


class Noticed(Protocol):
    """A finding, as a check looks at it."""

    @property
    def code(self) -> str:
        """Its kind."""

    @property
    def about(self) -> str:
        """The thing it is about."""

    @property
    def sentence(self) -> str:
        """What is so."""


@dataclass(frozen=True, slots=True)
class LoadFacts:
    """A load: how many days ago it was made, and its rows."""

    days: float
    rows: int


class Outside:
    """Where nothing is at hand: each call refuses, and says why."""

    def findings(self, star: Star, codes: Collection[str], about: str | None) -> Iterable[Noticed]:
        """The findings of some codes about a thing, or about any."""
        raise refuse("no_findings", "Findings cannot be looked for here.")

    def file(self, name: str) -> ListedTable:
        """A table that is kept in a file beside the model, every value as text; refuses one that left."""
        raise refuse("no_file", f"The file {name} cannot be read here.", "Put the table into the check.", "must.file")

    def answer_of(self, query: Query) -> ListedTable:
        """What a database gives for a SELECT, asked in a read-only transaction within a bound of time."""
        raise refuse("no_connection", f"The connection {query.connection} cannot be used here.", "Run the check in Nexorem.", "must.query")

    def release(self, name: str) -> Star:
        """A release by its number or its name, `latest` for the newest."""
        raise refuse("no_release", f"{name} cannot be opened here: a package has no releases.", "Run the check in Nexorem.", "must.as_in")

    def loads(self, table: str) -> Sequence[LoadFacts]:
        """The loads of a table, the one in force first and then those before it."""
        raise refuse("no_loads", f"When {table} was loaded is not known here.", "Run the check in Nexorem.", "table")
