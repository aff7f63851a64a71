"""The demo's checks: what the ferry line knows to be true of its numbers. Tables are filled with the numbers as they were closed; the files
and the harbour office's own count are made from the raw files by plain counting."""

from __future__ import annotations

import csv
import io
from collections import Counter
from pathlib import Path
from typing import Any

from nexorem.core.checks.cells import cells_of, probe_of_check
from nexorem.core.checks.tables import listing
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec, ListedTable
from nexorem.core.model.specs import read_spec
from nexorem.core.model.star import Star

Check = dict[str, Any]
CLOSED = {"column": "Calendar.year", "in": [2031, 2032]}
IN_2032 = {"column": "Calendar.year", "in": [2032]}
SEATS_FILE = "checks/seats_by_port.csv"
NEAR = {"relative": 1e-9}


def closed(name: str, folder: str, probe: Any, columns: list[str], measures: list[str], said: str, **more: Any) -> Check:
    """Numbers as they were closed: of all lines over these columns, filled in when the demo is made."""
    return {"name": name, "folder": folder, "description": said, "probe": probe, "fill": (columns, measures), **more}


def formula(name: str, folder: str, probe: Any, hold: str, said: str, **must: Any) -> Check:
    """A formula that is true in every cell."""
    return {"name": name, "folder": folder, "description": said, "probe": probe, "must": {"hold": hold, **must}}


