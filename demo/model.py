"""The demo's model: where its tables come from, the steps that shape them, their links, measures and probes.

    python -m demo.model [--out demo/lantern_isles]

Writes steps.json, and gathers the generated files by it into the package beside them, as `nexorem gather` does.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from nexorem.gather.recipe import gather, read_recipe
from nexorem.package.write import package_files


def csv(file: str, **columns: str) -> dict[str, Any]:
    """A CSV as a source, with the types of the columns that its values would not tell."""
    return {"kind": "csv", "file": f"{file}.csv", **({"columns": {c: {"type": t} for c, t in columns.items()}} if columns else {})}


SEASONS = ["winter", "spring", "summer", "autumn"]
CLASSES = ["walk-on", "islander", "car", "van", "lorry", "cycle"]
CALENDAR = {
    "kind": "calendar",
    "dates": ["Booking.sails_on", "Sailing.sails_on", "Target.month_end", "Ledger.month_end"],
    "columns": [
        "date",
        "year",
        "quarter",
        "month",
        "month_of_year",
        "month_name",
        "week",
        "day_of_month",
        "day_of_week",
        "day_name",
        "season",
    ],
}
TABLES: list[dict[str, Any]] = [
    {"name": "Booking", "source": csv("bookings"), "key": ["number"],
     "description": "One row a booking: its three days, sailing, route, fare class, customer and agent.",
     "steps": [
         {"kind": "trim", "columns": ["agent_code"], "note": "Some codes were typed with a space behind them."},
         {"kind": "change_case", "columns": ["agent_code"], "to": "upper", "note": "And some in small letters."},
         {"kind": "replace", "columns": ["agent_code"], "pairs": [{"from": ["A77"], "to": [None]}, {"from": ["ZZZ"], "to": [None]}],
          "note": "Codes of no agent: sold at the counter."},
     ]},
    {"name": "Sailing", "source": csv("sailings"), "key": ["number"], "description": "One row a sailing, with how late it left."},
    {"name": "Target", "source": csv("targets"), "description": "What the line wants to sell, a month and route."},
    {"name": "Ledger", "source": csv("ledger"), "description": "Amounts a month, vessel and account; costs are negative."},
    {"name": "Fare", "source": {"kind": "sheet", "file": "fares.xlsx", "sheets": SEASONS, "sheet_column": "season"}, "key": ["route_code", "fare_class"],
     "description": "Prices a route and fare class, a column a season: from a matrix with a sheet a season.",
     "steps": [
         {"kind": "columns_to_rows", "columns": CLASSES, "parts": ["fare_class"], "value": "price", "note": "The classes stand across; here each has a row."},
         {"kind": "rename", "names": {"route": "route_code"}},
         {"kind": "rows_to_columns", "names_from": "season", "values_from": "price", "note": "The seasons stand below one another; here each has a column."},
         {"kind": "choose_columns", "columns": ["route_code", "fare_class", *SEASONS]},
     ]},
    {"name": "Route", "source": csv("routes"), "key": ["code"], "description": "From port to port."},
    {"name": "Port", "source": csv("ports"), "key": ["code"], "description": "Where the ferries call."},
    {"name": "Island", "source": csv("islands"), "key": ["code"], "description": "Islands and their groups."},
    {"name": "Vessel", "source": csv("vessels"), "key": ["code"], "description": "The ferries."},
    {"name": "Customer", "source": csv("customers"), "key": ["number"], "description": "Who books."},
    {"name": "Agent", "source": csv("agents"), "key": ["code"], "description": "Who sells, by a district of their own that shares its names with the island groups."},
    {"name": "Account", "source": {"kind": "sheet", "file": "accounts.xlsx", "sheet": "accounts"}, "key": ["code"], "description": "The lines of the ledger, in order."},
    {"name": "Crew", "source": csv("crew"), "key": ["number"], "description": "Who works on board."},
    {"name": "Crew vessel", "source": csv("crew_vessels"), "description": "Who may work on which vessel, with a share of their time: several of each."},
    {"name": "Community", "source": csv("communities"), "description": "Which communities a route serves, with the share of its trips.",
     "steps": [{"kind": "rename", "names": {"community": "name"}}]},
    {"name": "Delay band", "source": csv("delay_bands"), "description": "Minutes late put into words. Linked to nothing: measures compare with it."},
    {"name": "Price band", "source": csv("price_bands"), "description": "Prices in bands of three sizes. Linked to nothing: measures compare with it."},
    {"name": "Calendar", "source": CALENDAR, "key": ["date"], "description": "Every day of the data, made here."},
]  # fmt: skip
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
    {"name": "agent", "from": "Booking.agent_code", "to": "Agent.code"},
    {"name": "fare", "from": ["Booking.route_code", "Booking.fare_class"], "to": ["Fare.route_code", "Fare.fare_class"]},
    {"name": "ledger month", "from": "Ledger.month_end", "to": "Calendar.date"},
    {"name": "ledger vessel", "from": "Ledger.vessel_code", "to": "Vessel.code"},
    {"name": "account", "from": "Ledger.account_code", "to": "Account.code"},
    {"name": "works as", "from": "\"Crew vessel\".crew_number", "to": "Crew.number"},
    {"name": "works on", "from": "\"Crew vessel\".vessel_code", "to": "Vessel.code", "flow": "two-way",
     "description": "Two-way, so that a filter on the crew comes through the bridge to the vessels and on to what they did."},
    {"name": "served by", "from": "Booking.route_code", "to": "Community.route_code", "cardinality": "many-to-many",
     "description": "Several communities a route and several routes a community: parts add up to more than the whole."},
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
    ("fare_income", "Booking", "sum(Booking.seats * CASE Calendar.season WHEN 'winter' THEN Fare.winter WHEN 'spring' THEN Fare.spring WHEN 'summer' THEN Fare.summer ELSE Fare.autumn END)",
     "#,##0", "Income", "Seats times the fare of their route and class in the season they sail in."),
    ("commission", "Booking", "sum(Booking.seats * Agent.commission * CASE Calendar.season WHEN 'winter' THEN Fare.winter WHEN 'spring' THEN Fare.spring WHEN 'summer' THEN Fare.summer ELSE Fare.autumn END)",
     "#,##0", "Income", "What agents keep of it; bookings at the counter have none."),
    ("result", "Ledger", "sum(Ledger.amount)", "#,##0", "Ledger", "Income less cost, as booked."),
    ("crew_allowed", "Crew vessel", "count(distinct \"Crew vessel\".crew_number)", "#,##0", "Crew", "People who may work on the vessels at hand."),
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
    {"name": "Ledger by account", "rows": ["Account.line", "Account.name"], "columns": ["Calendar.year"], "measures": ["result"], "totals": "all"},
    {"name": "Who sells", "rows": ["Agent.district"], "columns": ["Calendar.year"], "measures": ["seats_sold", "fare_income", "commission"], "totals": "all"},
]  # fmt: skip
HIERARCHIES = [
    {"name": "Where", "levels": ["Island.group", "Island.name", "Port.name"]},
    {"name": "When", "levels": ["Calendar.year", "Calendar.quarter", "Calendar.month", "Calendar.date"]},
]


# What one row is, the columns that tell rows apart, and the subject a table belongs to.
DESIGN: dict[str, tuple[str, list[str], str]] = {
    "Booking": ("one booking", ["number"], "Sales"), "Sailing": ("one sailing", ["number"], "Operation"),
    "Target": ("one month and route", ["month_end", "route_code"], "Sales"),
    "Ledger": ("one month, vessel and account", ["month_end", "vessel_code", "account_code"], "Finance"),
    "Fare": ("one route and fare class", ["route_code", "fare_class"], "Sales"),
    "Crew vessel": ("one person on one vessel", ["crew_number", "vessel_code"], "Operation"),
    "Community": ("one community on one route", ["name", "route_code"], "Network"),
    "Route": ("", [], "Network"), "Port": ("", [], "Network"), "Island": ("", [], "Network"), "Vessel": ("", [], "Operation"),
    "Crew": ("", [], "Operation"), "Customer": ("", [], "Sales"), "Agent": ("", [], "Sales"), "Account": ("", [], "Finance"),
    "Calendar": ("one day", ["date"], "Time"), "Delay band": ("", [], "Operation"), "Price band": ("", [], "Sales"),
}  # fmt: skip


def designed(table: dict[str, Any]) -> dict[str, Any]:
    """A table with what is said of it."""
    grain, columns, subject = DESIGN[table["name"]]
    return table | {k: v for k, v in (("grain", grain), ("grain_columns", columns), ("subject", subject)) if v}


def recipe() -> dict[str, Any]:
    """Sources and steps of all tables, and the model on top of them: what `nexorem gather --steps` takes."""
    measures = [{"name": n, "home": h, "formula": f, "format": p, "folder": o, "description": d} for n, h, f, p, o, d in MEASURES]
    return {
        "name": "lantern-isles", "title": "Lantern Isles Ferries", "tables": [designed(t) for t in TABLES], "measures": measures, "hierarchies": HIERARCHIES,
        "links": [{"cardinality": "many-to-one", "flow": "one-way", "active": True, **k} for k in LINKS],
        "probes": [{"columns": [], "picks": [], "totals": "none", **x} for x in PROBES],
    }  # fmt: skip


def raw_files(out: Path) -> list[Path]:
    """The generated files."""
    return sorted(p for p in (out / "raw").iterdir() if p.suffix in (".csv", ".xlsx"))


def build(out: Path) -> None:
    """Writes steps.json, and the package that it makes of the generated files."""
    text = json.dumps(recipe(), indent=2, ensure_ascii=False) + "\n"
    (out / "steps.json").write_text(text, encoding="utf-8")
    found = gather(raw_files(out), read_recipe(json.loads(text)))
    for name, content in package_files(found.star).items():
        (out / name).parent.mkdir(exist_ok=True)
        (out / name).write_bytes(content)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description="Gather and shape the demo's files into its package.")
    parser.add_argument("--out", type=Path, default=Path(__file__).parent / "lantern_isles")
    build(parser.parse_args().out)
