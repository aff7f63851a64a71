"""Many at once: people who edit, people who read, windows that follow, somebody who asks the worst, and small requests timed among them. Run by
hand, on the demo in a folder of its own:

    python -m tests.load.crowd [--seconds 60] [--people 16] [--windows 500] [--calm]

It says how long small requests took, and fails where an edit that was acknowledged is lost or stands twice, or a window did not hear of the last.
"""

from __future__ import annotations

import argparse
import json
import random
import resource
import socket
import sys
import threading
import time
from collections import Counter
from contextlib import closing
from http.client import HTTPConnection

from tests.load.server import demo_served
from tests.waiting import until

WORST = {
    "measures": ["x"],
    "rows": ["Customer.number"],
    "define": {"x": "median((seats_sold / seats_sold given (clear Port)) for each Sailing)"},
}
GRID = {"measures": ["seats_sold", "share_of_ports"], "rows": ["Port.name"], "columns": ["Calendar.year"], "totals": "all"}


WARM_SECONDS = 10.0  # in which nothing is timed: the first questions of all are made ready
EDITING, READING = (2.0, 8.0), (1.0, 4.0)  # seconds that somebody thinks between two edits, and between two looks


class Crowd:
    """A server with the demo, and who asks it."""

    def __init__(self, port: int, seconds: float) -> None:
        self.port, self.until = port, time.monotonic() + seconds
        self.small: list[float] = []
        self.warm = time.perf_counter() + WARM_SECONDS
        self.statuses: Counter[tuple[str, int]] = Counter()
        self.made: list[str] = []
        self.lock = threading.Lock()

    def call(self, method: str, path: str, body: object = None, what: str = "") -> tuple[int, object]:
        """An answer's status and JSON."""
        with closing(HTTPConnection("127.0.0.1", self.port, timeout=120)) as connection:
            data = None if body is None else json.dumps(body)
            connection.request(method, f"/api/models{path}", data, {"Content-Type": "application/json"} if data else {})
            answer = connection.getresponse()
            told = answer.read()
        with self.lock:
            self.statuses[what or path.rsplit("/", 1)[-1], answer.status] += 1
        return answer.status, json.loads(told)

    def edits(self, person: int) -> None:
        """Adds measures under names of one's own, on the newest version; a refusal because somebody was quicker is tried again."""
        version = self.version()
        number, r = 0, random.Random(person)
        while time.monotonic() < self.until:
            name = f"m_{person}_{number}"
            change = {"kind": "add_measure", "measure": {"name": name, "formula": f"seats_sold + {number}", "trial": True}}
            status, told = self.call("POST", "/1/edits", {"edit": change, "base": version}, "edit")
            if status == 200:
                version, number = told["version"], number + 1  # type: ignore[index]
                with self.lock:
                    self.made.append(name)
                time.sleep(r.uniform(*EDITING))
            else:
                version = self.version()

    def reads(self, person: int) -> None:
        """Asks grids under picks, and the document."""
        r = random.Random(person)
        while time.monotonic() < self.until:
            pick = {"column": "Calendar.year", "in": [r.choice([2031, 2032])]}
            self.call("POST", "/1/grid", {"probe": {**GRID, "picks": [pick] if r.random() < 0.5 else []}}, "grid")
            self.version()
            time.sleep(r.uniform(*READING))

    def asks_the_worst(self) -> None:
        """One heavy question after the other."""
        while time.monotonic() < self.until:
            self.call("POST", "/1/grid", {"probe": WORST}, "worst")

    def asks_small(self) -> None:
        """Small requests, timed."""
        while time.monotonic() < self.until:
            for path in ("", "/1/history"):
                start = time.perf_counter()
                self.call("GET", path, what="small")
                if start > self.warm:
                    self.small.append(time.perf_counter() - start)
            time.sleep(0.02)

    def version(self) -> int:
        """The model's version."""
        return int(self.call("GET", "/1", what="document")[1]["version"])  # type: ignore[index]


class Windows:
    """Windows that follow the model: the newest version that each has heard of."""

    def __init__(self, port: int, count: int) -> None:
        self.heard = [-1] * count
        self.sockets = []
        for place in range(count):
            connection = socket.create_connection(("127.0.0.1", port), 120)
            connection.sendall(f"GET /api/models/1/events HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\n\r\n".encode())
            connection.settimeout(None)
            self.sockets.append(connection)
            threading.Thread(target=self._hear, args=(place, connection), daemon=True).start()

    def _hear(self, place: int, connection: socket.socket) -> None:
        for line in connection.makefile("rb"):
            if line.startswith(b'data: {"version'):
                self.heard[place] = json.loads(line[6:])["version"]


def main() -> int:
    """Starts the server and the crowd; 1 where something is wrong."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=60)
    asked.add_argument("--people", type=int, default=16)
    asked.add_argument("--windows", type=int, default=500)
    asked.add_argument("--calm", action="store_true", help="Nobody asks the worst.")
    given = asked.parse_args()
    resource.setrlimit(resource.RLIMIT_NOFILE, (resource.getrlimit(resource.RLIMIT_NOFILE)[1],) * 2)
    with demo_served() as port:
        return told(crowded(port, given.seconds, given.people, given.windows, given.calm))


def crowded(port: int, seconds: float, people: int, count: int, calm: bool) -> list[str]:
    """What went wrong, after so many seconds."""
    windows = Windows(port, count)
    until(lambda: all(x >= 0 for x in windows.heard), 120)
    crowd = Crowd(port, seconds)
    doing = [(crowd.edits, (i,)) for i in range(people)] + [(crowd.reads, (i,)) for i in range(people)]
    threads = [
        threading.Thread(target=f, args=a) for f, a in [*doing, (crowd.asks_small, ()), *([] if calm else [(crowd.asks_the_worst, ())])]
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    document = crowd.call("GET", "/1")[1]
    there = Counter(m["name"] for m in document["measures"] if m["name"].startswith("m_"))  # type: ignore[index,call-overload]
    small = sorted(crowd.small)
    print(f"{len(crowd.made)} edits; {dict(crowd.statuses)}")
    print(
        f"small requests: {len(small)}, median {small[len(small) // 2]:.3f} s, 99th part {small[int(len(small) * 0.99)]:.3f} s, most {small[-1]:.3f} s"
    )
    wrong = [f"{n} is lost" for n in crowd.made if n not in there] + [f"{n} stands {c} times" for n, c in there.items() if c > 1]
    wrong += [f"{n} was refused and stands" for n in there if n not in crowd.made]
    newest = document["version"]  # type: ignore[index,call-overload]
    try:
        until(lambda: all(x == newest for x in windows.heard), 30)
    except AssertionError:
        wrong.append(f"{sum(x != newest for x in windows.heard)} windows did not hear of version {newest}")
    wrong += [f"{what}: {n} answers of {status}" for (what, status), n in crowd.statuses.items() if status >= 500]
    return wrong


def told(wrong: list[str]) -> int:
    """Says it."""
    print("\n".join(wrong) or "Nothing is lost, doubled or unheard of.")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