CHECKS: list[Check] = [
    # Volume
    {
        "name": "Seats as the harbour offices counted them",
        "folder": "Volume",
        "description": "Each port keeps its own list; this is their lists put together, by the port a booking leaves from.",
        "guards": ["releases"],
        "probe": {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold"]},
        "must": {"file": SEATS_FILE},
    },
    {
        "name": "Seats as the harbour office's database has them",
        "folder": "Volume",
        "description": "Asked of the office's own database, over the connection harbour office.",
        "probe": {"rows": ["Calendar.year"], "measures": ["seats_sold"], "picks": [CLOSED]},
        "must": {
            "query": {
                "connection": "harbour office",
                "sql": 'SELECT year AS "Calendar.year", sum(seats)::bigint AS seats_sold FROM seats_by_year WHERE year < 2033 GROUP BY year',
            }
        },
    },
    {
        "name": "Seats of the closed years are those of release 1",
        "folder": "Volume",
        "description": "2031 and 2032 are closed: whatever is mended since, their seats stay.",
        "guards": ["releases"],
        "probe": {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold"], "picks": [CLOSED]},
        "must": {"as_in": "release 1"},
    },
    {
        "name": "Seats add up over ports and years",
        "folder": "Volume",
        "description": "A seat leaves from one port, on one day.",
        "probe": {"rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold"]},
        "must": {"add_up": ["Port.name", "Calendar.year"]},
    },
    {
        "name": "Seats add up over communities",
        "folder": "Volume",
        "description": "Fails on purpose, to be looked at: a route serves several communities, so a seat is counted for each of them and the "
        "parts come to more than the whole. That is what the link served by says; no mend is meant.",
        "probe": {"rows": ["Community.name"], "measures": ["seats_sold"]},
        "must": {"add_up": ["Community.name"]},
        "silenced": {"until": "2099-12-31", "reason": "Kept as an example of parts that overlap."},
    },
    {
        "name": "No booking without a seat",
        "folder": "Volume",
        "description": "A booking of no seats is a mistake of the counter.",
        "guards": ["loads"],
        "rows": "every Booking where Booking.seats < 1",
        "must": {"count": {"at_most": 0}},
    },
    closed(
        "Who travels, by year",
        "Volume",
        "Who travels",
        ["Customer.segment", "Calendar.year"],
        ["customers_served", "new_customers", "seats_a_booking", "miles_a_seat"],
        "As the yearly letter to the islands says.",
    ),
    closed(
        "Seats by community",
        "Volume",
        {"rows": ["Community.name"], "measures": ["seats_sold", "share_of_all", "share_of_all_trial"]},
        ["Community.name"],
        ["seats_sold", "share_of_all", "share_of_all_trial"],
        "The shares come to more than one: communities overlap.",
    ),
    closed("Seats that arrive", "Volume", "Leaving and arriving", ["Port.name"], ["seats_arriving"], "By the other end of the route."),
    # Refunds
    closed(
        "Three days of a booking, 2032",
        "Refunds",
        "Three days of a booking",
        ["Calendar.month"],
        ["seats_sold", "seats_booked", "refunded_seats", "refund_share"],
        "By the day of sailing, of booking and of refund.",
        guards=["releases"],
    ),
    # Shares
    closed("Shares of ports", "Shares", "Ports by year", ["Port.name", "Calendar.year"], ["share_of_ports"], "Of the year's seats."),
    closed(
        "Against the Outer Lights",
        "Shares",
        "Against the Outer Lights",
        ["Island.group", "Calendar.year"],
        ["outer_seats", "outer_seats_here", "seats_against_outer"],
        "The Outer Lights are what the other groups are held against.",
    ),
    closed(
        "Who sells",
        "Shares",
        "Who sells",
        ["Agent.district", "Calendar.year"],
        ["seats_sold", "seats_of_district", "fare_income", "commission"],
        "Districts are the agents' own; the seats of a district are those of the islands of its name.",
    ),
    # Time
    closed(
        "Growth",
        "Time",
        "Against the year before",
        ["Port.name", "Calendar.year"],
        ["year_before", "growth", "port_rank"],
        "Against the year before.",
    ),
    closed(
        "To date",
        "Time",
        "To date",
        ["Calendar.year", "Calendar.month"],
        ["year_to_date", "to_date_before", "to_date_growth", "last_three_months"],
        "July 2033 ends early: to date it is held against as many days.",
    ),
    # Targets
    closed(
        "Targets of 2032",
        "Targets",
        "Targets",
        ["Route.code", "Calendar.year"],
        ["target_seats", "against_target", "target_gap", "target_verdict"],
        "As the line set them.",
    ),
    {
        "name": "Targets add up over routes",
        "folder": "Targets",
        "description": "A target is of one month and one route.",
        "probe": {"rows": ["Route.code"], "columns": ["Calendar.year"], "measures": ["target_seats"]},
        "must": {"add_up": ["Route.code", "Calendar.year"]},
    },
    formula(
        "Targets by customer are what they say",
        "Targets",
        {"rows": ["Customer.segment"], "measures": ["target_seats", "seats_sold"]},
        "target_seats <= seats_sold * 2",
        "Fails on purpose: a target knows nothing of customers, so every segment shows the target of all. The mark beside the number says the same.",
    ),
    # Punctuality
    closed(
        "Sailings and delays, by vessel and season",
        "Punctuality",
        "Punctuality",
        ["Vessel.name", "Calendar.season"],
        ["sailings", "minutes_late", "late_share"],
        "As the ships' journals have them.",
    ),
    closed(
        "Delays in words",
        "Punctuality",
        "Delays in words",
        ["Delay band.label", "Calendar.season"],
        ["sailings_in_band"],
        "Each sailing in one band.",
    ),
    formula(
        "No more cancelled than planned",
        "Punctuality",
        {"rows": ["Vessel.name"], "columns": ["Calendar.month"], "measures": ["sailings_cancelled", "sailings"], "totals": "all"},
        "sailings_cancelled <= sailings",
        "In every month, of every vessel.",
        empty="holds",
    ),
    {
        "name": "Sailings are loaded every day",
        "folder": "Punctuality",
        "description": "The journals come once a day; a load that is much shorter than the last has lost some.",
        "table": "Sailing",
        "must": {"fresh": {"days": 36500, "rows_within": 0.2}},
    },
    closed(
        "Vessels filled",
        "Vessels",
        "Vessels",
        ["Vessel.class", "Vessel.name", "Calendar.year"],
        ["seats_on_vessels", "seats_offered", "filled"],
        "By the sailing that a booking is on.",
    ),
    closed(
        "What two vessels did",
        "Vessels",
        "Vessels and targets",
        ["Island.group", "Port.name", "Calendar.year"],
        ["sailings"],
        "The Heron and the Tern alone; their targets are those of all.",
    ),
    # What folios show
    closed(
        "Seats on the first page of the harbour meeting",
        "Folios",
        {"folio": "Harbour meeting", "tile": 1},
        [],
        ["seats_sold"],
        "Under its picks.",
    ),
    closed(
        "Cancelled, on the page On time",
        "Folios",
        {"folio": "On time", "tile": 3},
        [],
        ["sailings_cancelled"],
        "Of the year that is picked.",
    ),
    closed("Income, on the page Result", "Folios", {"folio": "Result", "tile": 1}, [], ["income"], "Of the year that is picked."),
    # Ledger
    closed(
        "Ledger, as the auditors closed it",
        "Ledger",
        "Ledger by account",
        ["Account.line", "Account.name", "Calendar.year"],
        ["result"],
        "To half a coin a line.",
        guards=["loads", "releases"],
        tolerance={"absolute": 0.5},
    ),
    closed(
        "Chain of subtotals",
        "Ledger",
        "Chain of subtotals",
        ["Calendar.year", "Calendar.quarter"],
        ["income", "operating_cost", "margin", "margin_share", "margin_share_change"],
        "Each line made of those above it.",
    ),
    {
        "name": "Every amount has its account",
        "folder": "Ledger",
        "description": "An amount of an account that is not listed would be in no line.",
        "guards": ["loads"],
        "about": "link account",
        "must": {"none": ["orphans"]},
    },
]


def counted_in(raw: Path) -> Counter[tuple[str, int]]:
    """Seats by the port that a booking leaves from and the year it sails in, counted from the raw files alone."""

    def lines(name: str) -> list[dict[str, str]]:
        with (raw / f"{name}.csv").open(encoding="utf-8", newline="") as file:
            return list(csv.DictReader(file))

    ports = {p["code"]: p["name"] for p in lines("ports")}
    routes = {r["code"]: ports.get(r["from_port"], "") for r in lines("routes")}
    seats: Counter[tuple[str, int]] = Counter()
    for booking in lines("bookings"):
        port = routes.get(booking["route_code"], "")
        if port and booking["seats"]:
            seats[port, int(booking["sails_on"][:4])] += int(booking["seats"])
    return seats


def files(raw: Path) -> dict[str, bytes]:
    """The files that checks name."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["Port.name", "Calendar.year", "seats_sold"])
    writer.writerows([port, year, count] for (port, year), count in sorted(counted_in(raw).items()))
    return {SEATS_FILE: out.getvalue().encode()}


def filled(star: Star) -> list[Check]:
    """The checks with their tables filled."""
    return [_filled(star, dict(check)) if "fill" in check else check for check in CHECKS]


def _filled(star: Star, check: Check) -> Check:
    columns, measures = check.pop("fill")
    tolerance = check.pop("tolerance", NEAR)
    about = read_spec(CheckSpec, {"name": "x", "probe": check["probe"], "must": {"hold": "TRUE"}}).probe
    spec, _ = listing(star, probe_of_check(star, about), ListedTable((*columns, *measures), ()))
    grid = answer(star, read_probe(star, spec), Budget())
    rows = [[*(cell.at[c] for c in columns), *(cell.values[m] for m in measures)] for cell in cells_of(grid, len(measures))]
    return check | {"must": {"table": {"columns": [*columns, *measures], "rows": rows}, "tolerance": tolerance, "whole": True}}
