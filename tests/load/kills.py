"""Kills at random moments, of the worker, the launcher, PostgreSQL and all of them, while edits are made and files sent in. Run by hand:

    python -m tests.load.kills [--kills 200] [--seed 1]

It says how long each was away, and fails where an edit that was acknowledged is lost or stands twice, a start needs help, or something
half-made stays.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import closing, suppress
from http.client import HTTPConnection, HTTPException
from pathlib import Path

KINDS = ("worker", "launcher", "PostgreSQL", "all")
AWAY = 60.0  # seconds that it may take to be back at most


class Victim:
    """The application in a folder of its own."""

    def __init__(self, folder: Path) -> None:
        self.data, self.log = folder / "data", folder / "log"
        with closing(socket.socket()) as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.launch()

    def launch(self) -> None:
        """Starts it."""
        command = [sys.executable, "-m", "nexorem.cli.main", "demo", "--no-sign-in", "--port", str(self.port), "--data", str(self.data)]
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(command, stdout=log, stderr=log, start_new_session=True)

    def kill(self, kind: str) -> None:
        """Kills a part of it, or all."""
        children = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        workers = [int(p) for p in children if "postgres" not in Path(f"/proc/{p}/comm").read_text()]
        store = []
        with suppress(FileNotFoundError):  # it is just being started again
            store = [int((self.data / "store" / "database" / "postmaster.pid").read_text().split()[0])]
        pids = {"worker": workers, "launcher": [self.process.pid], "PostgreSQL": store, "all": [*workers, self.process.pid, *store]}[kind]
        for pid in pids:
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        if kind in ("launcher", "all"):
            self.process.wait()
            while any(Path(f"/proc/{p}").exists() for p in workers):  # a worker ends by itself when its launcher is gone
                time.sleep(0.02)
            self.launch()

    def call(self, method: str, path: str, body: bytes | None = None, kind: str = "application/json") -> tuple[int, bytes]:
        """An answer; raises where none comes."""
        with closing(HTTPConnection("127.0.0.1", self.port, timeout=30)) as connection:
            connection.request(method, f"/api/models{path}", body, {"Content-Type": kind} if body else {})
            answer = connection.getresponse()
            return answer.status, answer.read()

    def document(self) -> dict[str, object] | None:
        """The model, if it answers."""
        with suppress(OSError, HTTPException, ValueError):
            status, told = self.call("GET", "/1")
            if status == 200:
                return dict(json.loads(told))
        return None

    def back(self) -> float:
        """How many seconds until it answers again."""
        start = time.monotonic()
        while time.monotonic() - start < AWAY:
            if self.document():
                return time.monotonic() - start
            time.sleep(0.05)
        last = "\n".join(self.log.read_text(errors="replace").splitlines()[-400:])
        raise AssertionError(f"It does not answer after {AWAY:.0f} seconds; the last that it said:\n{last}")


class Editor(threading.Thread):
    """Makes edits all the time, and sends files; `made` are those that were acknowledged, `unsure` those that nobody answered."""

    def __init__(self, victim: Victim) -> None:
        super().__init__(daemon=True)
        self.victim, self.over = victim, threading.Event()
        self.made: list[str] = []
        self.unsure: set[str] = set()

    def run(self) -> None:
        """Until it is over."""
        number = 0
        while not self.over.is_set():
            document = self.victim.document()
            if document is None:
                time.sleep(0.05)
                continue
            number += 1
            name = f"m_{number}"
            change = {"kind": "add_measure", "measure": {"name": name, "formula": "1", "trial": True}}
            body = json.dumps({"edit": change, "base": document["version"]}).encode()
            try:
                status, _ = self.victim.call("POST", "/1/edits", body)
                if status == 200:
                    self.made.append(name)
                elif status >= 500:
                    self.unsure.add(name)
                if number % 5 == 0:
                    self.victim.call("PUT", f"/1/files?name=f{number % 3}.csv", b"a,b\n" * 300_000, "text/csv")
            except (OSError, HTTPException):
                self.unsure.add(name)


def main() -> int:
    """1 where something is wrong."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--kills", type=int, default=200)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    r = random.Random(given.seed)
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        Path(folder).chmod(0o755)
        victim = Victim(Path(folder))
        victim.back()
        editor = Editor(victim)
        editor.start()
        away: dict[str, list[float]] = {kind: [] for kind in KINDS}
        try:
            for _ in range(given.kills):
                kind = r.choice(KINDS)
                time.sleep(r.uniform(0.05, 2.0))
                victim.kill(kind)
                print(kind, end=": ", flush=True)
                away[kind].append(victim.back())
                print(f"{away[kind][-1]:.1f} s", flush=True)
            editor.over.set()
            editor.join(60)
            wrong = judged(victim, editor)
        finally:
            os.kill(victim.process.pid, signal.SIGINT)
            victim.process.wait(30)
    for kind, seconds in away.items():
        if seconds:
            print(
                f"{kind}: {len(seconds)} kills, away {sorted(seconds)[len(seconds) // 2]:.1f} s at the median, {max(seconds):.1f} s at most"
            )
    print(f"{len(editor.made)} edits were acknowledged, {len(editor.unsure)} were not answered.")
    print("\n".join(wrong) or "Nothing is lost, doubled or left behind.")
    return 1 if wrong else 0


def judged(victim: Victim, editor: Editor) -> list[str]:
    """What is wrong."""
    victim.back()
    document = victim.document()
    assert document
    there = Counter(m["name"] for m in document["measures"] if m["name"].startswith("m_"))  # type: ignore[attr-defined]
    wrong = [f"{n} was acknowledged and is lost" for n in editor.made if n not in there]
    wrong += [f"{n} stands {c} times" for n, c in there.items() if c > 1]
    wrong += [f"{n} was refused and stands" for n in there if n not in editor.made and n not in editor.unsure]
    victim.kill("all")
    victim.back()
    left = [*(victim.data / "files").glob("*/.*.part"), *(victim.data / "temporary").iterdir()]
    return wrong + [f"{p.name} is left behind" for p in left if time.time() - p.stat().st_mtime > 5]


if __name__ == "__main__":
    sys.exit(main())
