"""The demo's model: where its tables come from, the steps that shape them, their links, measures and probes.

    python -m demo.model [--out demo/lantern_isles]

Writes steps.json, and gathers the generated files by it into the package beside them, as `nexorem gather` does.
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from demo.checks import files, filled
from demo.measures import MEASURES, TRIALS
from demo.probes import FOLIOS, PROBES
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
    {
        "name": "Booking",
        "source": csv("bookings"),
        "key": ["number"],
        "description": "One row a booking: its three days, sailing, route, fare class, customer and agent.",
        "steps": [
            {"kind": "trim", "columns": ["agent_code"], "note": "Some codes were typed with a space behind them."},
            {"kind": "change_case", "columns": ["agent_code"], "to": "upper", "note": "And some in small letters."},
            {
                "kind": "replace",
                "columns": ["agent_code"],
                "pairs": [{"from": ["A77"], "to": [None]}, {"from": ["ZZZ"], "to": [None]}],
                "note": "Codes of no agent: sold at the counter.",
            },
        ],
    },
    {"name": "Sailing", "source": csv("sailings"), "key": ["number"], "description": "One row a sailing, with how late it left."},
    {"name": "Target", "source": csv("targets"), "description": "What the line wants to sell, a month and route."},
    {"name": "Ledger", "source": csv("ledger"), "description": "Amounts a month, vessel and account; costs are negative."},
    {
        "name": "Fare",
        "source": {"kind": "sheet", "file": "fares.xlsx", "sheets": SEASONS, "sheet_column": "season"},
        "key": ["route_code", "fare_class"],
        "description": "Prices a route and fare class, a column a season: from a matrix with a sheet a season.",
        "steps": [
            {
                "kind": "columns_to_rows",
                "columns": CLASSES,
                "parts": ["fare_class"],
                "value": "price",
                "note": "The classes stand across; here each has a row.",
            },
            {"kind": "rename", "names": {"route": "route_code"}},
            {
                "kind": "rows_to_columns",
                "names_from": "season",
                "values_from": "price",
                "note": "The seasons stand below one another; here each has a column.",
            },
            {"kind": "choose_columns", "columns": ["route_code", "fare_class", *SEASONS]},
        ],
    },
    {"name": "Route", "source": csv("routes"), "key": ["code"], "description": "From port to port."},
    {"name": "Port", "source": csv("ports"), "key": ["code"], "description": "Where the ferries call."},
    {"name": "Island", "source": csv("islands"), "key": ["code"], "description": "Islands and their groups."},
    {"name": "Vessel", "source": csv("vessels"), "key": ["code"], "description": "The ferries."},
    {"name": "Customer", "source": csv("customers"), "key": ["number"], "description": "Who books."},
    {
        "name": "Agent",
        "source": csv("agents"),
        "key": ["code"],
        "description": "Who sells, by a district of their own that shares its names with the island groups.",
    },
    {
        "name": "Account",
        "source": {"kind": "sheet", "file": "accounts.xlsx", "sheet": "accounts"},
        "key": ["code"],
        "description": "The lines of the ledger, in order.",
    },
    {"name": "Crew", "source": csv("crew"), "key": ["number"], "description": "Who works on board."},
    {
        "name": "Crew vessel",
        "source": csv("crew_vessels"),
        "description": "Who may work on which vessel, with a share of their time: several of each.",
    },
    {
        "name": "Community",
        "source": csv("communities"),
        "description": "Which communities a route serves, with the share of its trips.",
        "steps": [{"kind": "rename", "names": {"community": "name"}}],
    },
    {
        "name": "Delay band",
        "source": csv("delay_bands"),
        "description": "Minutes late put into words. Linked to nothing: measures compare with it.",
    },
    {
        "name": "Price band",
        "source": csv("price_bands"),
        "description": "Prices in bands of three sizes. Linked to nothing: measures compare with it.",
    },
    {"name": "Calendar", "source": CALENDAR, "key": ["date"], "description": "Every day of the data, made here."},
]
LINKS: list[dict[str, Any]] = [
    {"name": "sails on", "from": "Booking.sails_on", "to": "Calendar.date"},
    {
        "name": "booked on",
        "from": "Booking.booked_on",
        "to": "Calendar.date",
        "active": False,
        "description": "A second day of the same booking. Only one of the three can be active; a measure switches it on.",
    },
    {
        "name": "refunded on",
        "from": "Booking.refunded_on",
        "to": "Calendar.date",
        "active": False,
        "description": "A third day, mostly empty. Only one of the three can be active; a measure switches it on.",
    },
    {"name": "route", "from": "Booking.route_code", "to": "Route.code"},
    {"name": "customer", "from": "Booking.customer_no", "to": "Customer.number"},
    {
        "name": "sailing",
        "from": "Booking.sailing_no",
        "to": "Sailing.number",
        "active": False,
        "description": "Active, it would bring every filter on day and route to the bookings twice: directly, and by way of the sailing.",
    },
    {"name": "from port", "from": "Route.from_port", "to": "Port.code"},
    {
        "name": "to port",
        "from": "Route.to_port",
        "to": "Port.code",
        "active": False,
        "description": "The other end of the route; a measure switches it on.",
    },
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
    {"name": "works as", "from": '"Crew vessel".crew_number', "to": "Crew.number"},
    {
        "name": "works on",
        "from": '"Crew vessel".vessel_code',
        "to": "Vessel.code",
        "flow": "two-way",
        "description": "Two-way, so that a filter on the crew comes through the bridge to the vessels and on to what they did.",
    },
    {
        "name": "served by",
        "from": "Booking.route_code",
        "to": "Community.route_code",
        "cardinality": "many-to-many",
        "description": "Several communities a route and several routes a community: parts add up to more than the whole.",
    },
    {
        "name": "home island",
        "from": "Customer.home_island",
        "to": "Island.code",
        "active": False,
        "description": "Active, it would bring a filter on islands to the bookings twice: by the port they leave from, and by where the customer lives.",
    },
]
HIERARCHIES = [
    {"name": "Where", "levels": ["Island.group", "Island.name", "Port.name"]},
    {"name": "When", "levels": ["Calendar.year", "Calendar.quarter", "Calendar.month", "Calendar.date"]},
]


# What one row is, the columns that tell rows apart, and the subject a table belongs to.
DESIGN: dict[str, tuple[str, list[str], str]] = {
    "Booking": ("one booking", ["number"], "Sales"),
    "Sailing": ("one sailing", ["number"], "Operation"),
    "Target": ("one month and route", ["month_end", "route_code"], "Sales"),
    "Ledger": ("one month, vessel and account", ["month_end", "vessel_code", "account_code"], "Finance"),
    "Fare": ("one route and fare class", ["route_code", "fare_class"], "Sales"),
    "Crew vessel": ("one person on one vessel", ["crew_number", "vessel_code"], "Operation"),
    "Community": ("one community on one route", ["name", "route_code"], "Network"),
    "Route": ("", [], "Network"),
    "Port": ("", [], "Network"),
    "Island": ("", [], "Network"),
    "Vessel": ("", [], "Operation"),
    "Crew": ("", [], "Operation"),
    "Customer": ("", [], "Sales"),
    "Agent": ("", [], "Sales"),
    "Account": ("", [], "Finance"),
    "Calendar": ("one day", ["date"], "Time"),
    "Delay band": ("", [], "Operation"),
    "Price band": ("", [], "Sales"),
}


def designed(table: dict[str, Any]) -> dict[str, Any]:
    """A table with what is said of it."""
    grain, columns, subject = DESIGN[table["name"]]
    return table | {k: v for k, v in (("grain", grain), ("grain_columns", columns), ("subject", subject)) if v}


def recipe(checks: list[dict[str, Any]] | None = None) -> dict[str, Any]:
    """Sources and steps of all tables, and the model on top of them with these checks: what `nexorem gather --steps` takes."""
    measures = [{"name": n, "home": h, "formula": f, "format": p, "folder": o, "description": d} for n, h, f, p, o, d in MEASURES]
    measures += TRIALS
    return {
        "name": "lantern-isles",
        "title": "Lantern Isles Ferries",
        "tables": [designed(t) for t in TABLES],
        "measures": measures,
        "hierarchies": HIERARCHIES,
        "links": [{"cardinality": "many-to-one", "flow": "one-way", "active": True, **k} for k in LINKS],
        "probes": PROBES,
        "folios": FOLIOS,
        **({"checks": checks} if checks else {}),
    }


def raw_files(out: Path) -> list[Path]:
    """The generated files."""
    return sorted(p for p in (out / "raw").iterdir() if p.suffix in (".csv", ".xlsx"))


def build(out: Path) -> None:
    """Writes steps.json, and the package that it makes of the generated files."""
    bare = gather(raw_files(out), read_recipe(json.loads(json.dumps(recipe()))))
    text = json.dumps(recipe(filled(bare.star)), indent=2, ensure_ascii=False) + "\n"
    (out / "steps.json").write_text(text, encoding="utf-8")
    made = gather(raw_files(out), read_recipe(json.loads(text)))
    for name, content in (package_files(made.star) | files(out / "raw")).items():
        (out / name).parent.mkdir(exist_ok=True)
        (out / name).write_bytes(content)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description="Gather and shape the demo's files into its package.")
    parser.add_argument("--out", type=Path, default=Path(__file__).parent / "lantern_isles")
    build(parser.parse_args().out)
