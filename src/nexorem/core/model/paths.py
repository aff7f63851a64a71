"""Which filters can flow where: the tree of links that run into a table, and the one-path rule."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from nexorem.core.model.model import Link, Model

How = Literal["lookup", "up", "loose"]


@dataclass(frozen=True, slots=True)
class LinkState:
    """Which links are active in a context, which way filters cross them where that is not the model's own way
    (`turned`: the link's name and two-way, off, or the table they run to), and the loose one-way links that `match`
    put there for one computation (`added`)."""

    active: frozenset[str]
    turned: frozenset[tuple[str, str]] = frozenset()
    added: tuple[Link, ...] = ()

    def switched(self, model: Model, link: Link) -> LinkState:
        """With `link` active and any other active link between the same two tables not."""
        rivals = {k.name for k in model.links if k.tables == link.tables}
        return replace(self, active=(self.active - rivals) | {link.name})

    def turning(self, link: Link, way: str) -> LinkState:
        """With filters crossing an active link another way."""
        return replace(self, turned=frozenset(t for t in self.turned if t[0] != link.name) | {(link.name, way)})

    def adding(self, link: Link) -> LinkState:
        """With a loose one-way link from `match`."""
        return replace(self, added=(*self.added, link))

    def links(self, model: Model) -> tuple[Link, ...]:
        """The model's links and those of `match`."""
        return (*model.links, *self.added)

    def beside(self, model: Model, table: str) -> tuple[Link, ...]:
        """Those that end at a table."""
        added = tuple(k for k in self.added if table in k.tables) if self.added else ()
        return (*model.links_beside(table), *added) if added else model.links_beside(table)

    def way(self, link: Link) -> str:
        """two-way, off, or the table that filters run to."""
        if not self.turned:
            return link.from_table if link.flow == "one-way" else "two-way"
        return dict(self.turned).get(link.name, link.from_table if link.flow == "one-way" else "two-way")

    def carries(self, link: Link, into: str) -> bool:
        """Whether a filter can cross the link into that end of it."""
        if link in self.added:
            return into == link.from_table
        return link.name in self.active and self.way(link) in ("two-way", into)


def model_state(model: Model) -> LinkState:
    """The model's own links."""
    return LinkState(frozenset(k.name for k in model.links if k.active))


@dataclass(frozen=True, slots=True)
class Inflow:
    """A table and, as a tree, every table whose filters flow into it.

    `how` says how its rows decide over those of the table before it: `lookup` (firm, each row has one partner there),
    `up` (firm and two-way: from the many side), `loose` (by equal keys); `` at the root.
    """

    table: str
    link: Link | None
    how: How | Literal[""]
    sources: tuple[Inflow, ...]

    def walk(self) -> Iterator[Inflow]:
        """This table and all behind it, the nearest first."""
        yield self
        for source in self.sources:
            yield from source.walk()

    def worst_step(self, table: str) -> str:
        """The least certain step on the way from a table to the root of the flow: lookup, up or loose; `` where it does not come there."""
        if self.table == table:
            return "lookup"
        for source in self.sources:
            if any(f.table == table for f in source.walk()):
                return source.how if source.how != "lookup" else source.worst_step(table)
        return ""


@dataclass(frozen=True, slots=True)
class DoublePath(Exception):
    """Filters would reach `target` from `source` over two paths (a ring where both are the same table)."""

    source: str
    target: str
    first: tuple[str, ...]
    second: tuple[str, ...]

    def sentence(self) -> str:
        """Both paths, in words."""
        if self.source == self.target:
            return f"A filter on {self.target} would come back to it in a ring: {' › '.join(self.second)}."
        return (
            f"A filter on {self.source} would reach {self.target} over two paths: {' › '.join(self.first)}; and {' › '.join(self.second)}."
        )


def inflow(model: Model, table: str, state: LinkState, firm: frozenset[str]) -> Inflow:
    """The tree of flows into `table`; raises DoublePath where a table would stand in it twice.

    The trail of a path lists link names from the source to the table.
    """
    trails: dict[str, tuple[str, ...]] = {table: ()}

    def grow(at: str, link: Link | None, how: How | Literal[""]) -> Inflow:
        sources = []
        for candidate in state.beside(model, at):
            if (link and candidate.name == link.name) or not state.carries(candidate, at):
                continue
            source = candidate.other(at)
            trail = (candidate.name, *trails[at])
            if source in trails:
                raise DoublePath(source, table, trails[source], trail)
            trails[source] = trail
            sources.append((source, candidate))
        grown = []
        for source, candidate in sources:
            kind: How = "loose" if candidate.name not in firm else "lookup" if at == candidate.from_table else "up"
            grown.append(grow(source, candidate, kind))
        return Inflow(at, link, how, tuple(grown))

    return grow(table, None, "")


def doubled_paths(model: Model, state: LinkState) -> list[DoublePath]:
    """Every table that breaks the one-path rule, by its first double path."""
    paths = []
    for table in model.tables:
        try:
            inflow(model, table.name, state, frozenset())
        except DoublePath as double:
            paths.append(double)
    return paths


def lookups(model: Model, table: str, state: LinkState, firm: frozenset[str], back: frozenset[str]) -> dict[str, tuple[Link, ...]]:
    """For each table that rows of `table` can look up: the chain of firm active links, first step first. The links of one to one that are
    named in `back` are gone over from their `to` side as well, and stand in a chain turned round.

    `table` itself is there with an empty chain. Breadth first, so a shorter chain wins where a state that breaks the
    one-path rule would offer two.
    """
    chains: dict[str, tuple[Link, ...]] = {table: ()}
    queue = [table]
    for at in queue:
        for link in model.links_beside(at):
            if link.name not in state.active or link.name not in firm:
                continue
            step = link if link.from_table == at else link.turned() if link.name in back else None
            if step is not None and step.to_table not in chains:
                chains[step.to_table] = (*chains[at], step)
                queue.append(step.to_table)
    return chains
