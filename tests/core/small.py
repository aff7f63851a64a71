"""A small star on nasty data, for tests that a person can check by hand.

Booking: seats by port and day, with an empty port, an orphan one, an empty day and an empty number.
"""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.limits import Budget
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Calendar, Column, Measure, Model, Table, link_from_json, model_from_json, model_json
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from tests.plain import trace

D = dt.date
TABLES = {
    "Booking": (
        "no:integer port:text day:date refunded:date seats:integer fare:number note:text",
        [
            (1, "a", D(2031, 1, 1), D(2031, 1, 3), 1, 10.0, "x"),
            (2, "b", D(2031, 1, 2), None, 2, 20.0, ""),
            (3, "a", D(2031, 1, 3), None, 4, None, "x"),
            (4, None, D(2031, 1, 1), D(2031, 1, 2), 8, 2.5, None),
            (5, "zz", D(2031, 1, 2), None, 16, 1.0, "y"),
            (6, "c", None, None, 32, 4.0, "y"),
            (7, "b", D(2031, 1, 3), None, None, 7.0, "x"),
        ],
    ),
    "Port": (
        "code:text name:text region:text depth:integer",
        [
            ("a", "Alder", "North", 5),
            ("b", "Birch", "South", 3),
            ("c", "Cedar", None, 9),
            ("d", "Dogwood", "South", None),
        ],
    ),
    "Cal": (
        "day:date year:integer week:integer",
        [
            (D(2031, 1, 1), 2031, 1),
            (D(2031, 1, 2), 2031, 1),
            (D(2031, 1, 3), 2031, 2),
            (D(2031, 1, 4), 2031, 2),
        ],
    ),
    "Tag": ("port:text tag:text", [("a", "red"), ("a", "blue"), ("b", "red"), ("q", "red"), (None, "grey")]),
    "Crew": ("port:text name:text", [("a", "Ula"), ("a", "Bo"), ("c", "Cid"), ("zz", "Dot")]),
    "Nobody": ("x:integer y:text", []),
}
LINKS = [
    {"name": "port", "from": "Booking.port", "to": "Port.code"},
    {"name": "day", "from": "Booking.day", "to": "Cal.day"},
    {"name": "refund", "from": "Booking.refunded", "to": "Cal.day", "active": False},
    {"name": "tag", "from": "Tag.port", "to": "Port.code", "cardinality": "many-to-many", "active": False, "flow": "two-way"},
    {"name": "crew", "from": "Crew.port", "to": "Port.code", "flow": "two-way"},
]
MEASURES = {"seats": "sum(Booking.seats)", "trips": "rows(Booking)", "share": "seats / seats given (clear Port)"}


def make_star(tables=TABLES, links=LINKS, measures=MEASURES, calendar=True):
    specs, rows = [], {}
    for name, (columns, lines) in tables.items():
        pairs = [c.split(":") for c in columns.split()]
        mark = Calendar("day") if calendar and name == "Cal" else None
        specs.append(Table(name, tuple(Column(c, d) for c, d in pairs), calendar=mark))
        rows[name] = table_rows(len(lines), {c: vector(d, [line[i] for line in lines]) for i, (c, d) in enumerate(pairs)})
    model = Model("small", tuple(specs))
    model = replace(model, links=tuple(link_from_json(model, k) for k in links), measures=tuple(Measure(n, f) for n, f in measures.items()))
    return Star(model, rows)


STAR = make_star()
CODES = [(f"k{i}", f"name {i}") for i in range(12)]
STRIPPED = {
    "Sale": (
        "no:integer shop_code:text sold_on:date paid_on:date class:text size:text",
        [
            (i, f"k{i % 9}" if i % 7 else None, TABLES["Cal"][1][i % 4][0], TABLES["Cal"][1][(i + 1) % 4][0], "ab"[i % 2], "xyz"[i % 3])
            for i in range(40)
        ],
    ),
    "Shop": ("code:text name:text", CODES),
    "Cal": TABLES["Cal"],
    "Price": ("class:text size:text amount:integer", [(a, b, 1) for a in "ab" for b in "xyz"]),
    "Number": ("id:integer word:text", [(i, "w") for i in range(50)]),
}


def keeping(star, **parts):
    """The star of a model that keeps other probes, folios, hierarchies or findings, each as JSON."""
    return star.with_model(model_from_json(model_json(star.model) | parts))


def edited(star, edits):
    """The star after edits of links."""
    return star.with_model(apply(star.model, {"kind": "together", "edits": edits})[0]) if edits else star


def grid(formula="x", star=None, **probe):
    """The tidy cells of one formula, named x."""
    star = star or STAR
    data = {"measures": ["x"], "define": {"x": formula}, **probe}
    return list(answer(star, probe_of(star, data), Budget()).tidy())


def value(formula, star=None, picks=(), **at):
    """One cell's value. `at` has coordinates by column, with `__` for the dot; read through the trace."""
    star = star or STAR
    probe = probe_of(star, {"measures": ["x"], "define": {"x": formula}, "picks": list(picks)})
    coordinates = [read_pick(star, name.replace("__", "."), [v]) for name, v in at.items()]
    return trace(star, probe, "x", coordinates, Budget())["value"]
