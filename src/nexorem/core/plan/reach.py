"""Who filters whom: over which links a filter runs, and where and why it stops."""

from __future__ import annotations

import heapq
import math
from collections import deque
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.model import Link, Model
from nexorem.core.model.names import column_text
from nexorem.core.model.paths import DoublePath, LinkState, inflow
from nexorem.core.model.proven import Proven
from nexorem.core.results import Result

MOST_ASKED = 12  # chains of links that are looked at for ways to carry a filter
MOST_WAYS = 3  # to carry a filter that are told
MOST_OFF = 4  # flows that are switched off to keep one path
Reason = Literal["inactive", "one-way", "off", "no link"]


@dataclass(frozen=True, slots=True)
class Crossing(Result):
    """A filter that goes over a link, from one table to another."""

    link: str
    from_: str
    to: str


@dataclass(frozen=True, slots=True)
class Stop(Result):
    """A link that a filter on the table `from` does not cross to the other, and why; a table without links has none."""

    link: str | None
    from_: str
    to: str | None
    reason: Reason


@dataclass(frozen=True, slots=True)
class ChainStop(Result):
    """A link of a chain that carries no filter into the table `to`, and why."""

    link: str
    to: str
    reason: Reason


@dataclass(frozen=True, slots=True)
class Current(Result):
    """How a filter on a table runs out: the links it crosses, outward, and those it stops at."""

    table: str
    runs: tuple[Crossing, ...]
    stops: tuple[Stop, ...]


@dataclass(frozen=True, slots=True)
class Way(Result):
    """The links from one table to another: the `path` of a filter; or `chain`, the nearest one with what stops it; or neither, where no
    links lead there."""

    path: tuple[str, ...] = ()
    chain: tuple[str, ...] = ()
    stops: tuple[ChainStop, ...] = ()


NO_WAY = Way()


@dataclass(frozen=True, slots=True)
class Pair(Result):
    """How a filter on one table comes to another (formats.md, section 4): its `path`; or the links that are `blocked` and the `stops` in
    them; or `none`."""

    from_: str
    to: str
    path: tuple[str, ...] | None = None
    blocked: tuple[str, ...] | None = None
    stops: tuple[ChainStop, ...] | None = None
    none: bool | None = None


@dataclass(frozen=True, slots=True)
class ReachTable(Result):
    """Who filters whom, for every ordered pair of tables."""

    tables: tuple[str, ...]
    pairs: tuple[Pair, ...]


def stop_reason(state: LinkState, link: Link, into: str) -> Reason | Literal[""]:
    """Why a link does not carry a filter into a table: `` where it does."""
    if state.carries(link, into):
        return ""
    if link.name not in state.active:
        return "inactive"
    return "off" if state.way(link) == "off" else "one-way"


def reached_tables(star: Proven, state: LinkState, tables: Iterable[str]) -> set[str]:
    """The tables themselves and every table that a filter on one of them reaches."""
    reached, queue = set(tables), list(tables)
    while queue:
        at = queue.pop()
        for link in state.beside(star.model, at):
            if state.carries(link, other := link.other(at)) and other not in reached:
                reached.add(other)
                queue.append(other)
    return reached


def blocked(star: Proven, state: LinkState, filtered: Sequence[str], crossed: Collection[str]) -> tuple[Stop, ...]:
    """Each link next to a filtered table that did not carry the filter on, and why; a filtered table without links.

    `filtered` are the tables with filters of their own; those that these reach count as well. A link over which a
    filter came does not carry it back, and that is no stop. Each link is told once.
    """
    reached = reached_tables(star, state, filtered)
    order = [*filtered, *sorted(reached - set(filtered))]
    stops: dict[str, Stop] = {}
    for table in order:
        beside = star.model.links_beside(table)
        if not beside and table in filtered:
            stops[f"no link {table}"] = Stop(None, table, None, "no link")
        for link in beside:
            other = link.other(table)
            reason = stop_reason(state, link, other)
            came_over = reason == "one-way" and other in reached
            if reason and link.name not in crossed and not came_over:
                stops.setdefault(link.name, Stop(link.name, table, other, reason))
    return tuple(stops.values())


