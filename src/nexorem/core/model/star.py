"""A model with its rows: what they prove of it, and what is derived from them once and kept."""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping
from functools import cached_property
from typing import TypeVar

from nexorem.core.columns import Column
from nexorem.core.kept import Kept
from nexorem.core.model.derived import Derived, Index
from nexorem.core.model.elsewhere import BothSides, Elsewhere, RowsHere
from nexorem.core.model.model import Link, Model
from nexorem.core.model.proven import LinkFacts, Proven
from nexorem.core.model.rows import ROWS, Columns, Domain, TableRows, table_rows
from nexorem.core.values import Array

__all__ = ["ROWS", "Columns", "Domain", "Index", "LinkFacts", "Star", "TableRows", "table_rows"]

MOST_CONDITIONS = 256
MOST_PREPARED = 64
MOST_PREPARED_ROWS = 8  # probes whose aggregates for rows are kept ready, too: those take more room
Derivable = TypeVar("Derivable")


class Star(Proven):
    """What a model's rows prove, with the rows themselves and what is derived from them. Safe to share between threads.

    `conditions` keeps what page conditions came to, by their text, where they look at nothing but their own columns, and `prepared` probes
    that were asked lately, up to the scans of their cells. Of the tables that
    `stay` in another place no row is here: `elsewhere` proves of them and answers for them.
    """

    def __init__(
        self,
        model: Model,
        rows: Mapping[str, TableRows],
        derived: Derived | None = None,
        before: Star | None = None,
        elsewhere: Elsewhere | None = None,
    ) -> None:
        self.stay = frozenset(t.name for t in model.tables if t.stays) if elsewhere else frozenset()
        self.rows: Mapping[str, TableRows] = RowsHere(rows) if self.stay and not isinstance(rows, RowsHere) else rows
        self.derived = derived or Derived(self.rows)
        self.conditions = Kept(MOST_CONDITIONS)
        self.prepared = Kept(MOST_PREPARED)
        self.prepared_rows = Kept(MOST_PREPARED_ROWS)
        self.elsewhere = elsewhere.beside(model, self.derived) if elsewhere and self.stay else None
        prover = BothSides(self.derived, self.elsewhere.prover, self.stay) if self.elsewhere else self.derived
        super().__init__(model, prover, before)

    def with_model(self, model: Model) -> Star:
        """The same rows under an edited model; what depends on rows and columns alone is carried over."""
        made = Star(model, self.rows, self.derived, self, self.elsewhere)
        made.cleared, made.unruled = self.cleared, self.unruled
        return made

    @cached_property
    def sampled(self) -> Star:
        """The star as samples of the tables that stay have it: good for suggestions, and for no number."""
        if self.elsewhere is None:
            return self
        return Star(self.model, {**self.rows, **self.elsewhere.samples})

    def showing(self, members: Mapping[str, TableRows]) -> Star:
        """The star with rows for some tables that stay: the members that an answer shows, each in a row of its own."""
        return _Showing.of(self, members) if members else self

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

    def joined(self, table: str, key: object, join: Callable[[], Array]) -> Array | None:
        """Codes of several columns in one: `Derived.joined`."""
        return self.derived.joined(table, key, join)

    def passing(self, table: str, key: object, find: Callable[[], Array] | None = None) -> Array | None:
        """The rows of a table that pass some filters: `Derived.passing`."""
        return self.derived.passing(table, key, find)

    def derive(self, key: tuple[object, ...], find: Callable[[], Derivable]) -> Derivable:
        """What `find` found of the rows alone, whatever the links: kept as long as these rows are."""
        return self.derived.derive(key, find)


class _Showing(Star):
    """A star that has the members an answer shows in place of tables that stay."""

    own: Derived

    @classmethod
    def of(cls, star: Star, members: Mapping[str, TableRows]) -> Star:
        """The same star, with the members."""
        made = copy.copy(star)
        made.__class__ = cls
        assert isinstance(made, _Showing)
        made.rows, made.own, made.prepared = RowsHere({**star.rows, **members}), Derived(members), Kept(MOST_PREPARED)
        made.prepared_rows = Kept(MOST_PREPARED_ROWS)
        return made

    def domain(self, table: str, columns: Columns) -> Domain:
        """The members of these columns."""
        return (self.own if table in self.own.rows else self.derived).domain(table, columns)

    def derive(self, key: tuple[object, ...], find: Callable[[], Derivable]) -> Derivable:
        """What `find` found of the rows, kept with those that it is of."""
        return (self.own if any(k in self.own.rows for k in key[1:]) else self.derived).derive(key, find)
