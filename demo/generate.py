"""Makes the files of the demo from a seed, with all their deliberate flaws.

    python -m demo.generate [--rows 60212] [--out demo/lantern_isles]

The same seed and rows give the same values. More rows are made for the benchmark by the same code.
"""

from __future__ import annotations

import argparse
import csv
import datetime as dt
from collections.abc import Iterable, Sequence
from pathlib import Path
from random import Random
from typing import Any

from openpyxl import Workbook

from demo import places as p

SEED = 20310101
FIRST_DAY, LAST_DAY = dt.date(2031, 1, 1), dt.date(2033, 7, 31)
BOOKINGS = 60_212
SEASON_WEIGHT = [4, 4, 5, 7, 9, 12, 15, 15, 10, 7, 5, 6]
Row = Sequence[Any]


def days() -> list[dt.date]:
    """Every day of the demo."""
    return [FIRST_DAY + dt.timedelta(days=i) for i in range((LAST_DAY - FIRST_DAY).days + 1)]


def month_ends() -> list[dt.date]:
    """The last day of every month."""
    return [d for d in days() if (d + dt.timedelta(days=1)).day == 1]


def make_routes(r: Random) -> list[Row]:
    """38 routes; one has no known port of departure, and two lead back to where they start by way of others."""
    codes = [x[0] for x in p.PORTS if x[0] != "HUL"]
    pairs: list[tuple[str, str]] = []
    while len(pairs) < 37:
        a, b = r.sample(codes, 2)
        if (a, b) not in pairs:
            pairs.append((a, b))
    rows: list[Row] = [(f"R{i + 1:02}", a, b, r.randint(4, 62)) for i, (a, b) in enumerate(pairs)]
    return [*rows, ("R38", "", "LMA", 18)]


def make_sailings(r: Random, routes: Sequence[Row]) -> list[list[Any]]:
    """About ten a day: number, day, route, vessel, planned and actual departure, minutes late, cancelled, wind."""
    rows: list[list[Any]] = []
    popular = [40 - i for i in range(len(routes))]
    for day in days():
        for _ in range(r.choice([9, 10, 10, 10, 11]) - (day.month in (1, 2)) + (day.month in (7, 8))):
            route = r.choices(routes, popular)[0]
            vessel = r.choice(p.VESSELS)
            planned = dt.datetime.combine(day, dt.time(r.randint(5, 21), r.choice([0, 15, 30, 45])))
            wind = min(12, max(0, round(r.gauss(5 if day.month in (11, 12, 1, 2) else 3, 2))))
            cancelled = wind >= 9 or r.random() < 0.01
            late = None if cancelled else max(-3, round(r.gauss(4 + wind, 7)))
            actual = planned + dt.timedelta(minutes=late) if late is not None else None
            rows.append([1000 + len(rows), day, route[0], vessel[0], planned, actual, late, cancelled, wind])
    return rows


def make_customers(r: Random) -> list[Row]:
    """8,120 people and firms; a few without a home island."""
    rows: list[Row] = []
    for number in range(8120):
        name = f"{r.choice(p.FIRST)} {r.choice(p.LAST)}"
        home = "" if r.random() < 0.03 else r.choice(p.ISLANDS)[0]
        rows.append(
            (20000 + number, name, r.choices(p.SEGMENTS, [40, 35, 12, 8, 5])[0], home, dt.date(r.randint(2015, 2032), r.randint(1, 12), 1))
        )
    return rows


def make_agents(r: Random) -> list[Row]:
    """55 agents with a district of their own."""
    rows: list[Row] = []
    for number in range(55):
        rows.append(
            (f"A{number + 1:02}", f"{r.choice(p.AGENT_TOWNS)} {number + 1}", r.choice(p.DISTRICTS), round(r.uniform(0.02, 0.09), 3))
        )
    return rows


def agent_code(r: Random) -> str:
    """Mostly a code that exists; sometimes none, and on purpose a few that almost match or exist nowhere."""
    code = f"A{r.randint(1, 55):02}"
    slip = r.random()
    if slip < 0.25:
        return ""
    if slip < 0.2503:
        return code + " "
    if slip < 0.2506:
        return code.lower()
    return r.choice(["A77", "ZZZ"]) if slip < 0.2508 else code


