"""A model with its rows: what they prove of it, and what is derived from them once and kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TypeVar

from nexorem.core.columns import Column
from nexorem.core.kept import Kept
from nexorem.core.model.derived import Derived, Index
from nexorem.core.model.model import Link, Model
from nexorem.core.model.proven import LinkFacts, Proven
from nexorem.core.model.rows import ROWS, Columns, Domain, TableRows, table_rows
from nexorem.core.values import Array

__all__ = ["ROWS", "Columns", "Domain", "Index", "LinkFacts", "Star", "TableRows", "table_rows"]

MOST_CONDITIONS = 256
Derivable = TypeVar("Derivable")


class Star(Proven):
    """What a model's rows prove, with the rows themselves and what is derived from them. Safe to share between threads.

    `conditions` keeps what page conditions came to, by their text, where they look at nothing but their own columns.
    """

    def __init__(self, model: Model, rows: Mapping[str, TableRows], derived: Derived | None = None, before: Star | None = None) -> None:
        self.rows = rows
        self.derived = derived or Derived(rows)
        self.conditions = Kept(MOST_CONDITIONS)
        super().__init__(model, self.derived, before)

    def with_model(self, model: Model) -> Star:
        """The same rows under an edited model; what depends on rows and columns alone is carried over."""
        return Star(model, self.rows, self.derived, self)

    def column(self, table: str, column: str) -> Column:
        """A column of n+1 entries."""
        return self.rows[table].columns[column]

    def domain(self, table: str, columns: Columns) -> Domain:
        """The members of these columns; with ROWS every row is a member."""
        return self.derived.domain(table, columns)

    def match(self, table: str, columns: tuple[str, ...], other: str, other_columns: tuple[str, ...]) -> Array:
        """For each member of the first domain the member of the second with an equal key: `Derived.match`."""
        return self.derived.match(table, columns, other, other_columns)

    def partner(self, link: Link) -> Array:
        """For each row of a firm link's `from` side its partner's row: `Derived.partner`."""
        return self.derived.partner(link)

    def partner_along(self, chain: tuple[Link, ...], rows: Array) -> Array:
        """The rows at the end of a chain of look-ups."""
        return self.derived.partner_along(chain, rows)

    def spread(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Array:
        """A member code for each row of the first table of `chain`: `Derived.spread`."""
        return self.derived.spread(table, columns, chain)

    def member_counts(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Array:
        """How many rows of the first table of `chain` are at each member of `spread`."""
        return self.derived.member_counts(table, columns, chain)

    def member_rows(self, table: str, columns: Columns, chain: tuple[Link, ...]) -> Index | None:
        """The rows of the first table of `chain` by member of `spread`: `Derived.member_rows`."""
        return self.derived.member_rows(table, columns, chain)

    def derive(self, key: tuple[object, ...], find: Callable[[], Derivable]) -> Derivable:
        """What `find` found of the rows alone, whatever the links: kept as long as these rows are."""
        return self.derived.derive(key, find)