def current(star: Proven, table: str, state: LinkState) -> Current:
    """How a filter on a table runs out: the links it crosses, outward, and those it stops at."""
    return star.part(("current", table, state), (star.model.links,), lambda: _current(star, table, state))


def _current(star: Proven, table: str, state: LinkState) -> Current:
    crossed: list[Crossing] = []
    seen, queue = {table}, [table]
    while queue:
        at = queue.pop(0)
        for link in star.model.links_beside(at):
            if state.carries(link, other := link.other(at)) and other not in seen:
                seen.add(other)
                queue.append(other)
                crossed.append(Crossing(link.name, at, other))
    return Current(table, tuple(crossed), blocked(star, state, [table], {c.link for c in crossed}))


def reach(star: Proven, state: LinkState, source: str, target: str) -> Way:
    """How a filter on `source` comes to `target`, or what stops it."""
    return reaches(star, state, source).get(target, NO_WAY)


def reaches(star: Proven, state: LinkState, source: str) -> dict[str, Way]:
    """How a filter on `source` comes to each table that any chain of links leads to, by table: one search for them all.

    Among chains those with fewest stops are taken, of these the shortest, of these the one that fewest edits open: a link may have to be
    switched on and turned as well (E. W. Dijkstra's search, on triples). Not to be changed by whoever gets it: it is kept.
    """
    return star.part(("reaches", source, state), (star.model.links,), lambda: _reaches(star, state, source))


def _reaches(star: Proven, state: LinkState, source: str) -> dict[str, Way]:
    best: list[tuple[int, int, int, str, tuple[tuple[str, str, Reason | Literal[""]], ...]]] = [(0, 0, 0, source, ())]
    ways: dict[str, Way] = {}
    while best:
        stops, length, edits, at, trail = heapq.heappop(best)
        if at in ways:
            continue
        links = tuple(link for link, _, _ in trail)
        ways[at] = Way(chain=links, stops=tuple(ChainStop(link, to, why) for link, to, why in trail if why)) if stops else Way(links)
        for link in state.beside(star.model, at):
            if (other := link.other(at)) not in ways:
                why = stop_reason(state, link, other)
                turned = why == "inactive" and state.way(link) not in ("two-way", other)
                heapq.heappush(best, (stops + bool(why), length + 1, edits + bool(why) + turned, other, (*trail, (link.name, other, why))))
    return ways


def first_stop(star: Proven, state: LinkState, source: str, target: str) -> Stop | None:
    """Where a filter on its shortest way from one table to another stops first; None where no chain of links leads there."""
    stop = next(iter(reach(star, state, source, target).stops), None)
    link = star.model.link(stop.link) if stop else None
    return Stop(link.name, link.other(stop.to), stop.to, stop.reason) if stop and link else None


def carrying_edits(star: Proven, state: LinkState, source: str, target: str, model: Model | None = None) -> list[str]:
    """The edits that would carry a filter from one table to another, for `given (…)`: those of the nearest chain of links, and `flow … off`
    for those that would then make a second path; or a `match` of two columns alike where no links lead there. Empty where none does.
    Links are named as in `model`, else as in the star's."""
    ways, model = reach(star, state, source, target), model or star.model
    if ways.path or source == target:
        return []
    if not ways.stops:
        return _alike(star, source, target)
    edits = []
    for stop in ways.stops:
        link = star.model.link(stop.link)
        if link is None:  # the far side of a `match`
            return []
        if stop.reason == "inactive":
            edits.append(f"via {model.link_text(link)}")
            state = state.switched(star.model, link)
        if not state.carries(link, stop.to):
            edits.append(f"flow {model.link_text(link)} two-way")
            state = state.turning(link, "two-way")
    for _ in range(MOST_OFF):
        try:
            inflow(star.model, target, state, star.firm)
        except DoublePath as double:
            link = _breaking(star, double, ways.chain)
            if link is None:
                return []
            edits.append(f"flow {model.link_text(link)} off")
            state = state.turning(link, "off")
        else:
            return edits if reach(star, state, source, target).path else []
    return []