def make_bookings(r: Random, sailings: Sequence[Sequence[Any]], count: int) -> Iterable[Row]:
    """The main fact. Some rows name no customer, some a route or sailing that is not there."""
    weights = [SEASON_WEIGHT[s[1].month - 1] * (1 if not s[7] else 0.2) for s in sailings]
    growth = {2031: 1.0, 2032: 1.09, 2033: 1.15}
    weights = [w * growth[s[1].year] for w, s in zip(weights, sailings, strict=True)]
    for number, sailing in enumerate(sorted(r.choices(sailings, weights, k=count), key=lambda s: s[0])):
        sails = sailing[1]
        booked = max(FIRST_DAY, sails - dt.timedelta(days=int(r.expovariate(1 / 21))))
        refunded = sails + dt.timedelta(days=r.randint(1, 20)) if sailing[7] and r.random() < 0.8 else None
        if refunded is None and r.random() < 0.035:
            refunded = booked + dt.timedelta(days=r.randint(0, max(0, (sails - booked).days)))
        if refunded and refunded > LAST_DAY:
            refunded = None
        fare = r.choices(p.FARE_CLASSES, [38, 25, 20, 7, 4, 6])[0]
        metres = {"car": 5, "van": 7, "lorry": r.choice([12, 15, 18])}.get(fare, 0)
        seats = r.choices([1, 2, 3, 4, 5, 6], [34, 33, 12, 13, 5, 3])[0] if fare != "lorry" else 1
        customer = "" if r.random() < 0.004 else 20000 + min(8119, int(r.expovariate(1 / 1800)))
        route = "R99" if r.random() < 0.0004 else sailing[2]
        yield (
            204000 + number,
            booked,
            sails,
            refunded or "",
            sailing[0] if r.random() > 0.001 else 999,
            route,
            fare,
            customer,
            agent_code(r),
            seats,
            metres,
        )


def make_targets(r: Random, routes: Sequence[Row]) -> list[Row]:
    """A target for the ten busiest routes, a month each."""
    rows: list[Row] = []
    for end in month_ends():
        for place, route in enumerate(routes[:10]):
            seats = round((30 - place) * SEASON_WEIGHT[end.month - 1] * r.uniform(1.0, 1.6))
            rows.append((end, route[0], seats, seats * r.randint(19, 34)))
    return rows


def make_ledger(r: Random) -> list[Row]:
    """Month, vessel, account and amount; costs are negative; some months a vessel lies idle."""
    rows: list[Row] = []
    for end in month_ends():
        for vessel in p.VESSELS:
            for code, _, line, _, _ in p.ACCOUNTS:
                if r.random() < 0.06:
                    continue
                size = vessel[3] * SEASON_WEIGHT[end.month - 1]
                amount = size * r.uniform(3.0, 5.5) if line == "income" else -size * r.uniform(0.6, 2.2)
                rows.append((end, vessel[0], code, round(amount, 2)))
    return rows


def make_crew(r: Random) -> tuple[list[Row], list[Row]]:
    """People, and the vessels they may work on, with a share of their time."""
    crew: list[Row] = [
        (f"C{i + 1:03}", f"{r.choice(p.FIRST)} {r.choice(p.LAST)}", r.choice(["master", "mate", "engineer", "deck", "purser"]))
        for i in range(84)
    ]
    allowed: list[Row] = []
    for person in crew:
        vessels = r.sample(p.VESSELS, r.choice([1, 2, 2, 3, 4]))
        allowed += [(person[0], v[0], round(1 / len(vessels), 2)) for v in vessels]
    return crew, allowed


def make_communities(r: Random, routes: Sequence[Row]) -> list[Row]:
    """Which communities a route serves, with the share of its trips: several a route, several routes a community."""
    rows: list[Row] = []
    for route in routes:
        served = r.sample(p.COMMUNITIES, r.choice([1, 2, 2, 3]))
        rows += [(name, route[0], round(1 / len(served), 3)) for name in served]
    return rows


def bands() -> tuple[list[Row], list[Row]]:
    """Delay and price bands; three sizes of price band in one table."""
    delay: list[Row] = [("early", -60, 0), ("on time", 0, 5), ("a little late", 5, 15), ("late", 15, 30), ("very late", 30, 600)]
    price: list[Row] = []
    for size, step in (("fine", 10), ("medium", 25), ("coarse", 60)):
        price += [(size, low, low + step, f"{low} to {low + step}") for low in range(0, 180, step)]
    return delay, price


