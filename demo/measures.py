"""The demo's measures, probes and folios: what each is worth looking at for stands in its description."""

from __future__ import annotations

from typing import Any

MEASURES: list[tuple[str, str, str, str, str, str]] = [
    # name, home, formula, format, folder, description
    ("seats_sold", "Booking", "sum(Booking.seats)", "#,##0", "Volume", "Seats on all bookings, refunded ones too. Most measures are built on it, so that they all mean the same seats."),
    ("bookings", "Booking", "rows(Booking)", "#,##0", "Volume", "How many bookings."),
    ("seats_a_booking", "Booking", "seats_sold / bookings", "0.00", "Volume", "How many travel together."),
    ("lane_metres", "Booking", "sum(Booking.lane_metres)", "#,##0", "Volume", "Deck length that was booked."),
    ("customers_served", "Booking", "count(distinct Booking.customer_no)", "#,##0", "Volume", "Different customers."),
    ("seat_miles", "Booking", "sum(Booking.seats * Route.nautical_miles)", "#,##0", "Volume", "Seats times the length of their route. The sum runs row by row over Booking and looks the route up: a mile counts once a seat."),
    ("miles_a_seat", "Booking", "seat_miles / seats_sold", "0.0", "Volume", "How far a seat goes."),
    ("refunded_seats", "Booking", "seats_sold given (via Booking.refunded_on = Calendar.date, keep Booking.refunded_on IS NOT NULL)", "#,##0", "Refunds",
     "Seats by the day on which they were paid back."),
    ("refund_share", "Booking", "refunded_seats / seats_sold", "0.0%", "Refunds", "Paid back in a period, against what sailed in it."),
    ("seats_booked", "Booking", "seats_sold given (via Booking.booked_on = Calendar.date)", "#,##0", "Volume", "Seats by the day they were booked."),
    ("seats_arriving", "Booking", "seats_sold given (via Route.to_port = Port.code)", "#,##0", "Volume", "Seats by the port they go to."),
    ("share_of_ports", "Booking", "seats_sold / seats_sold given (clear Port)", "0.0%", "Shares", "Of all ports in the island or group at hand. clear Port takes only the filters on Port away; those on Island stay, so a group is its own whole."),
    ("share_of_all", "Booking", "seats_sold / seats_sold given (clear wide Booking but Calendar)", "0.0%", "Shares", "Of the whole line in the same days. clear wide Booking takes the filters of all that a booking looks up; what comes loosely, as from Community, stays: by community it is 100 %. The trial beside it says clear into."),
    ("outer_seats", "Booking", "seats_sold given (set Island.group = 'Outer Lights')", "#,##0", "Shares", "The Outer Lights, whatever the grid says of groups: set replaces the filter, so along the groups the number is the same on every line."),
    ("outer_seats_here", "Booking", "seats_sold given (keep Island.group = 'Outer Lights')", "#,##0", "Shares", "The Outer Lights, only where they are in the grid's context: keep adds to the filter, so the other groups are empty."),
    ("seats_against_outer", "Booking", "seats_sold - outer_seats", "#,##0", "Shares", "How far above or below the Outer Lights."),
    ("summer_share", "Booking", "seats_sold given (keep Calendar.season = 'summer') / seats_sold", "0.0%", "Shares", "How much of it sails in summer."),
    ("year_before", "Booking", "seats_sold given (shift Calendar by -1 year)", "#,##0", "Time", "The same days a year earlier. A month of which every day is in context moves whole; July 2033 ends on the 31st, so it is like for like."),
    ("growth", "Booking", "(seats_sold - year_before) / year_before", "0.0%", "Time", "Against the year before."),
    ("year_to_date", "Booking", "seats_sold given (stretch Calendar to start of year)", "#,##0", "Time", "From the start of the year to the last day in context. In a month it grows; in a whole year it is the year."),
    ("best_month", "Booking", "max(seats_sold for each Calendar.month)", "#,##0", "Time", "The seats of the busiest month."),
    ("port_rank", "Booking", "rank(seats_sold among page Port.name)", "0", "Shares", "The port's place among those of the page."),
    ("ports_served", "Sailing", "count(distinct Port.code) given (flow Route.from_port = Port.code two-way)", "#,##0", "Volume", "Ports that routes leave from: counted on the side of Port, and right by year since this measure turns the link from Route two-way."),
    ("target_seats", "Target", "sum(Target.target_seats)", "#,##0", "Targets", "Seats wanted, for the ten busiest routes."),
    ("against_target", "Target", "seats_sold - target_seats", "#,##0", "Targets", "Sold more or less than wanted."),
    ("target_gap", "Target", "against_target / target_seats", "0.0%", "Targets", "The same as a share of the target."),
    ("target_verdict", "Target", "CASE WHEN target_gap >= 0 THEN 'reached' WHEN target_gap > -0.25 THEN 'near' WHEN target_gap IS NOT NULL THEN 'missed' END", "", "Targets",
     "In a word: reached, near, or missed by more than a quarter. A measure may be a text."),
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
    ("income", "Ledger", "result given (keep Account.line = 'income')", "#,##0", "Ledger", "The first link of a chain: result, income, margin, its share, and what became of it. Costs are negative, so the chain only adds."),
    ("operating_cost", "Ledger", "result given (keep Account.line = 'operating cost')", "#,##0", "Ledger", "Negative, as it is booked. Along Account.line only its own line has a value, since keep adds to the line at hand."),
    ("margin", "Ledger", "income + operating_cost", "#,##0", "Ledger", "Margin before depreciation: income less what running costs."),
    ("margin_share", "Ledger", "margin / income", "0.0%", "Ledger", "What is left of each unit of income before depreciation. No sum: a year's share is no average of its months'."),
    ("margin_share_change", "Ledger", "margin_share - margin_share given (shift Calendar by -1 year)", "+0.0%;-0.0%", "Ledger", "Five measures deep: follow it in the Lens down to the amounts in the ledger."),
    ("running_result", "Ledger", "result given (stretch Calendar to start of year)", "#,##0", "Ledger", "The result from the start of the year on."),
    ("balance_at_end", "Ledger", "let last_day = max(Ledger.month_end)\nin result given (set Calendar.date = last_day)", "#,##0", "Ledger", "The amounts of the last month in context alone: what one does with a stock, which must not be added over time."),
    ("last_three_months", "Booking", "seats_sold given (stretch Calendar back 3 month)", "#,##0", "Time", "The three months that end on the last day in context; days of one line are in the next one's too, so lines do not add up."),
    ("whole_months", "Booking", "seats_sold given (stretch Calendar to whole month)", "#,##0", "Time", "All of each month that the days in context touch: by week, the month that the week lies in."),
    ("to_date_before", "Booking", "year_to_date given (shift Calendar by -1 year)", "#,##0", "Time", "The same stretch of days a year earlier. The shift stands outside, so it is done first."),
    ("to_date_growth", "Booking", "(year_to_date - to_date_before) / to_date_before", "0.0%", "Time", "Like for like in an incomplete year: January to July against January to July."),
    ("seats_last_day", "Booking", "let last_day = max(Booking.sails_on)\nin seats_sold given (set Calendar.date = last_day)", "#,##0", "Time", "Seats of the last day that has any. set on a calendar's date replaces every filter on the calendar."),
    ("new_customers", "Booking", "-- the first of all their days: the calendar's filters are cleared\nlet from_day = min(Calendar.date), to_day = max(Calendar.date)\nin rows(Booking.customer_no where Booking.customer_no IS NOT NULL\n  AND min(Booking.sails_on) given (clear Calendar) BETWEEN from_day AND to_day)", "#,##0", "Volume",
     "Customers who sail for the first time in the period: counted once over all periods, so here the parts do add up."),
    ("share_of_page", "Booking", "seats_sold / seats_sold given (reset all)", "0.0%", "Shares", "Of what the picks let through: the axes go, the picks stay. With another pick the whole is another."),
    ("busiest_three", "Booking", "seats_sold given (keep Port.name in top 3 of page Port.name by seats_sold)", "#,##0", "Shares", "The seats of the three busiest ports of the page. The list is made once, in the context before the edit."),
    ("seats_on_vessels", "Booking", "seats_sold given (via Booking.sailing_no = Sailing.number,\n  flow Sailing.sails_on = Calendar.date off, flow Sailing.route_code = Route.code off)", "#,##0", "Vessels",
     "Seats by the vessel that sails. The link from Booking to Sailing would bring days and routes a second time, so the sailing's own are held off."),
    ("seats_offered", "Sailing", "sum(Vessel.seats for each (Sailing where NOT Sailing.cancelled))", "#,##0", "Vessels", "A vessel's seats once for each of its sailings that left. Without for each, every vessel would count once, whatever sailed."),
    ("filled", "Sailing", "seats_on_vessels / seats_offered", "0.0%", "Vessels", "Seats sold of seats offered: two facts that meet in day, route and vessel."),
    ("vessels_used", "Sailing", "count(distinct Vessel.code) given (flow Sailing.vessel_code = Vessel.code two-way)", "#,##0", "Vessels", "Vessels that sailed. On the dimension's own side the count would be nine in every year; here the sailings filter the vessels."),
    ("sailings_in_band", "Sailing", "sailings given (match \"Delay band\" to Sailing\n  where \"Delay band\".low <= Sailing.minutes_late AND Sailing.minutes_late < \"Delay band\".high)", "#,##0", "Punctuality",
     "Sailings by how late they left, in words. The bands are linked to nothing: this measure compares."),
    ("seats_in_price_band", "Booking", "seats_sold given (match \"Price band\" to Fare\n  where \"Price band\".low <= Fare.summer AND Fare.summer < \"Price band\".high)", "#,##0", "Income",
     "Seats by what their route and class cost in summer. One table holds three sizes of band: put the size on an axis or pick one, or a seat counts three times."),
    ("seats_of_district", "Booking", "seats_sold given (flow Booking.agent_code = Agent.code off, match Agent.district to Island.group)", "#,##0", "Shares",
     "Seats that leave from the islands an agent's district is named after. District and group share names and no link; the agent's own link is held off."),
    ("crew_everywhere", "Crew vessel", "crew_allowed given (flow \"Crew vessel\".vessel_code = Vessel.code to Vessel)", "#,##0", "Crew", "People who may work anywhere: filters run from the crew to the vessels alone here, so a vessel on the axis does not reach them."),
]  # fmt: skip
TRIALS: list[dict[str, Any]] = [
    {"name": "share_of_all_trial", "home": "Booking", "formula": "seats_sold / seats_sold given (clear into Booking but Calendar)", "format": "0.0%", "folder": "Shares", "trial": True, "variant_of": "share_of_all",
     "description": "clear into Booking clears everything that can filter a booking, over loose links too: by community it is a share of the line, as share_of_all is meant to be."},
]  # fmt: skip
PROBES: list[dict[str, Any]] = [
    {"name": "Ports by year", "rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "share_of_ports", "target_seats"], "totals": "all",
     "description": "A first look. Targets know routes, and through them ports; share_of_ports clears the port it stands in."},
    {"name": "Vessels and targets", "rows": ["Island.group", "Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "sailings", "target_seats"],
     "picks": [{"column": "Vessel.name", "in": ["Heron", "Tern"]}], "totals": "all", "description": "A pick on vessels reaches sailings alone: seats and targets show the whole line, hatched, and say so."},
    {"name": "Three days of a booking", "rows": ["Calendar.month"], "measures": ["seats_sold", "seats_booked", "refunded_seats", "refund_share"],
     "picks": [{"column": "Calendar.year", "in": [2032]}], "totals": "grand", "description": "One calendar, three links: the day of sailing is active, the others a measure switches on."},
    {"name": "Against the Outer Lights", "rows": ["Island.group"], "columns": ["Calendar.year"], "measures": ["seats_sold", "outer_seats", "outer_seats_here", "seats_against_outer"], "totals": "all",
     "description": "set and keep beside each other: the one is the same on every line, the other has a value on one."},
    {"name": "Against the year before", "rows": ["Port.name"], "columns": ["Calendar.year"], "measures": ["seats_sold", "year_before", "growth", "port_rank"], "totals": "grand",
     "description": "2033 ends in July, so it is held against January to July of 2032."},
    {"name": "To date", "rows": ["Calendar.year", "Calendar.month"], "measures": ["seats_sold", "year_to_date", "to_date_before", "to_date_growth", "last_three_months"], "totals": "all",
     "picks": [{"where": "Calendar.date >= DATE '2032-01-01'"}], "description": "Running sums over an incomplete year. The lines of last_three_months share days, so they are no parts of their total."},
    {"name": "Leaving and arriving", "rows": ["Port.name"], "measures": ["seats_sold", "seats_arriving"], "totals": "grand", "sort": [{"by": "seats_sold", "desc": True}],
     "look": {"picture": "bars"}, "description": "The same ports by either end of the route."},
    {"name": "Targets", "rows": ["Route.code"], "columns": ["Calendar.year"], "measures": ["target_seats", "against_target", "target_gap", "target_verdict"],
     "picks": [{"where": "Calendar.date <= DATE '2032-12-31'"}], "totals": "grand", "description": "Two facts of different grain. Only ten routes have targets."},
    {"name": "Targets and customers", "rows": ["Customer.segment"], "columns": ["Calendar.year"], "measures": ["seats_sold", "target_seats", "against_target"], "totals": "all",
     "description": "Targets know nothing of customers: along segments the target is whole on every line, and against_target holds a part against it. The headings say so."},
    {"name": "Punctuality", "rows": ["Vessel.name"], "columns": ["Calendar.season"], "measures": ["sailings", "minutes_late", "late_share"], "totals": "all", "look": {"shade": ["minutes_late"]},
     "description": "An average is computed anew for every total."},
    {"name": "Delays in words", "rows": ["Delay band.label"], "columns": ["Calendar.season"], "measures": ["sailings_in_band"], "totals": "grand", "look": {"picture": "stacked"},
     "sort": [{"by": "Delay band.low"}],
     "description": "Bands without a link, compared by the measure, and in the order of their lower ends. Cancelled sailings have no delay and are in no band."},
    {"name": "Prices in three sizes of band", "rows": ["Price band.size", "Price band.label"], "measures": ["seats_in_price_band"], "totals": "all", "sort": [{"by": "Price band.low"}],
     "description": "Each size holds all seats once; the whole is no sum of the three."},
    {"name": "Who travels", "rows": ["Customer.segment"], "columns": ["Calendar.year"], "measures": ["customers_served", "new_customers", "seats_a_booking", "miles_a_seat"], "totals": "all",
     "description": "A customer is served in several years and new in one."},
    {"name": "Communities", "rows": ["Community.name"], "measures": ["seats_sold", "share_of_all", "share_of_all_trial"], "totals": "grand", "top": {"count": 12, "by": "seats_sold"}, "sort": [{"by": "seats_sold", "desc": True}],
     "description": "Several communities a route: the parts are more than the whole. One share is 100 % everywhere, the trial is not; the Lens says why."},
    {"name": "Ledger by account", "rows": ["Account.line", "Account.name"], "columns": ["Calendar.year"], "measures": ["result"], "totals": "all", "description": "Amounts as booked, costs negative."},
    {"name": "Chain of subtotals", "rows": ["Calendar.year", "Calendar.quarter"], "measures": ["income", "operating_cost", "margin", "margin_share", "margin_share_change", "result"], "totals": "all",
     "description": "Income, cost, margin before depreciation, result: each built on the one before."},
    {"name": "Vessels", "rows": ["Vessel.class", "Vessel.name"], "columns": ["Calendar.year"], "measures": ["seats_on_vessels", "seats_offered", "filled"], "totals": "all", "look": {"bars": ["filled"]},
     "description": "Bookings by vessel, over the link that is switched on for this measure alone."},
    {"name": "Who sells", "rows": ["Agent.district"], "columns": ["Calendar.year"], "measures": ["seats_sold", "seats_of_district", "fare_income", "commission"], "totals": "all",
     "description": "Seats an agent sold, and seats that leave from the islands of the same name."},
]  # fmt: skip


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
    {"name": "Harbour meeting", "description": "What the harbour masters see each month: the numbers of the picked days, where they come from, and what they were.",
     "picks": [{"where": "Calendar.date BETWEEN DATE '2033-01-01' AND DATE '2033-07-31'"}, {"column": "Island.group", "in": ["Near Isles", "Middle Holms", "Outer Lights"]}],
     "tiles": [
         against_year("seats_sold", "Seats"), against_year("fare_income", "Fares"), against_year("new_customers", "New customers"),
         {"kind": "text", "text": "All seats sold, refunded ones too. A pick of vessels does not reach them; the tiles then say so.", "width": 1},
         {"kind": "probe", "title": "Months", "probe": drawn("lines", ["seats_sold"], ["Calendar.month"], ["Island.group"]), "without": ["Calendar.date BETWEEN DATE '2033-01-01' AND DATE '2033-07-31'"], "width": 2, "height": 3},
         {"kind": "probe", "title": "Ports", "probe": drawn("bars", ["seats_sold"], ["Port.name"]), "width": 2, "height": 3},
         {"kind": "probe", "probe": "Against the year before", "width": 4, "height": 3},
     ]},
    {"name": "On time", "description": "Sailings and their delays. The bands are compared, not linked.", "picks": [{"column": "Calendar.year", "in": [2032]}],
     "tiles": [
         number("sailings", "Sailings"), number("late_share", "Over a quarter of an hour late"), number("sailings_cancelled", "Cancelled"), number("seats_sold", "Seats, for scale", without=["Calendar.year"]),
         {"kind": "probe", "title": "Delays in words", "probe": "Delays in words", "width": 2, "height": 3},
         {"kind": "probe", "title": "Minutes late by vessel and season", "probe": drawn("heat", ["minutes_late"], ["Vessel.name"], ["Calendar.season"]), "width": 2, "height": 3},
         {"kind": "probe", "title": "Each vessel over the months", "probe": drawn("multiples", ["late_share"], ["Vessel.name", "Calendar.month"]), "width": 4, "height": 4},
     ]},
    {"name": "Result", "description": "From income down to the result, as the ledger has it.", "picks": [{"column": "Calendar.year", "in": [2032]}],
     "tiles": [
         against_year("income", "Income"), against_year("margin", "Margin before depreciation"), number("margin_share", "Margin of income"), against_year("result", "Result"),
         {"kind": "probe", "title": "Lines by quarter", "probe": drawn("stacked", ["result"], ["Calendar.quarter"], ["Account.line"]), "width": 2, "height": 3},
         {"kind": "probe", "title": "All quarters", "probe": "Chain of subtotals", "without": ["Calendar.year"], "width": 2, "height": 3},
         {"kind": "text", "text": "The table shows every year: it opts out of the year picked at the left, and says so in its heading.", "width": 4, "height": 1},
     ]},
]  # fmt: skip
