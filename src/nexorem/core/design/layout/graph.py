"""What a star's layout is about: cards with their sizes, and links between them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Literal

from nexorem.core.diagnostics import Refused
from nexorem.core.language.mentions import mentions
from nexorem.core.language.parser import parse
from nexorem.core.model.model import Model, Table

CARD_HEIGHT = 52.0
SUBJECT_WIDTH = 150.0  # of a folded subject, at least
KEY_HEIGHT = 26.0  # of a column in an open card
KEYS_EDGE = 8.0  # below the last of them
MOST_KEYS = 14  # of an open card; it scrolls
LETTER, LABEL_EDGE = 6.3, 16.0  # pixels of a letter of a link's name, and what stands around it
SLOT, NARROW_SLOT = 20.0, 9.0  # between two lines that leave a card on one side, and where it is narrow
KEY_ASIDE, KEY_LANE = 16.0, 9.0  # that a line goes sideways out of an open card's key; between two such
CARD_EDGE = 12.0  # of a card that no line leaves
Shown = Literal["keys", "all"]  # of a card that is open: its keys and what links to others, or all its columns


@dataclass(slots=True, eq=False)
class Card:
    """A table, or the tables of a folded subject. `opened` are the columns that it shows; lines leave it by these, on a `margin`."""

    name: str
    width: float
    height: float = CARD_HEIGHT
    opened: tuple[str, ...] = ()
    x: float = 0.0
    y: float = 0.0
    margin: float = 0.0

    @property
    def room(self) -> float:
        """Its width, with what lines need beside it that leave it by its keys."""
        return self.width + 2 * self.margin

    @property
    def top(self) -> float:
        """Its upper edge."""
        return self.y - self.height / 2

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.y + self.height / 2


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """A link, or all that join two cards one of which is a folded subject; from `a` to `b`. `label` stands beside it, at `b`; `share` is
    where on its piece of the way its mark stands: those of several links between two cards stand apart."""

    name: str
    a: Card
    b: Card
    keys: tuple[str, str] = ("", "")
    label: str = ""
    cost: int = 1
    share: float = 0.5

    def key(self, card: Card) -> str:
        """The column that it leaves a card by, if that is shown there."""
        key = self.keys[0 if card is self.a else 1]
        return key if key in card.opened[:MOST_KEYS] else ""

    def other(self, card: Card) -> Card:
        """The card at its other end."""
        return self.b if card is self.a else self.a


@dataclass(slots=True, eq=False)
class Drawing:
    """Cards and lines; the `roots` stand in the middle."""

    cards: dict[str, Card]
    lines: list[Line]
    roots: list[Card]

    def beside(self) -> dict[str, list[Line]]:
        """The lines of each card, by its name."""
        found: dict[str, list[Line]] = {name: [] for name in self.cards}
        for line in self.lines:
            found[line.a.name].append(line)
            found[line.b.name].append(line)
        return found


def card_width(name: str) -> float:
    """How wide a card must be for its table's name."""
    return max(112.0, round(len(name) * 7.8) + 74.0)


def label_width(label: str) -> float:
    """How much room a link's name takes beside its line."""
    return len(label) * LETTER + LABEL_EDGE


def folded_name(subject: str) -> str:
    """What the card of a folded subject goes by; no table is called so."""
    return f"subject {subject}\n"


def drawing_of(
    model: Model, roots: Iterable[str], opened: Mapping[str, Shown], folded: Iterable[str] = (), inactive_cost: int = 3
) -> Drawing:
    """The cards of a model's tables and the links between them. Tables of `folded` subjects are one card, but for the roots."""
    middle, away = list(roots), set(folded)
    home = {t.name: folded_name(t.subject) if t.subject in away and t.name not in middle else t.name for t in model.tables}
    tables = {t.name: t for t in model.tables}
    cards: dict[str, Card] = {}
    for name, at in home.items():
        if at not in cards:
            cards[at] = (
                _card(model, tables[name], opened.get(name))
                if at == name
                else Card(at, max(card_width(tables[name].subject), SUBJECT_WIDTH))
            )
    pairs: dict[frozenset[str], list[Line]] = {}
    for link in model.links:
        a, b = home[link.from_table], home[link.to_table]
        if a == b:
            continue
        keys = (link.from_columns[0] if a == link.from_table else "", link.to_columns[0] if b == link.to_table else "")
        made = Line(link.name, cards[a], cards[b], keys, "", 1 if link.active else inactive_cost)
        pairs.setdefault(frozenset((a, b)), []).append(made)
    lines: list[Line] = []
    for both, joined in pairs.items():
        if both & {folded_name(s) for s in away}:
            lines.append(joined[0])
        elif len(joined) == 1:
            lines += joined
        else:
            lines += [
                replace(x, label="" if x.key(x.b) else x.name, share=(i + 1) / (len(joined) + 1) if x.key(x.a) or x.key(x.b) else 0.5)
                for i, x in enumerate(joined)
            ]
    drawing = Drawing(cards, lines, [cards[r] for r in middle])
    _widen(drawing)
    return drawing


def _card(model: Model, table: Table, shown: Shown | None) -> Card:
    columns = shown_columns(model, table, shown) if shown else ()
    height = CARD_HEIGHT + (min(len(columns), MOST_KEYS) * KEY_HEIGHT + KEYS_EDGE if columns else 0.0)
    longest = max((len(c) for c in columns), default=0)
    return Card(table.name, max(card_width(table.name), min(longest, 26) * 7.2 + 74.0 if columns else 0.0), height, columns)


def shown_columns(model: Model, table: Table, shown: Shown) -> tuple[str, ...]:
    """The columns that an open card shows: keys first, then those that link to other tables; of `all` then those that measures are made of,
    and the others as they stand."""
    ends = [c for k in model.links for t, cs in ((k.to_table, k.to_columns), (k.from_table, k.from_columns)) if t == table.name for c in cs]
    first = list(dict.fromkeys([*table.key, *ends]))
    rest = [c.name for c in table.columns if c.name not in first and not c.hidden] if shown == "all" else []
    measured = _measured(model, table) if rest and model.measures else frozenset[str]()
    rest.sort(key=lambda c: c.lower() not in measured)
    there = {c.name for c in table.columns}
    return tuple(c for c in (*first, *rest) if c in there)


def _measured(model: Model, table: Table) -> frozenset[str]:
    """The columns of a table that measures name, in small letters."""
    named: set[str] = set()
    for measure in model.measures:
        with suppress(Refused):  # one that cannot be read names nothing
            at = mentions(parse(measure.formula)[0])
            named |= {column.lower() for of, column in at.columns if of.lower() == table.name.lower()}
    return frozenset(named)


def _widen(drawing: Drawing) -> None:
    """Cards at which the names of several links stand are as wide as these; open ones have room beside them for lines."""
    for name, lines in drawing.beside().items():
        card = drawing.cards[name]
        by_key = sum(1 for x in lines if x.key(card))
        card.margin = KEY_ASIDE + KEY_LANE * (by_key // 2) if by_key else 0.0
        labels = sum(label_width(x.label) for x in lines if x.label and x.b is card)
        if labels:
            others = sum(1 for x in lines if not (x.label and x.b is card))
            card.width = max(card.width, labels + 2 * CARD_EDGE + NARROW_SLOT * others)
