"""The demo's model over a cluster: the application beside it, its bookings left there, over the addresses that a person's window uses."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator
from contextlib import closing, contextmanager
from http.client import HTTPConnection
from pathlib import Path
from typing import Any

from nexorem.core.diagnostics import refuse

MODEL = "lantern-isles"
FACT = "Booking"
CONNECTION = "cluster"
COMMAND = [sys.executable, "-m", "nexorem.cli.main"]
MOST_SECONDS = 1_800.0  # for the cluster to be looked at: a pass over its bookings for all links
STOP_SECONDS = 20.0


@contextmanager
def over_cluster(address: str, folder: Path, port: int) -> Iterator[str]:
    """The application on a port of loopback, with the demo whose bookings stay in a cluster; its address. It is a process of its own, for a
    client of clusters does not outlive a fork, and ends with the block."""
    command = [*COMMAND, "demo", "--port", str(port), "--data", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        try:
            window = Window(port, _key(process))
            model = next(m["id"] for m in window.called("GET", "/api/models")["models"] if m["name"] == MODEL)
            _leave(window, model, address)
            key = subprocess.run([*COMMAND, "address", "--data", str(folder)], capture_output=True, text=True, check=True).stdout
            yield f"http://127.0.0.1:{port}/m/{model}/probe?{key.strip().rpartition('?')[2]}"
        finally:
            process.terminate()
            try:
                process.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()


def _key(process: subprocess.Popen[str]) -> str:
    """The key in the address that the application prints when it answers."""
    assert process.stdout
    said = process.stdout.readline()
    if "?key=" not in said:
        raise refuse("not_started", "The application did not start.", "What it said stands above.")
    return said.partition("?key=")[2].split()[0]


class Window:
    """A caller of the application, let in by the address that it printed."""

    def __init__(self, port: int, key: str) -> None:
        self.port, self.cookie = port, ""
        with closing(HTTPConnection("127.0.0.1", port, timeout=MOST_SECONDS)) as connection:
            connection.request("GET", f"/?key={key}")
            self.cookie = str(connection.getresponse().headers["Set-Cookie"]).partition(";")[0]

    def called(self, method: str, path: str, body: Any = None) -> Any:
        """What an address answers; refuses with what it says is wrong."""
        with closing(HTTPConnection("127.0.0.1", self.port, timeout=MOST_SECONDS)) as connection:
            headers = {"Content-Type": "application/json", "Cookie": self.cookie}
            connection.request(method, path, None if body is None else json.dumps(body), headers)
            answer = connection.getresponse()
            told = json.loads(answer.read())
        if answer.status != 200:
            said = told["errors"][0]
            raise refuse(said["code"], said["message"], said["mend"])
        return told


def _leave(window: Window, model: int, address: str) -> None:
    """Leaves the bookings in the cluster; those that stay are looked at again, for they may be other ones."""
    path = f"/api/models/{model}"
    window.called("PUT", f"{path}/connections/cluster", {"name": CONNECTION, "address": address})
    document = window.called("GET", path)
    if next(t for t in document["tables"] if t["name"] == FACT)["stays"]:
        window.called("POST", f"{path}/tables/look", {"tables": [FACT], "base": document["version"]})
        return
    left = [{"schema": "default", "name": FACT.lower(), "table": FACT}]
    window.called("POST", f"{path}/connections/leave", {"name": CONNECTION, "tables": left, "base": document["version"]})
