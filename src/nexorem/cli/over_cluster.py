"""The demo's model over a cluster: the application beside it, its bookings left there, over the addresses that a person's window uses."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from http.client import HTTPConnection
from pathlib import Path
from typing import Any

from nexorem.core.diagnostics import refuse

MODEL = "lantern-isles"
FACT = "Booking"
CONNECTION = "cluster"
SECONDS = 180.0  # for the application to answer
MOST_SECONDS = 1_800.0  # for the cluster to be looked at: a pass over its bookings for all links
STOP_SECONDS = 20.0


@contextmanager
def over_cluster(address: str, folder: Path, port: int) -> Iterator[str]:
    """The application on a port of loopback, with the demo whose bookings stay in a cluster; its address. It is a process of its own, for a
    client of clusters does not outlive a fork, and ends with the block."""
    command = [sys.executable, "-m", "nexorem.cli.main", "demo", "--port", str(port), "--data", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL) as process:
        try:
            model = next(m["id"] for m in _answering(process, port) if m["name"] == MODEL)
            _leave(port, model, address)
            yield f"http://127.0.0.1:{port}/m/{model}/probe"
        finally:
            process.terminate()
            try:
                process.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()


def _answering(process: subprocess.Popen[bytes], port: int) -> Any:
    until = time.monotonic() + SECONDS
    while time.monotonic() < until and process.poll() is None:
        try:
            return _called(port, "GET", "/api/models")["models"]
        except OSError:
            time.sleep(0.2)
    raise refuse("not_started", "The application did not start.", "What it said stands above.")


def _leave(port: int, model: int, address: str) -> None:
    """Leaves the bookings in the cluster; those that stay are looked at again, for they may be other ones."""
    path = f"/api/models/{model}"
    _called(port, "PUT", f"{path}/connections/cluster", {"name": CONNECTION, "address": address})
    document = _called(port, "GET", path)
    if next(t for t in document["tables"] if t["name"] == FACT)["stays"]:
        _called(port, "POST", f"{path}/tables/look", {"tables": [FACT], "base": document["version"]})
        return
    left = [{"schema": "default", "name": FACT.lower(), "table": FACT}]
    _called(port, "POST", f"{path}/connections/leave", {"name": CONNECTION, "tables": left, "base": document["version"]})


def _called(port: int, method: str, path: str, body: Any = None) -> Any:
    """What an address answers; refuses with what it says is wrong."""
    with closing(HTTPConnection("127.0.0.1", port, timeout=MOST_SECONDS)) as connection:
        connection.request(method, path, None if body is None else json.dumps(body), {"Content-Type": "application/json"})
        answer = connection.getresponse()
        told = json.loads(answer.read())
    if answer.status != 200:
        said = told["errors"][0]
        raise refuse(said["code"], said["message"], said["mend"])
    return told
