"""Models that were made up to be drawn, and what is counted in a drawing."""

import itertools
import math
import random

from nexorem.core.design.layout import layout
from nexorem.core.design.layout.around import crossed
from nexorem.core.design.layout.graph import Card, label_width
from nexorem.core.design.layout.marks import point_at
from nexorem.core.model.model import Column, Link, Model, Table
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector


def generated(count, seed):
    """A model of so many tables: facts that share conformed dimensions, dimensions of their own, outriggers, and dates in several roles."""
    r = random.Random(seed)
    facts = [f"Fact {i}" for i in range(max(2, count // 8))]
    dimensions = [f"Dimension {i}" for i in range(count - len(facts))]
    shared = dimensions[: max(4, len(dimensions) // 4)]
    ends = [(fact, other) for fact in facts for other in r.sample(shared, min(len(shared), r.randint(2, 5)))]
    ends += [(r.choice(facts) if r.random() < 0.6 else r.choice(shared), other) for other in dimensions[len(shared) :]]
    ends += [(fact, shared[0]) for fact in r.sample(facts, max(1, len(facts) // 3))]
    tables = tuple(
        Table(name, (Column("id", "integer"), Column("other", "text")), subject=r.choice("abc")) for name in (*facts, *dimensions)
    )
    links = tuple(Link(f"link {i}", a, ("id",), b, ("id",)) for i, (a, b) in enumerate(ends))
    return Model("made", tables=tables, links=links)


def with_rows(model):
    """A star of such a model, a few rows a table."""
    rows = table_rows(3, {"id": vector("integer", [0, 1, 2]), "other": vector("text", ["x", "y", None])})
    return Star(model, {t.name: rows for t in model.tables})


class Drawn:
    """A star as it is drawn."""

    def __init__(self, model, fact, **how):
        self.told = layout(model, fact, **how)
        self.cards = {n: Card(n, b.width, b.height, b.opened, b.x, b.y) for n, b in (*self.told.boxes.items(), *self.told.subjects.items())}
        self.ends = {k.name: (k.from_table, k.to_table) for k in model.links}
        self.subjects = {t.name: t.subject for t in model.tables}

    def ends_of(self, link):
        """The cards that a line joins."""
        return {n if n in self.cards else self.subjects[n] for n in self.ends[link]}

    def overlaps(self):
        """Cards that stand on each other."""
        return [
            (a.name, b.name)
            for a, b in itertools.combinations(self.cards.values(), 2)
            if abs(a.x - b.x) < (a.width + b.width) / 2 + 8 and abs(a.y - b.y) < (a.height + b.height) / 2 + 8
        ]

    def under_cards(self):
        """Lines with the cards that they run under, their own but for the edge at which they end."""
        found = []
        for link, route in self.told.routes.items():
            for name, card in self.cards.items():
                if crossed(route.points, [card], 2.0):
                    found.append((link, name))
        return found

    def over_words(self):
        """Lines that run over another link's name."""
        found = []
        for owner, route in self.told.routes.items():
            if route.label:
                wide = label_width(owner) - 16
                words = Card(owner, wide, 9.0, (), route.label[0] + wide / 2, route.label[1] - 4)
                found += [(link, owner) for link, other in self.told.routes.items() if link != owner and crossed(other.points, [words])]
        return found

    def marks_that_touch(self):
        """Links whose marks stand closer than a mark is wide."""
        at = {link: point_at(r.points, r.mark) for link, r in self.told.routes.items()}
        return [(a, b) for a, b in itertools.combinations(at, 2) if math.dist(at[a], at[b]) < 20]

    def crossings(self):
        """How many times lines cross."""
        return crossings([(link, list(r.points)) for link, r in self.told.routes.items()])


def crossings(lines):
    """How many times lines cross, each given by its name and points."""
    pieces = [(name, a, b) for name, points in lines for a, b in itertools.pairwise(points)]
    return sum(a[0] != b[0] and cross(a[1:], b[1:]) for a, b in itertools.combinations(pieces, 2))


def cross(first, second):
    """Whether two pieces cross inside both."""

    def side(a, b, c):
        turn = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        return (turn > 1e-6) - (turn < -1e-6)

    (a, b), (c, d) = first, second
    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0
