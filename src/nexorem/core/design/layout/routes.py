"""The ways of lines between cards: out of a card's edge, between the cards of each row that they pass, into the other card's edge.

Cards stand in rows; between two rows lines are straight. A card that somebody pulled out of the rows is gone around.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from nexorem.core.design.layout.around import crossed, way_around
from nexorem.core.design.layout.graph import (
    CARD_EDGE,
    CARD_HEIGHT,
    KEY_ASIDE,
    KEY_HEIGHT,
    KEY_LANE,
    SLOT,
    Card,
    Line,
    label_width,
)
from nexorem.core.design.layout.marks import mark_of, marks_apart
from nexorem.core.design.layout.order import apart_from

STUB = 16.0  # that a line goes straight out of a card: the mark of its end stands there
LABEL = 16.0  # more, where a name stands beside it
LANE_EDGE = 9.0  # from a card to a line that passes it
LANES = 11.0  # between two that pass

Point = tuple[float, float]


@dataclass(slots=True, eq=False)
class Row:
    """Cards that stand beside each other, from left to right. `above` and `below` are how far lines go straight out of the row there, that
    none runs over a name."""

    cards: list[Card]
    top: float
    bottom: float
    above: float = STUB
    below: float = STUB

    def gaps(self) -> list[tuple[float, float]]:
        """Where lines can pass."""
        gaps, left = [], -1e6
        for card in self.cards:
            gaps.append((left, card.x - card.room / 2))
            left = card.x + card.room / 2
        return [(a, b) for a, b in [*gaps, (left, 1e6)] if b - a > 2 * LANE_EDGE]


@dataclass(slots=True, eq=False)
class Way:
    """A line on its way down: the rows it begins and ends in, the x at which it passes each row, the x at which it leaves its cards."""

    line: Line
    upper: Card
    lower: Card
    begin: int
    end: int
    passes: list[float] = field(default_factory=list)
    gaps: list[int] = field(default_factory=list)
    out: float = 0.0
    into: float = 0.0

    def put(self, card: Card, x: float) -> None:
        """Says where it leaves a card."""
        if card is self.upper:
            self.out = x
        else:
            self.into = x

    def next_x(self, card: Card) -> float:
        """Where it goes from a card's edge."""
        if card is self.upper:
            return self.passes[0] if self.passes else self.into
        return self.passes[-1] if self.passes else self.out


@dataclass(frozen=True, slots=True)
class Routed:
    """The points of a line from its `from` card to its `to` card, how far along it its mark stands, and where its name begins, if one
    stands there."""

    points: tuple[Point, ...]
    mark: float
    label: Point | None = None


def rows_among(cards: Sequence[Card]) -> list[Row]:
    """The rows that cards stand in: those that overlap in height."""
    rows: list[Row] = []
    for card in sorted(cards, key=lambda c: (c.top, c.x)):
        if rows and card.top < rows[-1].bottom:
            rows[-1].cards.append(card)
            rows[-1].bottom = max(rows[-1].bottom, card.bottom)
        else:
            rows.append(Row([card], card.top, card.bottom))
    for row in rows:
        row.cards.sort(key=lambda c: c.x)
    return rows


