"""What a filter does not reach, and the smallest change that would open the way."""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Any

from nexorem.core.design.change import doubles, reach_change, switched_off
from nexorem.core.design.suggest import suggestions
from nexorem.core.language import typed as t
from nexorem.core.model.model import Link, Model, link_from_json
from nexorem.core.model.paths import LinkState, model_state
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import carrying_edits, reaches, stop_reason

MOST_CHAINS = 400  # of links that are looked at between two tables
MOST_OPENED = 10
MOST_YIELDING = 3
MOST_TRIED = 16
Stops = list[tuple[Link, str, str]]  # link, the table it should carry into, why it does not


@dataclass(frozen=True, slots=True)
class Chain:
    """Links that lead from one table to another, and those of them that do not carry a filter there."""

    links: tuple[str, ...]
    stops: Stops


def reach_of(star: Star, table: str) -> dict[str, Any]:
    """What a table filters (`filters`), and what filters it (`filtered_by`): each other table with its `path`; or, in `blocked` and
    `blocked_by`, the nearest chain with its stops, or none at all."""
    mine = reaches(star, star.state, table)
    told: dict[str, Any] = {"table": table, "filters": [], "filtered_by": [], "blocked": [], "blocked_by": []}
    for other in (x.name for x in star.model.tables if x.name != table):
        _sort_in(told, "filters", "blocked", other, mine.get(other, {}))
        _sort_in(told, "filtered_by", "blocked_by", other, reaches(star, star.state, other).get(table, {}))
    return told


def _sort_in(told: dict[str, Any], open_key: str, blocked_key: str, other: str, found: dict[str, Any]) -> None:
    if "path" in found:
        told[open_key].append({"table": other, "path": found["path"]})
    else:
        told[blocked_key].append({"table": other, "chain": found.get("blocked", []), "stops": found.get("stops", [])})


def opening(star: Star, source: str, target: str, state: LinkState | None = None) -> dict[str, Any]:
    """The smallest change after which a filter on `source` reaches `target`: `edits` of the model (none where each would double a path,
    which `refused` then names), and `given`, the edits a formula can make for itself. `stops` are those of the chain that is opened."""
    told: dict[str, Any] = {"from": source, "to": target, "edits": [], "stops": [], "refused": "", "title": ""}
    told |= _opening_links(star, list(islice(_chains(star, source, target), MOST_OPENED)))
    if not told["edits"]:
        told |= _new_link(star, source, target)
    given = carrying_edits(star, state or star.state, source, target)
    return told | {"given": f"given ({', '.join(given)})" if given else ""}


def _opening_links(star: Star, chains: list[Chain]) -> dict[str, Any]:
    """The chain that is opened at the least cost, of equals the one that turns fewest links. An edit costs one, and one more where it turns
    a link both ways: that lets filters through to everything behind it."""
    best: tuple[int, int, dict[str, Any]] | None = None
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
            best = cost + len(yields), turns, _opening_told(chain, edits, yields)
    return best[2] if best else {"refused": refused}


def _opening_told(chain: Chain, edits: list[dict[str, Any]], yields: tuple[str, ...]) -> dict[str, Any]:
    off = [{"kind": "change_link", "name": name, "set": {"active": False}} for name in yields]
    said = [_said(*s) for s in chain.stops] + ([f"{' and '.join(yields)} yield{'' if yields[1:] else 's'}"] if yields else [])
    stops = [{"link": k.name, "to": to, "reason": why} for k, to, why in chain.stops]
    return {"edits": [*off, *edits], "title": "; ".join(said), "stops": stops}


def _yields(star: Star, model: Model, chain: Chain, most: int) -> tuple[str, ...] | None:
    """The links outside the chain, `most` of them or fewer, that become inactive so that no path is doubled; of several choices the one
    after which fewest pairs of tables lose their way. None where so few do not do."""
    tried: list[tuple[str, ...]] = [()]
    for _ in range(most + 1):
        done: list[tuple[str, ...]] = []
        further: dict[tuple[str, ...], None] = {}
        for names in tried[:MOST_TRIED]:
            found = doubles(switched_off(model, names))
            if not found:
                done.append(names)
            ways = [x for d in found[:1] for x in (*d.first, *d.second) if x not in chain.links]
            further |= {tuple(sorted((*names, x))): None for x in ways}
        if done:
            return min(done, key=lambda names: _lost(star, switched_off(model, names))) if len(done) > 1 else done[0]
        tried = list(further)
    return None


def _lost(star: Star, model: Model) -> int:
    """How many pairs of tables, the one filtering the other, a change of links would part."""
    then = star.with_model(model)
    return len(reach_change(star, then)["no_longer"])


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


def _opened(model: Model, stops: Stops) -> tuple[Model, list[dict[str, Any]]]:
    """The model in which these links carry filters on, and the edits that make it. Of the links between the same two tables one is active:
    the others yield."""
    edits: list[dict[str, Any]] = []
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


def _new_link(star: Star, source: str, target: str) -> dict[str, Any]:
    """A link that the data suggest and that would open the way."""
    for found in suggestions(star):
        link = link_from_json(star.model, {**found["link"], "active": True})
        model = replace(star.model, links=(*star.model.links, link))
        if doubles(model):
            continue
        if "path" in reaches(star.with_model(model), model_state(model), source).get(target, {}):
            return {
                "edits": [{"kind": "add_link", "link": {**found["link"], "active": True}}],
                "title": f"link {found['text']}",
                "refused": "",
            }
    return {}


def measure_reach(star: Star, measure: t.MeasureValue, found: Sequence[t.Aggregate]) -> list[dict[str, Any]]:
    """For each scan of a measure (`found`, those it computes): its grain, the tables whose filters reach it, each over its path, and those
    whose filters do not, each with the chain that is blocked."""
    told = []
    for scan in found:
        reached, blocked = [], []
        for other in (x.name for x in star.model.tables if x.name != scan.grain):
            way = reaches(star, scan.state, other).get(scan.grain, {})
            if "path" in way:
                reached.append({"table": other, "path": way["path"]})
            else:
                blocked.append({"table": other, "chain": way.get("blocked", []), "stops": way.get("stops", [])})
        told.append({"grain": scan.grain, "text": scan.text, "filtered_by": reached, "blocked_by": blocked})
    return told
