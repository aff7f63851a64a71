"""In what order cards stand in their rows, and how far apart, so that few lines cross and most are steep.

Lines over several rows pass each row between two cards, where they have a place of their own. The order is found by barycentres and by
swaps of neighbours, from several beginnings (Sugiyama, Tagawa and Toda 1981); the places by least squares under distances, as an isotonic
regression (pool adjacent violators).
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from nexorem.core.design.layout.graph import Drawing
from nexorem.core.design.layout.rows import GAP, Rows

LANE = 18.0  # of a line that passes a row
SWEEPS = 12  # from each beginning
STARTS = ((60, 30), (200, 10), (10**9, 4))  # beginnings, by how many places there are
PLACINGS = 24
STRAIGHT = 4.0  # how much more a line over several rows weighs


@dataclass(slots=True, eq=False)
class Place:
    """A card in its row, or where a line passes a row (`card` is empty)."""

    card: str
    width: float
    row: int
    up: list[Place] = field(default_factory=list)
    down: list[Place] = field(default_factory=list)
    at: int = 0
    x: float = 0.0


Layers = list[list[Place]]


def layers_of(drawing: Drawing, rows: Rows) -> Layers:
    """The rows from above to below, with places for lines that pass."""
    first = min(rows.values())
    layers: Layers = [[] for _ in range(first, max(rows.values()) + 1)]
    places = {name: Place(name, drawing.cards[name].room, row) for name, row in rows.items()}
    for place in places.values():
        layers[place.row - first].append(place)
    for line in drawing.lines:
        if line.a.name not in rows or line.b.name not in rows:
            continue
        upper, lower = sorted((places[line.a.name], places[line.b.name]), key=lambda p: p.row)
        if upper.row == lower.row:
            continue
        above = upper
        for row in range(upper.row + 1, lower.row):
            lane = Place("", LANE, row)
            layers[row - first].append(lane)
            _join(above, lane)
            above = lane
        _join(above, lower)
    return layers


def _join(above: Place, below: Place) -> None:
    above.down.append(below)
    below.up.append(above)


def ordered(layers: Layers) -> Layers:
    """The layers with their places in the order in which the fewest lines cross. Cost: a few dozen sweeps."""
    count = sum(map(len, layers))
    r = np.random.default_rng(7)
    best, fewest = [list(x) for x in layers], -1
    for start in range(next(starts for most, starts in STARTS if count <= most)):
        order = [list(x) for x in (layers if start == 0 else best)]
        if start:
            for layer in order:
                layer[:] = [layer[i] for i in r.permutation(len(layer))]
        else:
            _by_depth(order)
        _number(order)
        stale = 0
        for sweep in range(SWEEPS):
            _sweep(order, down=sweep % 2 == 0)
            _swap(order)
            crossings = crossings_of(order)
            if fewest < 0 or crossings < fewest:
                best, fewest, stale = [list(x) for x in order], crossings, 0
            else:
                stale += 1
            if fewest == 0 or stale > 3:
                break
        if fewest == 0:
            break
    _number(best)
    return best


def _by_depth(order: Layers) -> None:
    """A first order: as places are met from the middle of the first layer on, what hangs together beside each other."""
    met: dict[int, int] = {}
    stack = [p for layer in reversed(order) for p in reversed(layer)]
    while stack:
        place = stack.pop()
        if id(place) not in met:
            met[id(place)] = len(met)
            stack += [*reversed(place.down), *reversed(place.up)]
    for layer in order:
        layer.sort(key=lambda p: met[id(p)])


def _number(order: Layers) -> None:
    for layer in order:
        for at, place in enumerate(layer):
            place.at = at


def _sweep(order: Layers, down: bool) -> None:
    for layer in order if down else reversed(order):
        keys = {}
        for place in layer:
            beside = place.up if down else place.down
            keys[id(place)] = sum(p.at for p in beside) / len(beside) if beside else float(place.at)
        layer.sort(key=lambda p: keys[id(p)])
        for at, place in enumerate(layer):
            place.at = at


def _swap(order: Layers) -> None:
    """Swaps neighbours as long as fewer lines cross by that."""
    for _ in range(6):
        swapped = False
        for layer in order:
            for at in range(len(layer) - 1):
                a, b = layer[at], layer[at + 1]
                now = _between(a.up, b.up) + _between(a.down, b.down)
                if now and _between(b.up, a.up) + _between(b.down, a.down) < now:
                    layer[at], layer[at + 1] = b, a
                    a.at, b.at, swapped = at + 1, at, True
        if not swapped:
            return


def _between(left: Sequence[Place], right: Sequence[Place]) -> int:
    """How many lines of two neighbours cross, the first standing on the left."""
    if not left or not right:
        return 0
    theirs = sorted(p.at for p in right)
    return sum(bisect_left(theirs, p.at) for p in left)


def crossings_of(order: Layers) -> int:
    """How many lines cross."""
    total = 0
    for layer in order:
        ends: list[int] = []
        for place in layer:
            lower = sorted(p.at for p in place.down)
            total += sum(len(ends) - bisect_left(ends, at + 1) for at in lower)
            for at in lower:
                insort(ends, at)
    return total


def placed(order: Layers, middle: Sequence[str]) -> None:
    """Gives each place its x, the `middle` ones around 0."""
    for layer in order:
        x = 0.0
        for place in layer:
            place.x = x + place.width / 2
            x += place.width + GAP
        for place in layer:
            place.x -= x / 2
    for turn in range(PLACINGS):
        for layer in order if turn % 2 else reversed(order):
            _place_layer(layer)
    held = [p.x for layer in order for p in layer if p.card in middle]
    shift = sum(held) / len(held) if held else 0.0
    for layer in order:
        for place in layer:
            place.x -= shift


def _place_layer(layer: list[Place]) -> None:
    wanted, weights, apart = [], [], [0.0]
    for at, place in enumerate(layer):
        beside = [(p, STRAIGHT if not (place.card and p.card) else 1.0) for p in (*place.up, *place.down)]
        weight = sum(w for _, w in beside)
        wanted.append(sum(p.x * w for p, w in beside) / weight if beside else place.x)
        weights.append(weight or 0.1)
        if at:
            apart.append(apart[-1] + (layer[at - 1].width + place.width) / 2 + (GAP if layer[at - 1].card and place.card else GAP / 2))
    for place, x in zip(layer, apart_from(wanted, weights, apart), strict=True):
        place.x = x


def apart_from(
    wanted: Sequence[float], weights: Sequence[float], apart: Sequence[float], least: float = -1e9, most: float = 1e9
) -> list[float]:
    """Places in their order, as near as can be to where they are `wanted`, each at least as far from the first as `apart` says; all between
    `least` and `most`, where there is room. Least squares by pooling adjacent violators."""
    blocks: list[list[float]] = []  # sum of weights, weighted sum, how many
    for x, w, d in zip(wanted, weights, apart, strict=True):
        blocks.append([w, w * (x - d), 1])
        while len(blocks) > 1 and blocks[-2][1] / blocks[-2][0] >= blocks[-1][1] / blocks[-1][0]:
            w2, s2, n2 = blocks.pop()
            blocks[-1][0] += w2
            blocks[-1][1] += s2
            blocks[-1][2] += n2
    most = max(least, most - (apart[-1] if apart else 0.0))
    free = [min(max(total / weight, least), most) for weight, total, count in blocks for _ in range(int(count))]
    return [f + d for f, d in zip(free, apart, strict=True)]