def routes(cards: Sequence[Card], lines: Sequence[Line], loose: Sequence[Card] = ()) -> dict[str, Routed]:
    """The way of each line between some cards; `loose` are those among them that stand out of the rows. Cost: lines × rows, and of a line
    that has to go around a card the corners near it."""
    out_of_row = set(map(id, loose))
    rows = rows_among([c for c in cards if id(c) not in out_of_row])
    row_of = {id(c): at for at, row in enumerate(rows) for c in row.cards}
    ways, made = [], dict[str, Routed]()
    for line in lines:
        if id(line.a) in row_of and id(line.b) in row_of and row_of[id(line.a)] != row_of[id(line.b)]:
            upper, lower = sorted((line.a, line.b), key=lambda c: row_of[id(c)])
            ways.append(Way(line, upper, lower, row_of[id(upper)], row_of[id(lower)]))
    for way in ways:
        _choose_gaps(way, rows)
        way.out, way.into = way.upper.x, way.lower.x
    for _ in range(3):
        _pass(ways, rows)
        _leave(ways, cards)
    for way in ways:
        if way.line.label and way.line.b is way.upper:
            rows[way.begin].below = STUB + LABEL
        elif way.line.label:
            rows[way.end].above = STUB + LABEL
    for way in ways:
        made[way.line.name] = _drawn(way, rows)
    for line in lines:
        told = made.get(line.name)
        if told is None or (loose and crossed(told.points, [c for c in cards if c not in (line.a, line.b)])):
            points = way_around(line.a, line.b, cards)
            made[line.name] = Routed(points, mark_of(points, range(len(points) - 1), line.share))
    marks = marks_apart({name: (r.points, r.mark) for name, r in made.items()})
    return {name: replace(r, mark=marks[name]) for name, r in made.items()}


def _choose_gaps(way: Way, rows: Sequence[Row]) -> None:
    """In each row that it passes the gap by which it goes least aside."""
    costs: list[dict[int, tuple[float, int, float]]] = []  # by gap of a row: what it took to come there, the gap before, and the x
    x0, x1 = way.upper.x, way.lower.x
    for row in range(way.begin + 1, way.end):
        part = (row - way.begin) / (way.end - way.begin)
        here: dict[int, tuple[float, int, float]] = {}
        for gap, (left, right) in enumerate(rows[row].gaps()):
            best: tuple[float, int, float] | None = None
            for before, (cost, _, x) in (costs[-1] if costs else {-1: (0.0, -1, x0)}).items():
                at = min(max(x + (x1 - x) * part, left + LANE_EDGE), right - LANE_EDGE)
                total = cost + abs(at - x) + (abs(x1 - at) if row == way.end - 1 else 0.0)
                if best is None or total < best[0]:
                    best = total, before, at
            assert best
            here[gap] = best
        costs.append(here)
    way.passes, way.gaps = [], []
    if not costs:
        return
    gap = min(costs[-1], key=lambda g: costs[-1][g][0])
    for here in reversed(costs):
        _, before, x = here[gap]
        way.passes.insert(0, x)
        way.gaps.insert(0, gap)
        gap = before


def _pass(ways: Sequence[Way], rows: Sequence[Row]) -> None:
    """Lines that pass a row by the same gap stand beside each other, in the order in which they come and go."""
    meeting: dict[tuple[int, int], list[tuple[Way, int]]] = {}
    for way in ways:
        for place, gap in enumerate(way.gaps):
            meeting.setdefault((way.begin + 1 + place, gap), []).append((way, place))
    for (row, gap), met in meeting.items():
        left, right = rows[row].gaps()[gap]

        def wanted(item: tuple[Way, int]) -> float:
            way, place = item
            before = way.passes[place - 1] if place else way.out
            after = way.passes[place + 1] if place + 1 < len(way.passes) else way.into
            return (before + after) / 2

        met.sort(key=lambda item: (wanted(item), item[0].line.name))
        room = right - left - 2 * LANE_EDGE
        step = min(LANES, room / (len(met) - 1)) if len(met) > 1 else 0.0
        apart = [step * i for i in range(len(met))]
        xs = apart_from([wanted(m) for m in met], [1.0] * len(met), apart, left + LANE_EDGE, right - LANE_EDGE)
        for (way, place), x in zip(met, xs, strict=True):
            way.passes[place] = x


def _leave(ways: Sequence[Way], cards: Sequence[Card]) -> None:
    """Lines leave a card's edge beside each other, in the order in which they go; each name has room on the right of its line."""
    sides: dict[tuple[int, bool], list[Way]] = {}
    for way in ways:
        sides.setdefault((id(way.upper), True), []).append(way)
        sides.setdefault((id(way.lower), False), []).append(way)
    known = {id(c): c for c in cards}
    for (number, below), there in sides.items():
        card = known[number]
        _by_edge(card, below, [w for w in there if not w.line.key(card)])
    for card in cards:
        if card.opened:
            _by_keys(card, [w for below in (True, False) for w in sides.get((id(card), below), ()) if w.line.key(card)])


