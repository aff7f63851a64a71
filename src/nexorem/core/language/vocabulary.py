"""What a formula is written with, for completion, help and the documentation: functions, aggregates and edits."""

from __future__ import annotations

from nexorem.core.functions.library import FUNCTIONS

AGGREGATES = (
    ("sum", "sum(x [where condition])", "Adds the values of x over the visible rows; empties are skipped.", "sum(Booking.seats)"),
    ("avg", "avg(x [where condition])", "The mean of the values that are not empty.", "avg(Sailing.minutes_late)"),
    ("min", "min(x [where condition])", "The smallest value.", "min(Booking.sails_on)"),
    ("max", "max(x [where condition])", "The largest value.", "max(Booking.sails_on)"),
    (
        "count",
        "count([distinct] x [where condition])",
        "How many values are not empty; with distinct, how many different ones.",
        "count(distinct Booking.customer_no)",
    ),
    ("rows", "rows(Table [where condition])", "How many rows of a table are visible; the unmatched member is none.", "rows(Booking)"),
)
EDITS = (
    (
        "given",
        "x given (edit, edit, …)",
        "Computes x under edited filters. The edits apply in the order written.",
        "seats_sold given (clear Port)",
    ),
    ("set", "set condition", "Replaces whatever filters the columns of the condition.", "set Island.group = 'Outer Lights'"),
    ("keep", "keep condition", "Adds a condition to the filters that are there.", "keep Calendar.season = 'summer'"),
    (
        "clear",
        "clear target [but target]",
        "Takes filters away. A target is a column, (a, b), a table, wide T, into T, or all.",
        "clear wide Booking but Calendar",
    ),
    (
        "via",
        'via end = end, or via link "name"',
        "Switches a link on, and any other between the same two tables off.",
        "via Booking.booked_on = Calendar.date",
    ),
)


def vocabulary() -> list[dict[str, str]]:
    """Every word with its signature, help and example."""
    told = [{"kind": "aggregate", "name": n, "signature": s, "help": h, "example": e} for n, s, h, e in AGGREGATES]
    told += [{"kind": "edit", "name": n, "signature": s, "help": h, "example": e} for n, s, h, e in EDITS]
    for function in FUNCTIONS.values():
        if not function.operator:
            name = function.signature.split("(")[0]
            told.append(
                {"kind": "function", "name": name, "signature": function.signature, "help": function.help, "example": function.example}
            )
    return told
