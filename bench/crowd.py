"""Sixteen people on one model beside one alone: each looks at grids, under picks of years and ports, and changes a measure of their own. How long
their requests take, and how much longer with somebody who asks the heaviest question all the time.
"""

from __future__ import annotations

import json
import random
import statistics
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from http.client import HTTPConnection
from typing import Any

from tests.load.crowd import WORST
from tests.load.server import demo_served

PEOPLE = 16
SECONDS = 40.0
WARM_SECONDS = 8.0  # in which nothing is timed: the first questions of all are made ready
THINKING = (1.0, 3.0)  # seconds between an answer and what is asked next
YEARS, PORTS = (2031, 2032), ("Brannock", "Teal Quay", "Long Haven")
GRIDS: tuple[dict[str, Any], ...] = (
    {"measures": ["seats_sold", "share_of_ports"], "rows": ["Port.name"], "columns": ["Calendar.year"], "totals": "all"},
    {"measures": ["seats_sold", "bookings"], "rows": ["Vessel.name"], "columns": ["Calendar.month"], "totals": "all"},
    {"measures": ["seats_sold"], "rows": ["Customer.segment"], "columns": ["Port.name"], "totals": "all"},
)


class Person:
    """Somebody, and how long their requests took."""

    def __init__(self, port: int, number: int) -> None:
        self.port, self.name, self.chance = port, f"crowd_{number}", random.Random(number)
        self.times: dict[str, list[float]] = {"grid": [], "pick": [], "edit": []}
        self.turn, self.version = 0, 0

    def ask(self, method: str, path: str, body: object = None) -> tuple[int, bytes]:
        """A status and an answer."""
        with closing(HTTPConnection("127.0.0.1", self.port, timeout=120)) as connection:
            data = None if body is None else json.dumps(body)
            connection.request(method, f"/api/models/1{path}", data, {"Content-Type": "application/json"} if data else {})
            answer = connection.getresponse()
            return answer.status, answer.read()

    def grid(self, picks: list[dict[str, Any]]) -> None:
        """One of the grids."""
        status, text = self.ask("POST", "/grid", {"probe": {**self.chance.choice(GRIDS), "picks": picks}})
        assert status == 200, text

    def pick(self) -> None:
        """The same, of one year and some ports."""
        ports = self.chance.sample(PORTS, 2)
        self.grid([{"column": "Calendar.year", "in": [self.chance.choice(YEARS)]}, {"column": "Port.name", "in": ports}])

    def edit(self) -> None:
        """Another formula for one's own measure, on the version that one saw last: nobody else touches it."""
        self.turn += 1
        formula = f"seats_sold + {self.turn}"
        change: dict[str, Any] = {"kind": "change_measure", "name": self.name, "set": {"formula": formula}}
        if self.turn == 1:
            change = {"kind": "add_measure", "measure": {"name": self.name, "formula": formula, "trial": True}}
        status, text = self.ask("POST", "/edits", {"edit": change, "base": self.version or json.loads(self.ask("GET", "")[1])["version"]})
        assert status == 200, text
        self.version = json.loads(text)["version"]

    def live(self, since: float, until: float) -> None:
        """Looks, picks and edits, two looks to an edit and thinking between; times what is asked from `since` on."""
        while (now := time.monotonic()) < until:
            kind = self.chance.choice(("grid", "grid", "pick", "pick", "edit"))
            start = time.perf_counter()
            {"grid": lambda: self.grid([]), "pick": self.pick, "edit": self.edit}[kind]()
            if now > since:
                self.times[kind].append(time.perf_counter() - start)
            time.sleep(self.chance.uniform(*THINKING))


def together(port: int, numbers: range, heavy: bool, seconds: float) -> dict[str, float]:
    """Milliseconds of so many people's requests, the one in the middle and the 99th part; with somebody who asks the heaviest question, or not."""
    begun = time.monotonic()
    since, until = begun + WARM_SECONDS, begun + WARM_SECONDS + seconds
    people = [Person(port, n) for n in numbers]

    def ask_heavily() -> None:
        asker = Person(port, 0)
        while time.monotonic() < until:
            asker.ask("POST", "/grid", {"probe": WORST})

    with ThreadPoolExecutor(len(people) + 1) as pool:
        doing = [pool.submit(p.live, since, until) for p in people]
        doing += [pool.submit(ask_heavily)] if heavy else []
    for each in doing:
        each.result()  # raises what went wrong
    told: dict[str, float] = {}
    for kind in ("grid", "pick", "edit", "all"):
        times = sorted(x for p in people for k, some in p.times.items() if kind in (k, "all") for x in some)
        told |= {f"{kind}, median": statistics.median(times) * 1000, f"{kind}, 99th part": times[int(len(times) * 0.99)] * 1000}
    return told


def crowd_part(say: Callable[[str], None], seconds: float = SECONDS) -> dict[str, dict[str, float]]:
    """One alone, sixteen, and sixteen with somebody who asks the heaviest question."""
    told = {}
    with demo_served() as port:
        for name, numbers, heavy in (
            ("alone", range(1), False),
            ("of 16", range(1, 1 + PEOPLE), False),
            ("alone beside the heaviest", range(100, 101), True),
            ("of 16 beside the heaviest", range(101, 101 + PEOPLE), True),
        ):
            # One person makes few requests: as many seconds again, for a 99th part that says something.
            told[name] = together(port, numbers, heavy, seconds * (2 if len(numbers) == 1 else 1))
            say(f"{name}: {', '.join(f'{k} {v:.0f} ms' for k, v in told[name].items())}")
    return told


if __name__ == "__main__":
    crowd_part(lambda text: print(text, flush=True))