def _by_edge(card: Card, below: bool, there: list[Way]) -> None:
    """Lines that leave a card by its upper or lower edge."""
    if not there:
        return
    there.sort(key=lambda w: (w.next_x(card), w.line.name))
    named = [label_width(w.line.label) if w.line.label and w.line.b is card else 0.0 for w in there]
    last, plain = named[-1], named[:-1].count(0.0)
    step = min(SLOT, (card.width - 2 * CARD_EDGE - sum(named)) / plain) if plain else 0.0
    apart = [sum(n or step for n in named[:i]) for i in range(len(there))]
    left, right = card.x - card.width / 2 + CARD_EDGE, card.x + card.width / 2 - CARD_EDGE - last
    xs = apart_from([w.next_x(card) for w in there], [1.0] * len(there), apart, left, right)
    for way, x in zip(there, xs, strict=True):
        way.put(card, x)


def _by_keys(card: Card, there: list[Way]) -> None:
    """Lines that leave an open card sideways, by the keys that it shows: each up or down on a lane of its own, outer keys' inside."""

    def row(way: Way) -> int:
        return card.opened.index(way.line.key(card))

    for sign in (-1, 1):
        mine = [w for w in there if (w.next_x(card) >= card.x) == (sign > 0)]
        up = sorted((w for w in mine if card is w.lower), key=row)
        down = sorted((w for w in mine if card is w.upper), key=lambda w: -row(w))
        meet = bool(up and down) and max(map(row, up)) >= min(map(row, down))
        lanes = [*enumerate(up), *enumerate(down, len(up) if meet else 0)]
        step = min(KEY_LANE, (card.margin + LANE_EDGE) / (max(i for i, _ in lanes) + 1)) if lanes else 0.0
        for lane, way in lanes:
            way.put(card, card.x + sign * (card.width / 2 + KEY_ASIDE + step * lane))


def _drawn(way: Way, rows: Sequence[Row]) -> Routed:
    """A line's points, from its `from` card on."""
    first, last = rows[way.begin], rows[way.end]
    points: list[Point] = [*_leaving(way, way.upper, way.out, first.bottom + first.below, True)]
    for place, x in enumerate(way.passes):
        row = rows[way.begin + 1 + place]
        points += [(x, row.top - row.above), (x, row.bottom + row.below)]
    points += reversed(_leaving(way, way.lower, way.into, last.top - last.above, False))
    label = None
    if way.line.label:
        label = (way.out + 5, first.bottom + STUB + 9) if way.line.b is way.upper else (way.into + 5, last.top - STUB - 3)
    between = range(2 if way.line.key(way.upper) else 1, len(points) - (3 if way.line.key(way.lower) else 2), 2)
    count = len(points) - 1
    if way.line.a is way.lower:
        points.reverse()
        between = range(count - 1 - between[-1], count - between[0], 2)
    mark = mark_of(points, between, way.line.share)
    return Routed(tuple((round(x, 1), round(y, 1)) for x, y in points), mark, label and (round(label[0], 1), round(label[1], 1)))


def _leaving(way: Way, card: Card, x: float, y: float, below: bool) -> list[Point]:
    """How a line leaves a card for a height beyond its row: from its edge, or from its key where the card is open."""
    key = way.line.key(card)
    if not key:
        return [(x, card.bottom if below else card.top), (x, y)]
    side = card.x + (1 if x >= card.x else -1) * card.width / 2
    height = card.top + CARD_HEIGHT + KEY_HEIGHT * (card.opened.index(key) + 0.5)
    return [(side, height), (x, height), (x, y)]
