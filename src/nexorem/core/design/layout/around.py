"""A way around cards, wherever they stand: the shortest along corners that see each other."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from heapq import heappop, heappush

import numpy as np

from nexorem.core.design.layout.graph import Card
from nexorem.core.values import Array

CLEAR = 14.0  # from a card to a line that goes around it
STUB = 16.0
BEND = 30.0  # what a corner costs, as pixels
NEAR = 500.0  # of the two cards: what is farther away is looked at only where there is no way else

Point = tuple[float, float]


def crossed(points: Sequence[Point], cards: Sequence[Card], within: float = 1.0) -> list[Card]:
    """The cards that a line of points runs under; what touches no more than `within` pixels of an edge does not."""
    if not cards or len(points) < 2:
        return []
    p = np.asarray(points, float)
    hits = np.any(_hits(p[:-1], p[1:], _boxes(cards, -within)), axis=0).reshape(-1)
    return [card for card, hit in zip(cards, hits, strict=True) if hit]


def _boxes(cards: Sequence[Card], more: float) -> Array:
    """float64 [n, 4]: left, top, right, bottom of cards that are made larger."""
    edges = [(c.x - c.width / 2 - more, c.top - more, c.x + c.width / 2 + more, c.bottom + more) for c in cards]
    return np.asarray(edges, float).reshape(-1, 4)


def _hits(starts: Array, ends: Array, boxes: Array) -> Array:
    """bool [segments, boxes]: whether a segment runs through the inside of a box (Liang and Barsky 1984)."""
    d = ends - starts
    low = np.zeros((len(starts), len(boxes)))
    high = np.ones((len(starts), len(boxes)))
    inside = np.ones((len(starts), len(boxes)), bool)
    for axis in (0, 1):
        step, start = d[:, axis, None], starts[:, axis, None]
        near, far = boxes[None, :, axis], boxes[None, :, axis + 2]
        still = np.abs(step) < 1e-9
        safe = np.where(still, 1.0, step)
        a, b = (near - start) / safe, (far - start) / safe
        inside &= ~still | ((start > near) & (start < far))
        low = np.where(still, low, np.maximum(low, np.minimum(a, b)))
        high = np.where(still, high, np.minimum(high, np.maximum(a, b)))
    return inside & (low < high - 1e-9)


def way_around(a: Card, b: Card, cards: Sequence[Card]) -> tuple[Point, ...]:
    """The points of a line from one card's edge to another's that runs under none; straight where there is no such way. Cost: the square of
    the corners near it."""
    box = (min(a.x, b.x) - NEAR, min(a.top, b.top) - NEAR, max(a.x, b.x) + NEAR, max(a.bottom, b.bottom) + NEAR)
    near = [c for c in cards if box[0] < c.x < box[2] and box[1] < c.y < box[3]]
    found = _shortest(a, b, near) or (_shortest(a, b, list(cards)) if len(near) < len(cards) else None)
    return found or ((round(a.x, 1), round(a.y, 1)), (round(b.x, 1), round(b.y, 1)))


def _doors(card: Card) -> list[tuple[Point, Point]]:
    """Where a line may leave a card, and the point to which it goes straight from there."""
    across, down = card.width / 2, card.height / 2
    return [
        ((card.x, card.y - down), (card.x, card.y - down - STUB)),
        ((card.x, card.y + down), (card.x, card.y + down + STUB)),
        ((card.x - across, card.y), (card.x - across - STUB, card.y)),
        ((card.x + across, card.y), (card.x + across + STUB, card.y)),
    ]


def _shortest(a: Card, b: Card, cards: Sequence[Card]) -> tuple[Point, ...] | None:
    mine, theirs = _doors(a), _doors(b)
    wide = _boxes(cards, CLEAR)
    corners = [(x, y) for left, top, right, bottom in wide.tolist() for x in (left, right) for y in (top, bottom)]
    nodes = np.asarray([outer for _, outer in (*mine, *theirs)] + corners, float)
    i, j = (x.ravel() for x in np.triu_indices(len(nodes), 1))
    solid = _boxes(cards, CLEAR - 3)
    seen = np.concatenate([~_hits(nodes[i[k : k + 20_000]], nodes[j[k : k + 20_000]], solid).any(axis=1) for k in range(0, len(i), 20_000)])
    i, j = i[seen], j[seen]
    lengths = (np.hypot(*(nodes[i] - nodes[j]).T) + BEND).tolist()
    steps: list[list[tuple[int, float]]] = [[] for _ in nodes]
    for one, other, length in zip(i.tolist(), j.tolist(), lengths, strict=True):
        steps[one].append((other, length))
        steps[other].append((one, length))
    path = _cheapest(steps, range(4), range(4, 8))
    if path is None:
        return None
    points = [mine[path[0]][0], *(tuple(nodes[k]) for k in path), theirs[path[-1] - 4][0]]
    return tuple((round(float(x), 1), round(float(y), 1)) for x, y in points)


def _cheapest(steps: Sequence[Sequence[tuple[int, float]]], starts: Collection[int], ends: Collection[int]) -> list[int] | None:
    """The cheapest path from one of some nodes to one of others (Dijkstra 1959)."""
    before: dict[int, int] = {}
    queue = [(0.0, start, -1) for start in starts]
    while queue:
        cost, node, came = heappop(queue)
        if node in before:
            continue
        before[node] = came
        if node in ends:
            path = [node]
            while before[path[-1]] >= 0:
                path.append(before[path[-1]])
            return path[::-1]
        for other, length in steps[node]:
            if other not in before:
                heappush(queue, (cost + length, other, node))
    return None
