"""What a filter does not reach, and the smallest change that would open the way."""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Any

from nexorem.core.design.change import doubles, reach_change, switched_off
from nexorem.core.design.suggest import suggestions
from nexorem.core.language import typed as t
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Link, Model, link_from_json
from nexorem.core.model.paths import LinkState, model_state
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import NO_WAY, ChainStop, Reason, Way, carrying_edits, reach, reaches, stop_reason
from nexorem.core.results import Result

MOST_CHAINS = 400  # of links that are looked at between two tables
MOST_OPENED = 10
MOST_YIELDING = 3
MOST_TRIED = 16
Stops = list[tuple[Link, str, Reason]]  # link, the table it should carry into, why it does not


@dataclass(frozen=True, slots=True)
class Chain:
    """Links that lead from one table to another, and those of them that do not carry a filter there."""

    links: tuple[str, ...]
    stops: Stops


@dataclass(frozen=True, slots=True)
class Reached(Result):
    """A table that a filter reaches, or comes from, over a path."""

    table: str
    path: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Blocked(Result):
    """A table that no filter reaches, or comes from: the nearest chain with its stops, or none at all."""

    table: str
    chain: tuple[str, ...]
    stops: tuple[ChainStop, ...]


@dataclass(frozen=True, slots=True)
class ReachedScan(Result):
    """A scan with the tables whose filters reach it and those whose filters do not."""

    grain: str
    text: str
    filtered_by: tuple[Reached, ...]
    blocked_by: tuple[Blocked, ...]


@dataclass(frozen=True, slots=True)
class ReachOf(Result):
    """What a table filters and does not, and what filters it; or what filters the scans of a measure."""

    table: str | None
    measure: str | None
    filters: tuple[Reached, ...]
    blocked: tuple[Blocked, ...]
    scans: tuple[ReachedScan, ...]


@dataclass(frozen=True, slots=True)
class Opening(Result):
    """The smallest change that opens a way: `edits` of the model with their `title`, none where each would double a path, which `refused`
    then names; `stops` are those of the chain that is opened; `given` is what a formula can write for itself."""

    from_: str
    to: str
    edits: tuple[Edit, ...] = ()
    stops: tuple[ChainStop, ...] = ()
    refused: str = ""
    title: str = ""
    given: str = ""


def reach_of(star: Star, table: str) -> ReachOf:
    """What a table filters, and what filters it."""
    others = [x.name for x in star.model.tables if x.name != table]
    mine = reaches(star, star.state, table)
    filters, blocked = _sorted_out((x, mine.get(x, NO_WAY)) for x in others)
    return ReachOf(table, None, filters, blocked, (_scan_reach(star, table, "", star.state),))


def _scan_reach(star: Star, grain: str, text: str, state: LinkState) -> ReachedScan:
    others = [x.name for x in star.model.tables if x.name != grain]
    return ReachedScan(grain, text, *_sorted_out((x, reach(star, state, x, grain)) for x in others))


def _sorted_out(ways: Iterable[tuple[str, Way]]) -> tuple[tuple[Reached, ...], tuple[Blocked, ...]]:
    open_ways = list(ways)
    reached = tuple(Reached(table, way.path) for table, way in open_ways if way.path)
    return reached, tuple(Blocked(table, way.chain, way.stops) for table, way in open_ways if not way.path)


def opening(star: Star, source: str, target: str, state: LinkState | None = None) -> Opening:
    """The smallest change after which a filter on `source` reaches `target`."""
    openings = _opening_links(star, source, target, list(islice(_chains(star, source, target), MOST_OPENED)))
    if not openings.edits:
        openings = _new_link(star, source, target) or openings
    given = carrying_edits(star, state or star.state, source, target)
    return replace(openings, given=f"given ({', '.join(given)})" if given else "")


def _opening_links(star: Star, source: str, target: str, chains: list[Chain]) -> Opening:
    """The chain that is opened at the least cost, of equals the one that turns fewest links. An edit costs one, and one more where it turns
    a link both ways: that lets filters through to everything behind it."""
    best: tuple[int, int, Opening] | None = None
    refused = ""
    for chain in chains:
        model, edits = _opened(star.model, chain.stops)
        turns = sum("flow" in e["set"] for e in edits)
        cost = len(edits) + turns
        room = MOST_YIELDING if best is None else min(best[0] - cost, MOST_YIELDING)
        yields = _yields(star, model, chain, room) if room >= 0 else None
        if yields is None:
            refused = refused or next((d.sentence() for d in doubles(model)), "")
        elif best is None or (cost + len(yields), turns) < best[:2]:
            off = [{"kind": "change_link", "name": name, "set": {"active": False}} for name in yields]
            said = [_said(*s) for s in chain.stops] + ([f"{' and '.join(yields)} yield{'' if yields[1:] else 's'}"] if yields else [])
            stops = tuple(ChainStop(k.name, to, why) for k, to, why in chain.stops)
            best = cost + len(yields), turns, Opening(source, target, (*off, *edits), stops, title="; ".join(said))
    return best[2] if best else Opening(source, target, refused=refused)


