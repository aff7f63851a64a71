"""Where the cards of a star stand and how its lines run: the fact in the middle row, what hangs on it in rows above and below.

Pure geometry, in pixels of the star's plane at 100 %, the fact at 0, 0. The same picture for the screen and for documents. What stood
somewhere before stays there, so an edit moves nothing but what it adds; what somebody pulled to a place stands there, in the model.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from itertools import pairwise

from nexorem.core.design.layout.graph import Card, Drawing, Shown, card_width, drawing_of, folded_name, shown_columns
from nexorem.core.design.layout.order import apart_from, layers_of, ordered, placed
from nexorem.core.design.layout.routes import LABEL, Routed, routes
from nexorem.core.design.layout.rows import GAP, Rows, rows_of
from nexorem.core.model.model import Model
from nexorem.core.results import Result

__all__ = ["SHAPE", "Card", "Shown", "StarBox", "StarLayout", "StarRoute", "card_width", "layout", "shown_columns"]

SHAPE = 1.5  # how many times wider than high the picture is to be, where nobody says
SHAPES = (0.4, 4.0)
BETWEEN = 76.0  # two rows: room for the marks of lines
SLANT = 15.0  # of how many pixels aside lines want one more between rows
MOST_SLANT = 70.0
HELD = 1e6  # the weight of what stays where it is


@dataclass(frozen=True, slots=True)
class StarBox(Result):
    """The middle and the size of a card, in pixels; its row, 0 the facts', and where it is open the columns that it shows."""

    x: float
    y: float
    width: float
    height: float
    row: int
    opened: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class StarRoute(Result):
    """The points of a link's line, from its `from` table on; how far along it its mark stands; where its name begins, if it has its own
    place; how many links are this line."""

    points: tuple[tuple[float, float], ...]
    mark: float
    label: tuple[float, float] | None
    links: int


@dataclass(frozen=True, slots=True)
class StarLayout(Result):
    """The `boxes` of a star's tables by name, those of folded `subjects`, and the `routes` of links by name; `rooms` is how far each row is
    from the one below it; `shelf` are the tables that no links lead to; `key` is what places of this star go by."""

    key: str
    boxes: Mapping[str, StarBox]
    subjects: Mapping[str, StarBox]
    routes: Mapping[str, StarRoute]
    rooms: Mapping[int, float]
    shelf: tuple[str, ...]


def layout(
    model: Model,
    fact: str,
    beside: str | None = None,
    before: Mapping[str, tuple[float, int]] | None = None,
    rooms: Mapping[int, float] | None = None,
    shape: float = SHAPE,
    opened: Mapping[str, Shown] | None = None,
    folded: Collection[str] = (),
) -> StarLayout:
    """Where the tables stand that links lead to from the fact (and from a second one `beside` it). `before` are places that stay, as x
    and row, and `rooms` between rows; `shape` is how many times wider than high the window is, `opened` cards show columns, tables of
    `folded` subjects are one card. Hidden tables are left out. Cost: some hundredths of a second for a hundred tables."""
    roots = [fact] if beside in (None, fact) or model.table(str(beside)) is None else [fact, str(beside)]
    drawing = drawing_of(model, roots, opened or {}, folded)
    wanted = min(max(shape, SHAPES[0]), SHAPES[1])
    rows = _places(drawing, wanted, {n: at for n, at in (before or {}).items() if n in drawing.cards})
    cards = {n: c for n, c in drawing.cards.items() if n in rows}
    apart = _heights(drawing, rows, rooms or {})
    key = " + ".join(roots)
    loose = _pulled(model, key, cards, rows)
    shown = {t.name for t in model.tables if not t.hidden or t.name in roots} | {folded_name(s) for s in folded}
    standing = [c for n, c in cards.items() if n in shown]
    lines = [x for x in drawing.lines if x.a in standing and x.b in standing]
    made = routes(standing, lines, [c for c in loose if c in standing])
    boxes = {n: _box(c, rows[n]) for n, c in cards.items() if n in shown}
    subjects = {s: boxes.pop(folded_name(s)) for s in folded if folded_name(s) in boxes}
    shelf = tuple(t.name for t in model.tables if t.name not in cards and t.name in shown and t.name in drawing.cards)
    return StarLayout(key, boxes, subjects, _routes(model, drawing, made), apart, shelf)


def _box(card: Card, row: int) -> StarBox:
    return StarBox(round(card.x, 1), round(card.y, 1), card.width, card.height, row, card.opened)


def _routes(model: Model, drawing: Drawing, made: Mapping[str, Routed]) -> dict[str, StarRoute]:
    """Each line with how many links it is: of a folded subject it is all that lead there."""
    counts = {x.name: 1 for x in drawing.lines}
    home = {x.name: frozenset((x.a.name, x.b.name)) for x in drawing.lines}
    one = {pair: name for name, pair in home.items()}
    for link in model.links:
        if link.name not in counts:
            ends = frozenset(n if n in drawing.cards else folded_name(_subject(model, n)) for n in (link.from_table, link.to_table))
            if ends in one:
                counts[one[ends]] += 1
    return {name: StarRoute(r.points, r.mark, r.label, counts[name]) for name, r in made.items()}