def carrying_ways(star: Proven, source: str, target: str) -> list[list[str]]:
    """Several ways to carry a filter from one table to another, under the model's own links: the edits of the nearest chain of links, and
    those of chains without one of the links of another. Short chains of few edits come first (a flow that is only switched off to keep one
    path does not count), of these the one through the table of most rows; a `match` of columns alike comes last. They are
    kept over edits of measures."""
    made_from = (star.model.links, star.model.tables, star.firm)
    return star.part(("carrying ways", source, target), made_from, lambda: _carrying_ways(star, source, target))


def _carrying_ways(star: Proven, source: str, target: str) -> list[list[str]]:
    ways: dict[tuple[str, ...], tuple[float, int]] = {}
    queue: deque[frozenset[str]] = deque([frozenset()])
    tried = {frozenset[str]()}
    for _ in range(MOST_ASKED):
        if not queue:
            break
        without = queue.popleft()
        few = star.with_model(replace(star.model, links=tuple(k for k in star.model.links if k.name not in without)))
        edits, chain = (
            carrying_edits(few, few.state, source, target, star.model),
            reach(few, few.state, source, target).chain,
        )
        through = {x for name in chain if (link := star.model.link(name)) for x in link.tables}
        if edits:
            length = len(chain) + sum(not e.endswith(" off") for e in edits) if chain else math.inf
            ways.setdefault(tuple(edits), (length, -max((star.size(x) for x in through), default=0)))
        for name in reversed(chain):
            if (more := without | {name}) not in tried:
                tried.add(more)
                queue.append(more)
    return [list(w) for w in sorted(ways, key=ways.__getitem__)[:MOST_WAYS]]


def _breaking(star: Proven, double: DoublePath, chain: Collection[str]) -> Link | None:
    """The link to switch off so that a double path is one again: of the way that the chain opened, one that is not part of the chain."""
    for way, other in ((double.first, double.second), (double.second, double.first)):
        if set(way) & set(chain) and not set(other) & set(chain):
            return next((star.model.link(name) for name in way if name not in chain), None)
    return next((star.model.link(name) for name in (*double.first, *double.second) if name not in chain), None)


def _alike(star: Proven, source: str, target: str) -> list[str]:
    """A `match` of columns with one name and type in both tables."""
    ends = [star.model.table(name) for name in (source, target)]
    pairs = [(a, b) for a in ends[0].columns for b in ends[1].columns] if ends[0] and ends[1] else []
    same = [(a, b) for a, b in pairs if a.name.lower() == b.name.lower() and a.dtype == b.dtype]
    return [f"match {column_text(source, a.name)} to {column_text(target, b.name)}" for a, b in same[:1]]


def reach_table(star: Proven, state: LinkState) -> ReachTable:
    """Who filters whom (formats.md, section 4): `tables`, and for each ordered pair how a filter on the first comes to
    the second, or what blocks it."""
    names = [x.name for x in star.model.tables]
    reached = {a: reaches(star, state, a) for a in names}
    return ReachTable(tuple(names), tuple(_pair(a, b, reached[a].get(b, NO_WAY)) for a in names for b in names if a != b))


def _pair(source: str, target: str, way: Way) -> Pair:
    if way.path:
        return Pair(source, target, path=way.path)
    return Pair(source, target, blocked=way.chain, stops=way.stops) if way.chain else Pair(source, target, none=True)


def reach_after(star: Proven, given: str) -> ReachTable:
    """Who filters whom after edits, as they stand in the brackets of a `given`; refuses with what is wrong with them."""
    state = star.state
    for edit in Binder(star).given(given) if given.strip() else ():
        state = edit.state if isinstance(edit, t.LinkEdit) else state
    return reach_table(star, state)
