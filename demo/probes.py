"""The demo's probes and folios."""

from __future__ import annotations

from typing import Any

PROBES: list[dict[str, Any]] = [
    {
        "name": "Ports by year",
        "rows": ["Port.name"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "share_of_ports", "target_seats"],
        "totals": "all",
        "description": "A first look. Targets know routes, and through them ports; share_of_ports clears the port it stands in.",
    },
    {
        "name": "Vessels and targets",
        "rows": ["Island.group", "Port.name"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "sailings", "target_seats"],
        "picks": [{"column": "Vessel.name", "in": ["Heron", "Tern"]}],
        "totals": "all",
        "description": "A pick on vessels reaches sailings alone: seats and targets show the whole line, hatched, and say so.",
    },
    {
        "name": "Three days of a booking",
        "rows": ["Calendar.month"],
        "measures": ["seats_sold", "seats_booked", "refunded_seats", "refund_share"],
        "picks": [{"column": "Calendar.year", "in": [2032]}],
        "totals": "grand",
        "description": "One calendar, three links: the day of sailing is active, the others a measure switches on.",
    },
    {
        "name": "Against the Outer Lights",
        "rows": ["Island.group"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "outer_seats", "outer_seats_here", "seats_against_outer"],
        "totals": "all",
        "description": "set and keep beside each other: the one is the same on every line, the other has a value on one.",
    },
    {
        "name": "Against the year before",
        "rows": ["Port.name"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "year_before", "growth", "port_rank"],
        "totals": "grand",
        "description": "2033 ends in July, so it is held against January to July of 2032.",
    },
    {
        "name": "To date",
        "rows": ["Calendar.year", "Calendar.month"],
        "measures": ["seats_sold", "year_to_date", "to_date_before", "to_date_growth", "last_three_months"],
        "totals": "all",
        "picks": [{"where": "Calendar.date >= DATE '2032-01-01'"}],
        "description": "Running sums over an incomplete year. The lines of last_three_months share days, so they are no parts of their total.",
    },
    {
        "name": "Leaving and arriving",
        "rows": ["Port.name"],
        "measures": ["seats_sold", "seats_arriving"],
        "totals": "grand",
        "sort": [{"by": "seats_sold", "desc": True}],
        "look": {"picture": "bars"},
        "description": "The same ports by either end of the route.",
    },
    {
        "name": "Targets",
        "rows": ["Route.code"],
        "columns": ["Calendar.year"],
        "measures": ["target_seats", "against_target", "target_gap", "target_verdict"],
        "picks": [{"where": "Calendar.date <= DATE '2032-12-31'"}],
        "totals": "grand",
        "description": "Two facts of different grain. Only ten routes have targets.",
    },
    {
        "name": "Targets and customers",
        "rows": ["Customer.segment"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "target_seats", "against_target"],
        "totals": "all",
        "description": "Targets know nothing of customers: along segments the target is whole on every line, and against_target holds a part against it. The headings say so.",
    },
    {
        "name": "Punctuality",
        "rows": ["Vessel.name"],
        "columns": ["Calendar.season"],
        "measures": ["sailings", "minutes_late", "late_share"],
        "totals": "all",
        "look": {"shade": ["minutes_late"]},
        "description": "An average is computed anew for every total.",
    },
    {
        "name": "Delays in words",
        "rows": ["Delay band.label"],
        "columns": ["Calendar.season"],
        "measures": ["sailings_in_band"],
        "totals": "grand",
        "look": {"picture": "stacked"},
        "sort": [{"by": "Delay band.low"}],
        "description": "Bands without a link, compared by the measure, and in the order of their lower ends. Cancelled sailings have no delay and are in no band.",
    },
    {
        "name": "Prices in three sizes of band",
        "rows": ["Price band.size", "Price band.label"],
        "measures": ["seats_in_price_band"],
        "totals": "all",
        "sort": [{"by": "Price band.low"}],
        "description": "Each size holds all seats once; the whole is not the sum of the three.",
    },
    {
        "name": "Who travels",
        "rows": ["Customer.segment"],
        "columns": ["Calendar.year"],
        "measures": ["customers_served", "new_customers", "seats_a_booking", "miles_a_seat"],
        "totals": "all",
        "description": "A customer is served in several years and new in one.",
    },
    {
        "name": "Communities",
        "rows": ["Community.name"],
        "measures": ["seats_sold", "share_of_all", "share_of_all_trial"],
        "totals": "grand",
        "top": {"count": 12, "by": "seats_sold"},
        "sort": [{"by": "seats_sold", "desc": True}],
        "description": "Several communities a route: the parts are more than the whole. One share is 100 % everywhere, the trial is not; the Lens says why.",
    },
    {
        "name": "Ledger by account",
        "rows": ["Account.line", "Account.name"],
        "columns": ["Calendar.year"],
        "measures": ["result"],
        "totals": "all",
        "description": "Amounts as booked, costs negative.",
    },
    {
        "name": "Chain of subtotals",
        "rows": ["Calendar.year", "Calendar.quarter"],
        "measures": ["income", "operating_cost", "margin", "margin_share", "margin_share_change", "result"],
        "totals": "all",
        "description": "Income, cost, margin before depreciation, result: each built on the one before.",
    },
    {
        "name": "Vessels",
        "rows": ["Vessel.class", "Vessel.name"],
        "columns": ["Calendar.year"],
        "measures": ["seats_on_vessels", "seats_offered", "filled"],
        "totals": "all",
        "look": {"bars": ["filled"]},
        "description": "Bookings by vessel, over the link that is switched on for this measure alone.",
    },
    {
        "name": "Who sells",
        "rows": ["Agent.district"],
        "columns": ["Calendar.year"],
        "measures": ["seats_sold", "seats_of_district", "fare_income", "commission"],
        "totals": "all",
        "description": "Seats an agent sold, and seats that leave from the islands of the same name.",
    },
]


