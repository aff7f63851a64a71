"""The demo's model: the tables that need no shaping, their links, measures and probes.

    python -m demo.model [--out demo/lantern_isles]

Writes calendar.csv, made from the dates in the data, and datapackage.json beside the generated files.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from nexorem.core.model.calendar import make_calendar
from nexorem.core.values import Vector
from nexorem.package.tabular import Field, read_csv, to_vector, write_csv
from nexorem.package.write import PROFILE

TABLES: dict[str, tuple[str, str, dict[str, str]]] = {
    "Booking": ("bookings", "One row a booking: its three days, sailing, route, fare class and customer.",
                {"number": "integer", "booked_on": "date", "sails_on": "date", "refunded_on": "date", "sailing_no": "integer", "route_code": "string",
                 "fare_class": "string", "customer_no": "integer", "agent_code": "string", "seats": "integer", "lane_metres": "integer"}),
    "Sailing": ("sailings", "One row a sailing, with how late it left.",
                {"number": "integer", "sails_on": "date", "route_code": "string", "vessel_code": "string", "planned_departure": "datetime",
                 "actual_departure": "datetime", "minutes_late": "integer", "cancelled": "boolean", "wind": "integer"}),
    "Target": ("targets", "What the line wants to sell, a month and route.",
               {"month_end": "date", "route_code": "string", "target_seats": "integer", "target_income": "integer"}),
    "Route": ("routes", "From port to port.", {"code": "string", "from_port": "string", "to_port": "string", "nautical_miles": "integer"}),
    "Port": ("ports", "Where the ferries call.", {"code": "string", "name": "string", "island_code": "string"}),
    "Island": ("islands", "Islands and their groups.", {"code": "string", "name": "string", "group": "string"}),
    "Vessel": ("vessels", "The ferries.", {"code": "string", "name": "string", "class": "string", "seats": "integer", "lane_metres": "integer", "built": "integer"}),
    "Customer": ("customers", "Who books.", {"number": "integer", "name": "string", "segment": "string", "home_island": "string", "since": "date"}),
    "Calendar": ("calendar", "Every day of the data.",
                 {"date": "date", "year": "integer", "quarter": "string", "month": "string", "month_of_year": "integer", "month_name": "string",
                  "week": "string", "day_of_month": "integer", "day_of_week": "integer", "day_name": "string", "season": "string"}),
}  # fmt: skip
KEYS = {
    "Booking": "number",
    "Sailing": "number",
    "Route": "code",
    "Port": "code",
    "Island": "code",
    "Vessel": "code",
    "Customer": "number",
    "Calendar": "date",
}
LINKS: list[dict[str, Any]] = [
    {"name": "sails on", "from": "Booking.sails_on", "to": "Calendar.date"},
    {"name": "booked on", "from": "Booking.booked_on", "to": "Calendar.date", "active": False,
     "description": "A second day of the same booking. Only one of the three can be active; a measure switches it on."},
    {"name": "refunded on", "from": "Booking.refunded_on", "to": "Calendar.date", "active": False,
     "description": "A third day, mostly empty. Only one of the three can be active; a measure switches it on."},
    {"name": "route", "from": "Booking.route_code", "to": "Route.code"},
    {"name": "customer", "from": "Booking.customer_no", "to": "Customer.number"},
    {"name": "sailing", "from": "Booking.sailing_no", "to": "Sailing.number", "active": False,
     "description": "Active, it would bring every filter on day and route to the bookings twice: directly, and by way of the sailing."},
    {"name": "from port", "from": "Route.from_port", "to": "Port.code"},
    {"name": "to port", "from": "Route.to_port", "to": "Port.code", "active": False, "description": "The other end of the route; a measure switches it on."},
    {"name": "island", "from": "Port.island_code", "to": "Island.code"},
    {"name": "sailing day", "from": "Sailing.sails_on", "to": "Calendar.date"},
    {"name": "sailing route", "from": "Sailing.route_code", "to": "Route.code"},
    {"name": "vessel", "from": "Sailing.vessel_code", "to": "Vessel.code"},
    {"name": "month's end", "from": "Target.month_end", "to": "Calendar.date"},
    {"name": "target route", "from": "Target.route_code", "to": "Route.code"},
    {"name": "home island", "from": "Customer.home_island", "to": "Island.code", "active": False,
     "description": "Active, it would bring a filter on islands to the bookings twice: by the port they leave from, and by where the customer lives."},
]  # fmt: skip
MEASURES: list[tuple[str, str, str, str, str, str]] = [
    # name, home, formula, format, folder, description
    ("seats_sold", "Booking", "sum(Booking.seats)", "#,##0", "Volume", "Seats on all bookings, refunded ones too."),
    ("bookings", "Booking", "rows(Booking)", "#,##0", "Volume", "How many bookings."),
    ("seats_a_booking", "Booking", "seats_sold / bookings", "0.00", "Volume", "How many travel together."),
    ("lane_metres", "Booking", "sum(Booking.lane_metres)", "#,##0", "Volume", "Deck length that was booked."),
    ("customers_served", "Booking", "count(distinct Booking.customer_no)", "#,##0", "Volume", "Different customers."),
    ("seat_miles", "Booking", "sum(Booking.seats * Route.nautical_miles)", "#,##0", "Volume", "Seats times the length of their route."),
    ("miles_a_seat", "Booking", "seat_miles / seats_sold", "0.0", "Volume", "How far a seat goes."),
    ("refunded_seats", "Booking", "seats_sold given (via Booking.refunded_on = Calendar.date, keep Booking.refunded_on IS NOT NULL)", "#,##0", "Refunds",
     "Seats by the day on which they were paid back."),
    ("refund_share", "Booking", "refunded_seats / seats_sold", "0.0%", "Refunds", "Paid back in a period, against what sailed in it."),
    ("seats_booked", "Booking", "seats_sold given (via Booking.booked_on = Calendar.date)", "#,##0", "Volume", "Seats by the day they were booked."),
    ("seats_arriving", "Booking", "seats_sold given (via Route.to_port = Port.code)", "#,##0", "Volume", "Seats by the port they go to."),
    ("share_of_ports", "Booking", "seats_sold / seats_sold given (clear Port)", "0.0%", "Shares", "Of all ports in the island or group at hand."),
    ("share_of_all", "Booking", "seats_sold / seats_sold given (clear wide Booking but Calendar)", "0.0%", "Shares", "Of the whole line in the same days."),
    ("outer_seats", "Booking", "seats_sold given (set Island.group = 'Outer Lights')", "#,##0", "Shares", "The Outer Lights, whatever the grid says of groups."),
    ("outer_seats_here", "Booking", "seats_sold given (keep Island.group = 'Outer Lights')", "#,##0", "Shares", "The Outer Lights, only where they are in the grid's context."),
    ("seats_against_outer", "Booking", "seats_sold - outer_seats", "#,##0", "Shares", "How far above or below the Outer Lights."),
    ("summer_share", "Booking", "seats_sold given (keep Calendar.season = 'summer') / seats_sold", "0.0%", "Shares", "How much of it sails in summer."),
    ("year_before", "Booking", "seats_sold given (shift Calendar by -1 year)", "#,##0", "Time", "The same days a year earlier."),
    ("growth", "Booking", "(seats_sold - year_before) / year_before", "0.0%", "Time", "Against the year before."),
    ("year_to_date", "Booking", "seats_sold given (stretch Calendar to start of year)", "#,##0", "Time", "From the start of the year to the last day."),
    ("best_month", "Booking", "max(seats_sold for each Calendar.month)", "#,##0", "Time", "The seats of the busiest month."),
    ("port_rank", "Booking", "rank(seats_sold among page Port.name)", "0", "Shares", "The port's place among those of the page."),
    ("ports_served", "Sailing", "count(distinct Port.code) given (flow Route.from_port = Port.code two-way)", "#,##0", "Volume", "Ports that routes leave from."),
    ("target_seats", "Target", "sum(Target.target_seats)", "#,##0", "Targets", "Seats wanted, for the ten busiest routes."),
    ("against_target", "Target", "seats_sold - target_seats", "#,##0", "Targets", "Sold more or less than wanted."),
    ("target_gap", "Target", "against_target / target_seats", "0.0%", "Targets", "The same as a share of the target."),
    ("target_verdict", "Target", "CASE WHEN target_gap >= 0 THEN 'reached' WHEN target_gap > -0.25 THEN 'near' WHEN target_gap IS NOT NULL THEN 'missed' END", "", "Targets",
     "In a word."),
    ("sailings", "Sailing", "rows(Sailing)", "#,##0", "Punctuality", "How many sailings, cancelled ones too."),
    ("sailings_cancelled", "Sailing", "rows(Sailing where Sailing.cancelled)", "#,##0", "Punctuality", "How many of them did not leave."),
    ("minutes_late", "Sailing", "avg(Sailing.minutes_late)", "0.0", "Punctuality", "On the average; early ones count below zero."),
    ("late_share", "Sailing", "rows(Sailing where Sailing.minutes_late > 15) / sailings", "0.0%", "Punctuality", "Over a quarter of an hour late."),
]  # fmt: skip
PROBES: list[dict[str, Any]] = [
    {"name": "Ports by year", "rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "share_of_ports", "target_seats"], "totals": "all"},
    {"name": "Vessels and targets", "rows": ["Island.group", "Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "sailings", "target_seats"],
     "picks": [{"column": "Vessel.name", "in": ["Heron", "Tern"]}], "totals": "all"},
    {"name": "Three days of a booking", "rows": ["Calendar.month"], "measures": ["seats_sold", "seats_booked", "refunded_seats", "refund_share"],
     "picks": [{"column": "Calendar.year", "in": [2032]}], "totals": "grand"},
    {"name": "Against the Outer Lights", "rows": ["Island.group"], "columns": ["Calendar.year"], "measures": ["seats_sold", "outer_seats", "outer_seats_here", "seats_against_outer"], "totals": "all"},
    {"name": "Against the year before", "rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "year_before", "growth", "port_rank"], "totals": "grand"},
    {"name": "Leaving and arriving", "rows": ["Port.name"], "measures": ["seats_sold", "seats_arriving"], "totals": "grand", "sort": [{"by": "seats_sold", "desc": True}]},
    {"name": "Targets", "rows": ["Route.code"], "columns": ["Calendar.year"], "measures": ["target_seats", "against_target", "target_gap", "target_verdict"],
     "picks": [{"where": "Calendar.date <= DATE '2032-12-31'"}], "totals": "grand"},
    {"name": "Punctuality", "rows": ["Vessel.name"], "columns": ["Calendar.season"], "measures": ["sailings", "minutes_late", "late_share"], "totals": "all"},
    {"name": "Who travels", "rows": ["Customer.segment"], "columns": ["Calendar.year"], "measures": ["customers_served", "seats_a_booking", "miles_a_seat"], "totals": "all"},
]  # fmt: skip
HIERARCHIES = [
    {"name": "Where", "levels": ["Island.group", "Island.name", "Port.name"]},
    {"name": "When", "levels": ["Calendar.year", "Calendar.quarter", "Calendar.month", "Calendar.date"]},
]


def date_column(out: Path, resource: str, column: str) -> Vector:
    """A column of dates of a generated file."""
    path = out / f"{resource}.csv"
    texts = read_csv(path.read_bytes(), path.name, {}, "utf-8")[column]
    return to_vector(texts, Field(column, "date"), path.name)


def write_calendar(out: Path) -> None:
    """The calendar, from every date of the facts."""
    found = [
        date_column(out, resource, column)
        for resource, column in (("bookings", "sails_on"), ("sailings", "sails_on"), ("targets", "month_end"))
    ]
    (out / "calendar.csv").write_bytes(write_csv(make_calendar(found)))


def descriptor() -> dict[str, Any]:
    """datapackage.json."""
    resources = []
    for name, (resource, _, types) in TABLES.items():
        schema: dict[str, Any] = {"fields": [{"name": c, "type": kind} for c, kind in types.items()]}
        if name in KEYS:
            schema["primaryKey"] = [KEYS[name]]
        resources.append({"name": resource, "path": f"{resource}.csv", "format": "csv", "schema": schema})
    tables: list[dict[str, Any]] = [{"name": n, "resource": r, "description": d} for n, (r, d, _) in TABLES.items()]
    tables[-1]["calendar"] = {"date": "date", "year_starts_in": 1}
    measures = [{"name": n, "home": h, "formula": f, "format": p, "folder": o, "description": d} for n, h, f, p, o, d in MEASURES]
    return {
        "$schema": PROFILE, "name": "lantern-isles", "title": "Lantern Isles Ferries", "resources": resources,
        "nexorem": {
            "version": 1, "tables": tables, "measures": measures, "hierarchies": HIERARCHIES,
            "links": [{"cardinality": "many-to-one", "flow": "one-way", "active": True, **k} for k in LINKS],
            "probes": [{"columns": [], "picks": [], "totals": "none", **x} for x in PROBES],
        },
    }  # fmt: skip


def build(out: Path) -> None:
    """Writes the calendar and the descriptor."""
    write_calendar(out)
    (out / "datapackage.json").write_text(json.dumps(descriptor(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description="Write the demo's model beside its files.")
    parser.add_argument("--out", type=Path, default=Path(__file__).parent / "lantern_isles")
    build(parser.parse_args().out)
