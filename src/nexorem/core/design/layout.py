"""Where the tables of a star stand: the fact in the middle, its neighbours around it, what hangs on these further out.

Pure geometry, in pixels of the star's plane at 100 %, the fact at 0, 0. The same picture for the screen and for
documents. What stood somewhere before stays there, so an edit moves nothing but what it adds.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from nexorem.core.model.model import Model
from nexorem.core.results import Result

CARD_HEIGHT = 52.0
# Benches are higher than wide beside the matrix: outer rings grow upwards and downwards rather than sideways.
RADIUS_X = (0.0, 178.0, 206.0, 206.0)
RADIUS_Y = (0.0, 158.0, 262.0, 350.0)
# With many tables it is zoomed out anyway, and wants the room on all sides.
MANY = 24
WIDE_X = (0.0, 330.0, 610.0, 870.0)
WIDE_Y = (0.0, 200.0, 370.0, 530.0)
TURN = 0.75  # radians by which what hangs on a level neighbour is sent out at a slant
GAP = 26.0
FILLED = 0.8  # the part of a round that cards are spread over
APART = 250.0  # half the way between two facts
ROUNDS = 400
INACTIVE_COST = 3
Rings = list[tuple[float, float]]


@dataclass(slots=True)
class Branch:
    """A table with what hangs on it."""

    name: str
    ring: int
    children: list[Branch] = field(default_factory=list)

    def leaves(self) -> int:
        """How many tables stand furthest out here: the share of the circle that a branch needs."""
        return sum(c.leaves() for c in self.children) or 1

    def walk(self) -> list[Branch]:
        """Itself and all that hangs on it."""
        return [self, *(x for c in self.children for x in c.walk())]


@dataclass(slots=True)
class Box:
    """A card: its middle and its size."""

    x: float
    y: float
    width: float
    height: float = CARD_HEIGHT


def card_width(name: str) -> float:
    """How wide a card must be for its table's name."""
    return max(112.0, round(len(name) * 7.8) + 74.0)


@dataclass(frozen=True, slots=True)
class StarBox(Result):
    """The middle and the size of a table's card, in pixels."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True, slots=True)
class StarLayout(Result):
    """The `boxes` of a star's tables by name; `shelf` are the tables that no links lead to; `key` is what places of this star go by."""

    key: str
    boxes: Mapping[str, StarBox]
    shelf: tuple[str, ...]


def layout(model: Model, fact: str, beside: str | None = None, before: Mapping[str, tuple[float, float]] | None = None) -> StarLayout:
    """Where the tables stand that links lead to from the fact (and from a second one `beside` it). `before` are middles that stay. Hidden
    tables are left out."""
    boxes: dict[str, Box] = {}
    if beside in (None, fact) or model.table(str(beside)) is None:
        _around(model, fact, boxes)
        roots = [fact]
    else:
        roots = [fact, str(beside)]
        _two_facts(model, roots[0], roots[1], boxes)
    kept = {name for name in boxes if before and name in before}
    for name in kept:
        assert before
        boxes[name].x, boxes[name].y = before[name]
    key = " + ".join(roots)
    pulled = {name: at for name in boxes if (at := model.places.get(f"{key}/{name}"))}
    for name, place in pulled.items():
        boxes[name].x, boxes[name].y = place.x, place.y
    fixed = {*roots, *kept, *pulled}
    separate(boxes, fixed)
    for name in (n for n in boxes if n not in fixed):
        _free(boxes, name)
    shown = {t.name for t in model.tables if not t.hidden or t.name in roots}
    places = {n: StarBox(round(b.x, 1), round(b.y, 1), b.width, b.height) for n, b in boxes.items() if n in shown}
    return StarLayout(key, places, tuple(t.name for t in model.tables if t.name not in boxes and t.name in shown))


def _neighbours(model: Model, name: str) -> list[tuple[str, int]]:
    """The tables linked to one, in the model's order, and what a step there costs."""
    links = [k for k in model.links if name in k.tables and k.from_table != k.to_table]
    return [(k.other(name), 1 if k.active else INACTIVE_COST) for k in links]


def _tree(model: Model, roots: list[Branch], near: list[tuple[Branch, str]]) -> dict[str, Branch]:
    """Hangs every linked table on the roots: those `near` first, whatever their links' state, the rest by the cheapest way."""
    branches = {r.name: r for r in roots}

    def add(parent: Branch, name: str) -> None:
        branches[name] = Branch(name, min(parent.ring + 1, len(RADIUS_X) - 1))
        parent.children.append(branches[name])

    for parent, name in near:
        if name not in branches:
            add(parent, name)
    beside = {t.name: _neighbours(model, t.name) for t in model.tables}
    costs = dict.fromkeys(branches, 0)
    while True:
        steps = [(cost + more, name, other) for name, cost in costs.items() for other, more in beside.get(name, ()) if other not in costs]
        if not steps:
            return branches
        cost, parent_name, other = min(steps, key=lambda s: s[0])
        costs[other] = cost
        add(branches[parent_name], other)


def _around(model: Model, fact: str, boxes: dict[str, Box]) -> None:
    root = Branch(fact, 0)
    _tree(model, [root], [(root, name) for name, _ in _neighbours(model, fact)])
    rings = _rings(root)
    # The neighbour with most links to the fact stands above it, where they can be told apart; the others around.
    root.children.sort(key=lambda b: -sum(k.tables == {fact, b.name} for k in model.links))
    first, others = root.children[:1], root.children[1:]
    boxes[fact] = Box(0, 0, card_width(fact))
    if first:
        _put(first[0], -math.pi / 2, math.pi * 0.5, (0.0, 0.0), boxes, rings)
    # Not quite round: two opposite neighbours are not to hide a link between them behind the fact.
    if others:
        _fan(Branch(fact, 0, others), math.pi / 2, math.pi * 1.2, (0.0, 0.0), boxes, rings)