def _subject(model: Model, name: str) -> str:
    table = model.table(name)
    return table.subject if table else ""


def _places(drawing: Drawing, shape: float, before: Mapping[str, tuple[float, int]]) -> Rows:
    """The row of each card, and its x."""
    rows = rows_of(drawing, shape)
    kept = {n: at for n, at in before.items() if n in rows}
    if not kept:
        order = ordered(layers_of(drawing, rows))
        placed(order, [c.name for c in drawing.roots])
        for layer in order:
            for place in layer:
                if place.card:
                    drawing.cards[place.card].x = place.x
        return rows
    held = {n: row for n, (_, row) in kept.items()}
    for name, (x, _) in kept.items():
        drawing.cards[name].x = x
    for name in rows:
        if name not in held:
            held[name] = _settle(drawing, name, held)
    for row in {*held.values()}:
        _apart([drawing.cards[n] for n, r in held.items() if r == row], set())
    return held


def _settle(drawing: Drawing, name: str, held: Rows) -> int:
    """Gives a new card the free place nearest to those it is linked to, in a row beside theirs; returns the row."""
    card = drawing.cards[name]
    beside = [x.other(card) for x in drawing.lines if card in (x.a, x.b) and x.other(card).name in held]
    x = sum(c.x for c in beside) / len(beside) if beside else 0.0
    near = {held[c.name] + step for c in beside for step in (-1, 1)} - {held[c.name] for c in beside} or {max(held.values()) + 1}
    found: list[tuple[float, int, float]] = []
    for row in sorted(near):
        there = [drawing.cards[n] for n, r in held.items() if r == row]
        for at in _free(there, card.room, x):
            found.append((abs(at - x) + 60.0 * abs(row), row, at))
    _, row, card.x = min(found)
    return row


def _free(cards: list[Card], width: float, x: float) -> list[float]:
    """Where a card of some width fits among those of a row: for each gap the place nearest to x."""
    edges = sorted((c.x - c.room / 2 - GAP, c.x + c.room / 2 + GAP) for c in cards)
    gaps, left = [], float("-inf")
    for start, end in [*edges, (float("inf"), 0.0)]:
        if start - left >= width:
            gaps.append(min(max(x, left + width / 2), start - width / 2))
        left = max(left, end)
    return gaps


def _apart(cards: list[Card], held: set[int]) -> None:
    """Moves the cards of a row apart where they overlap, as little as can be."""
    cards.sort(key=lambda c: c.x)
    apart = [0.0]
    for a, b in pairwise(cards):
        apart.append(apart[-1] + (a.room + b.room) / 2 + GAP)
    weights = [HELD if id(c) in held else 1.0 for c in cards]
    for card, x in zip(cards, apart_from([c.x for c in cards], weights, apart), strict=True):
        if abs(card.x - x) > 0.05 and id(card) not in held:
            card.x = x


def _heights(drawing: Drawing, rows: Rows, kept: Mapping[int, float]) -> dict[int, float]:
    """Puts each row below the one before, with room for what runs between them, or as much as there was; the cards of a row begin at one
    height. Gives the rooms."""
    first, last = min(rows.values()), max(rows.values())
    heights = {r: max((drawing.cards[n].height for n, at in rows.items() if at == r), default=0.0) for r in range(first, last + 1)}
    room = dict.fromkeys(range(first, last), BETWEEN)
    for line in drawing.lines:
        if line.a.name not in rows or line.b.name not in rows:
            continue
        upper, lower = sorted((rows[line.a.name], rows[line.b.name]))
        aside = abs(line.a.x - line.b.x) / max(lower - upper, 1)
        label = LABEL if line.label else 0.0
        for row in range(upper, lower):
            room[row] = max(room[row], BETWEEN + min(aside / SLANT, MOST_SLANT) + 2 * label)
    room = {row: kept.get(row, round(needed, 1)) for row, needed in room.items()}
    tops, y = {}, 0.0
    for row in range(first, last + 1):
        tops[row] = y
        y += heights[row] + room.get(row, 0.0)
    middle = tops[0] + drawing.roots[0].height / 2
    for name, row in rows.items():
        card = drawing.cards[name]
        card.y = tops[row] - middle + card.height / 2
    return room


def _pulled(model: Model, key: str, cards: Mapping[str, Card], rows: Rows) -> list[Card]:
    """Puts cards where somebody pulled them; those of rows that are in their way stand aside. Gives the pulled ones."""
    loose: list[Card] = []
    for name, card in cards.items():
        place = model.places.get(f"{key}/{name}")
        if place is not None:
            card.x, card.y = place.x, place.y
            loose.append(card)
    for row in {*rows.values()} if loose else ():
        there = [c for n, c in cards.items() if rows[n] == row and c not in loose]
        if not there:
            continue
        top, bottom = min(c.top for c in there) - GAP / 2, max(c.bottom for c in there) + GAP / 2
        met = [c for c in loose if c.top < bottom and c.bottom > top]
        if met:
            _apart([*there, *met], set(map(id, met)))
    return loose