def _yields(star: Star, model: Model, chain: Chain, most: int) -> tuple[str, ...] | None:
    """The links outside the chain, `most` of them or fewer, that become inactive so that no path is doubled; of several choices the one
    after which fewest pairs of tables lose their way. None where so few do not do."""
    tried: list[tuple[str, ...]] = [()]
    for _ in range(most + 1):
        done: list[tuple[str, ...]] = []
        further: dict[tuple[str, ...], None] = {}
        for names in tried[:MOST_TRIED]:
            paths = doubles(switched_off(model, names))
            if not paths:
                done.append(names)
            ways = [x for d in paths[:1] for x in (*d.first, *d.second) if x not in chain.links]
            further |= {tuple(sorted((*names, x))): None for x in ways}
        if done:
            return min(done, key=lambda names: _lost(star, switched_off(model, names))) if len(done) > 1 else done[0]
        tried = list(further)
    return None


def _lost(star: Star, model: Model) -> int:
    """How many pairs of tables, the one filtering the other, a change of links would part."""
    then = star.with_model(model)
    return len(reach_change(star, then).no_longer)


def _chains(star: Star, source: str, target: str) -> Iterator[Chain]:
    """Chains of links from the one table to the other, those with fewest stops first, no table twice."""
    queue: list[tuple[int, int, int, str, tuple[str, ...], tuple[str, ...], Stops]] = [(0, 0, 0, source, (source,), (), [])]
    number = 0
    for _ in range(MOST_CHAINS):
        if not queue:
            return
        stopped, length, _, at, seen, links, stops = heapq.heappop(queue)
        if at == target:
            if stops:
                yield Chain(links, stops)
            continue
        for link in star.model.links:
            other = link.other(at)
            if at in link.tables and other not in seen:
                why = stop_reason(star.state, link, other)
                number += 1
                more = [*stops, (link, other, why)] if why else stops
                heapq.heappush(queue, (stopped + bool(why), length + 1, number, other, (*seen, other), (*links, link.name), more))


def _opened(model: Model, stops: Stops) -> tuple[Model, list[Edit]]:
    """The model in which these links carry filters on, and the edits that make it. Of the links between the same two tables one is active:
    the others yield."""
    edits: list[Edit] = []
    for link, into, why in stops:
        change: dict[str, Any] = {"active": True} if why == "inactive" else {}
        if link.flow == "one-way" and into != link.from_table:
            change["flow"] = "two-way"
        if why == "inactive":
            rivals = [k.name for k in model.links if k.tables == link.tables and k.active and k.name != link.name]
            edits += [{"kind": "change_link", "name": name, "set": {"active": False}} for name in rivals]
            model = replace(model, links=tuple(replace(k, active=False) if k.name in rivals else k for k in model.links))
        edits.append({"kind": "change_link", "name": link.name, "set": change})
        model = replace(model, links=tuple(replace(k, **change) if k.name == link.name else k for k in model.links))
    return model, edits


def _said(link: Link, into: str, why: str) -> str:
    switch = f"switch {link.name} on" if why == "inactive" else ""
    turn = f"make {link.name} two-way" if link.flow == "one-way" and into != link.from_table else ""
    return " and ".join(x for x in (switch, turn) if x)


def _new_link(star: Star, source: str, target: str) -> Opening | None:
    """A link that the data suggest and that would open the way."""
    for suggestion in suggestions(star):
        active = {**suggestion.link, "active": True}
        link = link_from_json(star.model, active)
        model = replace(star.model, links=(*star.model.links, link))
        if not doubles(model) and reach(star.with_model(model), model_state(model), source, target).path:
            return Opening(source, target, ({"kind": "add_link", "link": active},), title=f"link {suggestion.text}")
    return None


def measure_reach(star: Star, name: str, scans: Sequence[t.Aggregate]) -> ReachOf:
    """For each scan of a measure (`scans`, those it computes), the tables whose filters reach it and those whose filters do not."""
    return ReachOf(None, name, (), (), tuple(_scan_reach(star, scan.grain, scan.text, scan.state) for scan in scans))