def number(measure: str, title: str, **more: Any) -> dict[str, Any]:
    """A tile with one number."""
    return {
        "kind": "number",
        "title": title,
        "probe": {"rows": [], "columns": [], "measures": [measure], "picks": [], "totals": "none"},
        "width": 1,
        **more,
    }


def against_year(measure: str, title: str) -> dict[str, Any]:
    """A tile with one number and what it was a year earlier."""
    name = "a year earlier"
    probe = {
        "rows": [],
        "columns": [],
        "measures": [measure, name],
        "define": {name: f"{measure} given (shift Calendar by -1 year)"},
        "picks": [],
        "totals": "none",
    }
    return {"kind": "number", "title": title, "probe": probe, "against": name, "width": 1}


def drawn(picture: str, measures: list[str], rows: list[str], columns: list[str] | None = None) -> dict[str, Any]:
    """A probe of a tile's own, as a picture."""
    return {"rows": rows, "columns": columns or [], "measures": measures, "picks": [], "totals": "none", "look": {"picture": picture}}


FOLIOS: list[dict[str, Any]] = [
    {
        "name": "Harbour meeting",
        "description": "What the harbour masters see each month: the numbers of the picked days, where they come from, and what they were.",
        "picks": [
            {"where": "Calendar.date BETWEEN DATE '2033-01-01' AND DATE '2033-07-31'"},
            {"column": "Island.group", "in": ["Near Isles", "Middle Holms", "Outer Lights"]},
        ],
        "tiles": [
            against_year("seats_sold", "Seats"),
            against_year("fare_income", "Fares"),
            against_year("new_customers", "New customers"),
            {
                "kind": "text",
                "text": "All seats sold, refunded ones too. A pick of vessels does not reach them; the tiles then say so.",
                "width": 1,
            },
            {
                "kind": "probe",
                "title": "Months",
                "probe": drawn("lines", ["seats_sold"], ["Calendar.month"], ["Island.group"]),
                "without": ["Calendar.date BETWEEN DATE '2033-01-01' AND DATE '2033-07-31'"],
                "width": 2,
                "height": 3,
            },
            {"kind": "probe", "title": "Ports", "probe": drawn("bars", ["seats_sold"], ["Port.name"]), "width": 2, "height": 3},
            {"kind": "probe", "probe": "Against the year before", "width": 4, "height": 3},
        ],
    },
    {
        "name": "On time",
        "description": "Sailings and their delays. The bands are compared, not linked.",
        "picks": [{"column": "Calendar.year", "in": [2032]}],
        "tiles": [
            number("sailings", "Sailings"),
            number("late_share", "Over a quarter of an hour late"),
            number("sailings_cancelled", "Cancelled"),
            number("seats_sold", "Seats, for scale", without=["Calendar.year"]),
            {"kind": "probe", "title": "Delays in words", "probe": "Delays in words", "width": 2, "height": 3},
            {
                "kind": "probe",
                "title": "Minutes late by vessel and season",
                "probe": drawn("heat", ["minutes_late"], ["Vessel.name"], ["Calendar.season"]),
                "width": 2,
                "height": 3,
            },
            {
                "kind": "probe",
                "title": "Each vessel over the months",
                "probe": drawn("multiples", ["late_share"], ["Vessel.name", "Calendar.month"]),
                "width": 4,
                "height": 4,
            },
        ],
    },
    {
        "name": "Result",
        "description": "From income down to the result, as the ledger has it.",
        "picks": [{"column": "Calendar.year", "in": [2032]}],
        "tiles": [
            against_year("income", "Income"),
            against_year("margin", "Margin before depreciation"),
            number("margin_share", "Margin of income"),
            against_year("result", "Result"),
            {
                "kind": "probe",
                "title": "Lines by quarter",
                "probe": drawn("stacked", ["result"], ["Calendar.quarter"], ["Account.line"]),
                "width": 2,
                "height": 3,
            },
            {
                "kind": "probe",
                "title": "All quarters",
                "probe": "Chain of subtotals",
                "without": ["Calendar.year"],
                "width": 2,
                "height": 3,
            },
            {
                "kind": "text",
                "text": "The table shows every year: it opts out of the year picked at the left, and says so in its heading.",
                "width": 4,
                "height": 1,
            },
        ],
    },
]
