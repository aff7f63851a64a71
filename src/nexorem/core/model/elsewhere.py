"""Tables whose rows stay where they are: what proves of them, who answers for them, and the refusal of whoever wants their rows here."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.limits import Budget
from nexorem.core.model.model import Link, Model
from nexorem.core.model.proven import ColumnFacts, LinkFacts, Prover
from nexorem.core.model.rows import Columns, Domain, TableRows

STAYS = "rows_stay"
Sighting = TypeVar("Sighting")


class Elsewhere(Protocol):
    """Who answers where the rows of some tables stay. `samples` are some rows of each of these tables: they suggest, and decide nothing."""

    @property
    def prover(self) -> Prover:
        """What the places prove of the tables that stay, and of links that end at one."""

    @property
    def samples(self) -> Mapping[str, TableRows]:
        """Some rows of each table that stays."""

    def beside(self, model: Model, here: Here) -> Elsewhere:
        """The same places for a state of the model, beside the rows that are here."""

    def under(self, whole: Any, rules: tuple[str, ...]) -> Elsewhere:
        """The same places for who sees of a star (`whole`) what rules of rows leave."""

    def version(self, table: str) -> str:
        """A text that is the same as long as the rows of a table that stays are taken for the same."""

    def calendar(self, table: str, date: str) -> tuple[int, int, int]:
        """Of a calendar that stays: its rows with a day, how many different days these have, and how many days there are from the first to
        the last."""

    def repeats(self, table: str, columns: tuple[str, ...], most: int) -> list[str]:
        """Some keys that stand more than once in a table that stays."""

    def orphans(self, link: Link, most: int) -> list[str]:
        """Some keys of a link that find no partner, those of most rows first."""

    def answer(self, star: Any, probe: Any, budget: Budget) -> Any:
        """The grid of a probe; None where no table that stays has a part in it."""

    def trace(self, star: Any, probe: Any, measure: str, at: Any, budget: Budget) -> Any:
        """The trace of a cell; None where no table that stays has a part in it."""

    def used_rows(self, star: Any, probe: Any, measure: str, at: Any, path: str, order: Any, budget: Budget) -> Any:
        """A page of the rows that an aggregate of a trace used; None where no table that stays has a part in it."""


class Here(Prover, Protocol):
    """The rows that are here, with what they prove."""

    rows: Mapping[str, TableRows]

    def domain(self, table: str, columns: Columns) -> Domain:
        """The members of some columns."""


def rows_stay(table: str) -> Refused:
    """What is said to whoever needs the rows of a table that stays."""
    return refuse(
        STAYS,
        f"The rows of {table} stay where they are, and this needs them here.",
        f"Take the rows of {table} in (Gather), or ask it there.",
        table,
    )


def where_rows_are(look: Callable[[], Iterable[Sighting]]) -> list[Sighting]:
    """What is seen in rows; nothing where these stay elsewhere."""
    try:
        return list(look())
    except Refused as refused:
        if not is_stay(refused):
            raise
        return []


def is_stay(refused: Refused) -> bool:
    """Whether it was refused for nothing but rows that stay elsewhere."""
    return all(d.code == STAYS for d in refused.diagnostics)


class RowsHere(dict[str, TableRows]):
    """The rows of tables by name; those of tables that stay elsewhere are refused, with a sentence."""

    def __missing__(self, table: str) -> TableRows:
        raise rows_stay(table)


@dataclass(frozen=True, slots=True)
class BothSides:
    """Proves of the rows that are here by these, and of all else by the places where it is."""

    here: Prover
    there: Prover
    stay: frozenset[str]

    def _of(self, table: str) -> Prover:
        return self.there if table in self.stay else self.here

    def size(self, table: str) -> int:
        """The number of a table's rows."""
        return self._of(table).size(table)

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of a link, active or not."""
        return (self.there if self.stay & link.tables else self.here).facts(link)

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column."""
        return self._of(table).column_facts(table, column)

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column."""
        return self._of(table).has_empties(table, column)
