"""What a formula is written with, for completion, help and the documentation: functions, aggregates and edits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.results import Result

AGGREGATES = (
    ("sum", "sum(x [where condition] [for each ROWS])", "Adds the values of x; empties are skipped.", "sum(Booking.seats)"),
    ("avg", "avg(x [where …] [for each …])", "The mean of the values that are not empty.", "avg(Sailing.minutes_late)"),
    ("min", "min(x [where …] [for each …])", "The smallest value.", "min(Booking.sails_on)"),
    ("max", "max(x [where …] [for each …])", "The largest value.", "max(seats_sold for each Calendar.month)"),
    (
        "median",
        "median(x [where …] [for each …])",
        "The value in the middle, between the two where there are two.",
        "median(Booking.seats)",
    ),
    ("stddev", "stddev(x [where …] [for each …])", "The sample's standard deviation; of one value it is empty.", "stddev(Booking.seats)"),
    (
        "count",
        "count([distinct] x [where …] [for each …])",
        "How many values are not empty; with distinct, how many different ones.",
        "count(distinct Booking.customer_no)",
    ),
    (
        "percentile",
        "percentile(x, share [where …] [for each …])",
        "The value below which a share of them lies, interpolated.",
        "percentile(Sailing.minutes_late, 0.9)",
    ),
    (
        "listagg",
        "listagg(x, between [where …] [for each …])",
        "The texts in ascending order, with something between them.",
        "listagg(Port.name, ', ')",
    ),
    ("rows", "rows(ROWS)", "How many rows there are; the unmatched member is none.", "rows(Booking where Booking.seats > 4)"),
    ("the", "the(T.c [, default])", "The single visible value of a column, else empty or the default.", "the(Port.name, 'several')"),
    ("single", "single(T.c)", "Whether a column has just one visible value.", "single(Port.name)"),
    ("filtered", "filtered(T.c) or filtered(T)", "Whether a filter sits on a column or a table.", "filtered(Port.name)"),
    ("on_axis", "on_axis(T.c)", "Whether the cell has a coordinate on a column; false in its totals.", "on_axis(Port.name)"),
    (
        "rank",
        "rank(x among ROWS [asc])",
        "The place of the current value among those of the rows; ties share one.",
        "rank(seats_sold among page Port.name)",
    ),
)
EDITS = (
    (
        "given",
        "x given (edit, edit, …)",
        "Computes x under edited filters. The edits apply in the order written.",
        "seats_sold given (clear Port)",
    ),
    (
        "let",
        "let a = x, b = y in z",
        "Computes a and b once, where the let stands.",
        "let all = seats_sold given (clear all) in seats_sold / all",
    ),
    ("set", "set condition, or set COLS in ROWS", "Replaces whatever filters these columns.", "set Island.group = 'Outer Lights'"),
    ("keep", "keep condition, or keep COLS in ROWS", "Adds to the filters that are there.", "keep Calendar.season = 'summer'"),
    (
        "clear",
        "clear target [but target]",
        "Takes filters away. A target is a column, (a, b), a table, wide T, into T, or all.",
        "clear wide Booking but Calendar",
    ),
    (
        "reset",
        "reset target [but target]",
        "Back to what the page says: axes and earlier edits go, picks are in force again.",
        "reset Port",
    ),
    (
        "via",
        'via end = end, or via link "name"',
        "Switches a link on, and any other between the same two tables off.",
        "via Booking.booked_on = Calendar.date",
    ),
    (
        "flow",
        "flow LINK two-way, to T, or off",
        "Turns the direction in which filters cross an active link.",
        "flow Booking.route_code = Route.code two-way",
    ),
    (
        "match",
        "match COLS to COLS, or match S to T where condition",
        "As if a loose one-way link stood there.",
        "match Port.code to Route.to_port",
    ),
    ("shift", "shift CAL by N unit", "Moves the dates in context by days, weeks, months, quarters or years.", "shift Calendar by -1 year"),
    (
        "stretch",
        "stretch CAL to start of unit, to whole unit, or back N unit",
        "Widens the dates in context.",
        "stretch Calendar to start of year",
    ),
)
ROWS = (
    (
        "every",
        "every T, every T.c, every (T.a, T.b), every T but T.c",
        "All rows or combinations, whatever the context.",
        "every Port.name",
    ),
    ("page", "page T, page T.c, …", "The same, visible under the picks alone.", "page Port.name"),
    ("known", "known ROWS", "Without the unmatched member.", "known Port.name"),
    ("top", "top N of ROWS by x [asc]", "The rows with the N largest values, ties all kept.", "top 3 of Port.name by seats_sold"),
    ("values", "values ('a'), ('b')", "A list, written out.", "values ('North'), ('South')"),
)


@dataclass(frozen=True, slots=True)
class Word(Result):
    """Something that a formula can be written with."""

    kind: Literal["aggregate", "edit", "rows", "function"]
    name: str
    signature: str
    help: str
    example: str


def vocabulary() -> list[Word]:
    """Every word with its signature, help and example."""
    kinds: tuple[tuple[Literal["aggregate", "edit", "rows"], tuple[tuple[str, str, str, str], ...]], ...]
    kinds = (("aggregate", AGGREGATES), ("edit", EDITS), ("rows", ROWS))
    words = [Word(kind, *parts) for kind, listed in kinds for parts in listed]
    for function in FUNCTIONS.values():
        if not function.operator:
            words.append(Word("function", function.signature.split("(")[0], function.signature, function.help, function.example))
    return words