def _two_facts(model: Model, left: str, right: str, boxes: dict[str, Box]) -> None:
    """Two facts side by side, the dimensions they share between them, their own ones outside."""
    roots = Branch(left, 0), Branch(right, 0)
    ways = [[name for name, _ in _neighbours(model, r.name)] for r in roots]
    shared = [name for name in dict.fromkeys(ways[0]) if name in ways[1]]
    middle = Branch("", 0)
    near = [(middle, n) for n in shared] + [(roots[0], n) for n in ways[0]] + [(roots[1], n) for n in ways[1]]
    _tree(model, [*roots, middle], near)
    # Many shared ones want height, own ones their round: the facts stand further apart the more there are.
    out = APART + 20.0 * max(0, len(shared) - 5)
    for root, x, angle in ((roots[0], -out, math.pi), (roots[1], out, 0.0)):
        boxes[root.name] = Box(x, 0, card_width(root.name))
        _fan(root, angle, math.pi * 0.95, (x, 0.0), boxes, _rings(root))
    for place, child in enumerate(middle.children):
        level = place - (len(middle.children) - 1) / 2
        boxes[child.name] = Box(0, level * (CARD_HEIGHT + GAP + 14), card_width(child.name))
        _fan(
            child,
            math.copysign(math.pi / 2, level or 1),
            math.pi * 0.5,
            (0.0, boxes[child.name].y * 1.4),
            boxes,
            list(zip(RADIUS_X, RADIUS_Y, strict=True)),
        )


def _rings(root: Branch) -> Rings:
    """Half the width and height of each ring: as usual, and larger where its cards need it."""
    branches = root.walk()
    base_x, base_y = (WIDE_X, WIDE_Y) if len(branches) > MANY else (RADIUS_X, RADIUS_Y)
    rings = [(0.0, 0.0)]
    for ring in range(1, len(base_x)):
        # Half of a card's width and height is what it takes of a round, on average over the directions.
        length = sum((card_width(b.name) + CARD_HEIGHT) / 2 + GAP for b in branches if b.ring == ring)
        round_ = 2 * math.pi * math.sqrt((base_x[ring] ** 2 + base_y[ring] ** 2) / 2) * FILLED
        more = max(1.0, length / round_)
        x, y = rings[-1]
        rings.append((max(base_x[ring] * more, x), max(base_y[ring] * more, y + base_y[ring] - base_y[ring - 1])))
    return rings


def _put(branch: Branch, angle: float, spread: float, middle: tuple[float, float], boxes: dict[str, Box], rings: Rings) -> None:
    x, y = (math.cos(angle) * rings[branch.ring][0], math.sin(angle) * rings[branch.ring][1])
    boxes[branch.name] = Box(middle[0] + x, middle[1] + y, card_width(branch.name))
    # What stands nearly level with the fact sends its own out at a slant: up on the right, down on the left.
    level = branch.ring > 0 and abs(math.sin(angle)) < 0.6
    _fan(branch, angle - (TURN / branch.ring if level else 0.0), spread, middle, boxes, rings)


def _fan(branch: Branch, angle: float, spread: float, middle: tuple[float, float], boxes: dict[str, Box], rings: Rings) -> None:
    total = branch.leaves()
    at = angle - spread / 2
    for child in branch.children:
        share = spread * child.leaves() / total
        _put(child, at + share / 2, min(share, math.pi * 0.8), middle, boxes, rings)
        at += share


def separate(boxes: dict[str, Box], fixed: set[str]) -> None:
    """Pushes cards that overlap apart, along the shorter way; the fixed ones stay."""
    for _ in range(ROUNDS):
        moved = False
        # From above to below: only cards at nearly the same height can overlap.
        names = sorted(boxes, key=lambda n: boxes[n].y)
        for i, first in enumerate(names):
            for second in names[i + 1 :]:
                if boxes[second].y - boxes[first].y > CARD_HEIGHT + 3 * GAP:
                    break
                if not (first in fixed and second in fixed):
                    moved |= _push(boxes[first], boxes[second], first in fixed, second in fixed)
        if not moved:
            return


def _free(boxes: dict[str, Box], name: str) -> None:
    """Where a card could not be pushed clear of those that stay: the nearest free place around it."""
    box = boxes[name]
    others = [b for n, b in boxes.items() if n != name]
    x, y = box.x, box.y
    for radius in range(0, 2000, 30):
        for turn in range(16 if radius else 1):
            box.x, box.y = x + radius * math.cos(turn * math.pi / 8), y + radius * math.sin(turn * math.pi / 8)
            if not any(_overlap(box, b) for b in others):
                return


def _overlap(a: Box, b: Box) -> bool:
    # A little less than what `separate` leaves between two cards, which it comes to in ever smaller steps.
    across, down = (a.width + b.width) / 2 + GAP - 1, (a.height + b.height) / 2 + GAP - 1
    return abs(a.x - b.x) < across and abs(a.y - b.y) < down


def _push(a: Box, b: Box, a_stays: bool, b_stays: bool) -> bool:
    x = (a.width + b.width) / 2 + GAP - abs(a.x - b.x)
    y = (a.height + b.height) / 2 + GAP - abs(a.y - b.y)
    if x <= 0 or y <= 0:
        return False
    amount = min(x, y) / (1 if a_stays or b_stays else 2)
    along = "x" if x < y else "y"
    sign = 1 if getattr(b, along) >= getattr(a, along) else -1
    if not a_stays:
        setattr(a, along, getattr(a, along) - sign * amount)
    if not b_stays:
        setattr(b, along, getattr(b, along) + sign * amount)
    return True
