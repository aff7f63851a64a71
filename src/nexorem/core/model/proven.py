"""What is known of a model's data without a row of it at hand: which links are firm, which tables have an unmatched member, how many rows
there are. It is all that binding, reading, reach and plans ask for; a database can prove it and keep its rows."""

from __future__ import annotations

from array import array
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar, cast

from nexorem.core.kept import Kept
from nexorem.core.model.model import Link, Model
from nexorem.core.model.paths import Inflow, LinkState, inflow, lookups, model_state

MOST_PARTS = 10_000
MOST_PLANS = 256
Made = TypeVar("Made")


@dataclass(frozen=True, slots=True)
class LinkFacts:
    """What the rows say of a link: rows of the `from` side that match, that name a key which is not there, whose key
    is empty; and keys of the one side that repeat (their first rows)."""

    matched: int
    orphans: int
    empty: int
    repeated: array[int]
    from_repeated: array[int]
    key_empty: int


@dataclass(frozen=True, slots=True)
class ColumnFacts:
    """What the rows say of a column: how many are empty, and how many different values the others hold."""

    empty: int
    distinct: int


class Prover(Protocol):
    """Who proves: the rows at hand, or a database that keeps them."""

    def size(self, table: str) -> int:
        """The number of a table's rows."""

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of a link, active or not."""

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column."""

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column."""


class Proven:
    """A model with what its data prove of it. Safe to share between threads.

    `bound` keeps measures that were bound without fault, carried over an edit that changes no table and no link; `plans` keeps probes as
    they were planned, by their shape; `parts` what is told of parts of the model. `cleared` says by which rules rows were taken away, where
    somebody may not see all of them, and `unruled` is the same model with all its rows.
    """

    cleared: Any = None
    unruled: Any = None

    def __init__(self, model: Model, prover: Prover, before: Proven | None = None) -> None:
        """`before` is the same data under an earlier state of the model."""
        self.model, self.prover = model, prover
        self._ways: dict[object, object] = {}
        self.plans = Kept(MOST_PLANS)
        same = before is not None and model.tables == before.model.tables and model.links == before.model.links
        self.bound: dict[object, Any] = dict(before.bound) if before is not None and same else {}
        self.parts: Kept = before.parts if before is not None else Kept(MOST_PARTS)
        self.state = model_state(model)
        self.firm = frozenset(k.name for k in model.links if self._is_firm(k))
        self.firm_back = self._both_ways()
        self._unmatched = self._find_unmatched()

    def with_model(self, model: Model) -> Proven:
        """The same data under an edited model."""
        return Proven(model, self.prover, self)

    def size(self, table: str) -> int:
        """The number of rows."""
        return self.prover.size(table)

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of the link, active or not."""
        return self.prover.facts(link)

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column."""
        return self.prover.column_facts(table, column)

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column."""
        return self.prover.has_empties(table, column)

    def _both_ways(self) -> frozenset[str]:
        """The firm links of one to one that the keys of both sides prove: they are looked up over from either."""
        links = (k for k in self.model.links if k.cardinality == "one-to-one" and k.name in self.firm)
        return frozenset(k.name for k in links if not self.facts(k).from_repeated)

    def _is_firm(self, link: Link) -> bool:
        if link.cardinality == "many-to-many" or link.firm is False:
            return False
        facts = self.facts(link)
        proven = not facts.repeated and not facts.key_empty
        if link.firm is None:
            sources = {t.source for t in self.model.tables if t.name in link.tables}
            return proven and len(sources) == 1
        return proven

    def has_unmatched(self, table: str) -> bool:
        """Whether the table has an unmatched member: some firm link, active or not, leaves rows without partner, or
        a table that looks it up has one itself."""
        return table in self._unmatched

    @property
    def unmatched(self) -> frozenset[str]:
        """The tables that have an unmatched member."""
        return self._unmatched

    def _find_unmatched(self) -> frozenset[str]:
        firm = [k for k in self.model.links if k.name in self.firm]
        unmatched = {k.to_table for k in firm if self.facts(k).matched < self.size(k.from_table)}
        while True:
            more = {k.to_table for k in firm if k.from_table in unmatched} - unmatched
            if not more:
                return frozenset(unmatched)
            unmatched |= more

    def inflow(self, table: str, state: LinkState) -> Inflow:
        """The tree of flows into a table; raises DoublePath."""
        if state.added:  # of one formula: not worth keeping
            return inflow(self.model, table, state, self.firm)
        key = ("inflow", table, state)
        flow = self._ways.get(key)
        if flow is None:
            flow = self._ways[key] = inflow(self.model, table, state, self.firm)
        assert isinstance(flow, Inflow)
        return flow

    def lookups(self, table: str, state: LinkState) -> dict[str, tuple[Link, ...]]:
        """What rows of a table can look up, and how: each step from many to one, or one to one."""
        return self._looked_up(table, state, self.firm_back)

    def lookups_down(self, table: str, state: LinkState) -> dict[str, tuple[Link, ...]]:
        """The same over links from their `from` side alone: of two tables that look each other up, the grain is found this way first."""
        return self._looked_up(table, state, frozenset())

    def _looked_up(self, table: str, state: LinkState, back: frozenset[str]) -> dict[str, tuple[Link, ...]]:
        key = ("lookups", table, state.active, back)
        chains = self._ways.get(key)
        if chains is None:
            chains = self._ways[key] = lookups(self.model, table, state, self.firm, back)
        return cast("dict[str, tuple[Link, ...]]", chains)

    def part(self, key: tuple[object, ...], made_from: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """Something that is told of a model, kept over its edits as long as what it was made from is the same: parts of the model the very
        same ones, names and sets of them equal."""
        kept = self.parts.get(key)
        if kept is None or not all(map(_is_same, kept[0], made_from)):
            kept = self.parts.put(key, (made_from, make()))
        return cast(Made, kept[1])


def _is_same(a: object, b: object) -> bool:
    return a is b or (isinstance(a, str | bool | frozenset | dict) and type(a) is type(b) and a == b)