def text(value: Any) -> Any:
    """A value as the files hold it."""
    if isinstance(value, dt.datetime):
        return value.isoformat(sep=" ", timespec="minutes")
    return str(value).lower() if isinstance(value, bool) else "" if value is None else value


def write_csv(path: Path, header: str, rows: Iterable[Row]) -> None:
    """One CSV with its header."""
    with path.open("w", newline="", encoding="utf-8") as out:
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(header.split())
        writer.writerows([text(v) for v in row] for row in rows)


def write_workbook(path: Path, sheets: Sequence[tuple[str, Sequence[Row]]]) -> None:
    """An XLSX file with a sheet for each name."""
    book = Workbook()
    book.remove(book.worksheets[0])
    for title, rows in sheets:
        sheet = book.create_sheet(title)
        for row in rows:
            sheet.append(list(row))
    book.properties.created = book.properties.modified = dt.datetime(2033, 8, 1)
    book.save(path)


def fare_sheets(r: Random, routes: Sequence[Row]) -> list[tuple[str, Sequence[Row]]]:
    """A matrix a season: routes down, fare classes across."""
    sheets: list[tuple[str, Sequence[Row]]] = []
    for season, factor in (("winter", 0.85), ("spring", 0.95), ("summer", 1.2), ("autumn", 1.0)):
        rows: list[Row] = [("route", *p.FARE_CLASSES)]
        for route in routes:
            base = {"walk-on": 6, "islander": 4, "car": 22, "van": 31, "lorry": 70, "cycle": 7}
            rows.append((route[0], *(round((base[c] + route[3] * 0.4) * factor * r.uniform(0.95, 1.05), 1) for c in p.FARE_CLASSES)))
        sheets.append((season, rows))
    return sheets


def generate(out: Path, bookings: int = BOOKINGS, seed: int = SEED) -> None:
    """Writes every file of the demo, into the folder raw."""
    r = Random(seed)
    out = out / "raw"
    out.mkdir(parents=True, exist_ok=True)
    routes = make_routes(r)
    sailings = make_sailings(r, routes)
    crew, allowed = make_crew(r)
    delay, price = bands()
    write_csv(out / "islands.csv", "code name group", p.ISLANDS)
    write_csv(out / "ports.csv", "code name island_code", p.PORTS)
    write_csv(out / "routes.csv", "code from_port to_port nautical_miles", routes)
    write_csv(out / "vessels.csv", "code name class seats lane_metres built", p.VESSELS)
    write_csv(
        out / "sailings.csv",
        "number sails_on route_code vessel_code planned_departure actual_departure minutes_late cancelled wind",
        sailings,
    )
    write_csv(out / "customers.csv", "number name segment home_island since", make_customers(r))
    write_csv(out / "agents.csv", "code name district commission", make_agents(r))
    write_csv(
        out / "bookings.csv",
        "number booked_on sails_on refunded_on sailing_no route_code fare_class customer_no agent_code seats lane_metres",
        make_bookings(r, sailings, bookings),
    )
    write_csv(out / "targets.csv", "month_end route_code target_seats target_income", make_targets(r, routes))
    write_csv(out / "ledger.csv", "month_end vessel_code account_code amount", make_ledger(r))
    write_csv(out / "crew.csv", "number name role", crew)
    write_csv(out / "crew_vessels.csv", "crew_number vessel_code share", allowed)
    write_csv(out / "communities.csv", "community route_code share", make_communities(r, routes))
    write_csv(out / "delay_bands.csv", "label low high", delay)
    write_csv(out / "price_bands.csv", "size low high label", price)
    write_workbook(out / "fares.xlsx", fare_sheets(r, routes))
    write_workbook(out / "accounts.xlsx", [("accounts", [("code", "name", "line", "class", "order"), *p.ACCOUNTS])])


def main() -> None:
    """The command."""
    parser = argparse.ArgumentParser(description="Make the files of the demo.")
    parser.add_argument("--rows", type=int, default=BOOKINGS, help="bookings to make")
    parser.add_argument("--out", type=Path, default=Path(__file__).parent / "lantern_isles")
    options = parser.parse_args()
    generate(options.out, options.rows)


if __name__ == "__main__":
    main()
