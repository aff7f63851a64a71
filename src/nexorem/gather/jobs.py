"""Readings that are under way: a process each, followed by a thread, to be looked at and ended at any moment."""

from __future__ import annotations

import json
import os
import secrets
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nexorem.core.diagnostics import Diagnostic, refuse
from nexorem.gather.frame import Frame
from nexorem.gather.transfer import read_frame

MOST_SECONDS = 1800.0
KEPT_SECONDS = 3600.0
MOST_KEPT = 20


@dataclass(slots=True)
class Item:
    """One table of a reading. `state`: waiting, reading, read, failed."""

    name: str
    source: dict[str, Any]
    state: str = "waiting"
    rows: int = 0
    share: float = 0.0
    started: float = 0.0
    report: dict[str, Any] | None = None
    key: list[str] = field(default_factory=list)
    size: int = 0
    columns: list[dict[str, Any]] = field(default_factory=list)
    errors: list[dict[str, Any]] = field(default_factory=list)
    table: str | None = None  # the table that it is to replace

    def told(self, now: float) -> dict[str, Any]:
        """For screens."""
        left = None
        if self.state == "reading" and self.share > 0.02:
            left = round((now - self.started) * (1 - self.share) / self.share, 1)
        return {
            "name": self.name,
            "source": self.source,
            "state": self.state,
            "rows": self.rows,
            "share": self.share,
            "seconds_left": left,
            "report": self.report,
            "key": self.key,
            "errors": self.errors,
            "table": self.table,
        }


class Job:
    """One reading."""

    def __init__(self, owner: int, asked: Mapping[str, Any]) -> None:
        self.id, self.owner = secrets.token_urlsafe(9), owner
        self.folder = Path(tempfile.mkdtemp(prefix="nexorem-"))
        self.items: list[Item] = [Item(x["name"], dict(x["source"]), table=x.get("table")) for x in asked.get("items", [])]
        self.state = "running"  # running, done, cancelled
        self.started = self.ended = time.monotonic()
        self.lock = threading.Lock()
        environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "nexorem.gather.worker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
            env=environment,
            cwd=self.folder,
        )
        sent = {
            "items": [{"name": i.name, "source": i.source} for i in self.items],
            "discover": asked.get("discover", []),
            "access": asked.get("access", {}),
            "files": str(asked["files"]),
            "out": str(self.folder),
        }
        self.thread = threading.Thread(target=self._follow, args=(json.dumps(sent),), daemon=True)
        self.thread.start()

    def _follow(self, sent: str) -> None:
        assert self.process.stdin and self.process.stdout
        timer = threading.Timer(MOST_SECONDS, self.process.kill)
        timer.start()
        try:
            try:
                self.process.stdin.write(sent)
                self.process.stdin.close()
            except BrokenPipeError:
                pass  # what went wrong is told below
            for line in self.process.stdout:
                self._hear(json.loads(line))
        finally:
            timer.cancel()
            self.process.stdout.close()
            self.process.wait()
            self._finish()

    def _hear(self, event: dict[str, Any]) -> None:
        with self.lock:
            kind, place = event["event"], event.get("place", -1)
            if kind == "item":
                while len(self.items) <= place:
                    self.items.append(Item("", {}))
                item = self.items[place]
                item.name, item.source = event["name"], event["source"]
                item.state, item.started = "reading", time.monotonic()
            elif kind == "progress":
                self.items[place].rows, self.items[place].share = event["rows"], event["share"]
            elif kind == "read":
                item = self.items[place]
                item.state, item.share, item.rows, item.size = "read", 1.0, event["size"], event["size"]
                item.report, item.source, item.key, item.columns = event["report"], event["source"], event["key"], event["columns"]
            elif kind == "error":
                self.items[place].state, self.items[place].errors = "failed", event["errors"]
            elif kind == "end":
                self.state = "done"

    def _finish(self) -> None:
        with self.lock:
            self.ended = time.monotonic()
            if self.state == "running":
                self.state = "done"
                late = self.ended - self.started >= MOST_SECONDS
                message = (
                    f"Reading took longer than {MOST_SECONDS / 60:g} minutes."
                    if late
                    else "The reader ended before it was done: the file may be broken, or take too much memory."
                )
                for item in self.items or [Item("", {})]:
                    if item.state in ("waiting", "reading"):
                        item.state = "failed"
                        item.errors = [Diagnostic("reader_ended", message, place=item.name, hint="Nothing was taken of it.").as_json()]

    def cancel(self) -> None:
        """Ends the reading; nothing of it is kept."""
        with self.lock:
            self.state = "cancelled"
        self.process.kill()
        self.thread.join(5)
        shutil.rmtree(self.folder, ignore_errors=True)

    def wait(self, seconds: float = MOST_SECONDS) -> None:
        """Until it has ended."""
        self.thread.join(seconds)

    def frame(self, place: int) -> Frame:
        """The rows of a table that was read."""
        item = self.items[place]
        if item.state != "read" or self.state == "cancelled":
            raise refuse("not_read", f"{item.name} was not read.", "Read it again.")
        return read_frame(item.size, item.columns, self.folder / str(place))

    def told(self) -> dict[str, Any]:
        """For screens."""
        with self.lock:
            now = time.monotonic()
            return {
                "id": self.id,
                "state": self.state,
                "seconds": round((self.ended if self.state != "running" else now) - self.started, 2),
                "items": [i.told(now) for i in self.items],
            }


class Jobs:
    """The readings of a server: the newest stay for an hour."""

    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()

    def start(self, owner: int, asked: Mapping[str, Any]) -> Job:
        """A new reading."""
        job = Job(owner, asked)
        with self._lock:
            self._jobs[job.id] = job
            old = [j for j in self._jobs.values() if j.state != "running" and time.monotonic() - j.ended > KEPT_SECONDS]
            done = [j for j in self._jobs.values() if j.state != "running"]
            for gone in [*old, *done[: max(len(done) - MOST_KEPT, 0)]]:
                self._jobs.pop(gone.id, None)
                shutil.rmtree(gone.folder, ignore_errors=True)
        return job

    def get(self, owner: int, job_id: str) -> Job:
        """A reading by its name; refuses one that is not this model's, or no longer there."""
        job = self._jobs.get(job_id)
        if job is None or job.owner != owner:
            raise refuse("unknown_reading", "This reading is no longer here.", "Read the files again.")
        return job

    def drop(self, job: Job) -> None:
        """Ends and forgets a reading."""
        with self._lock:
            self._jobs.pop(job.id, None)
        job.cancel()

    def close(self, owners: Sequence[int] = ()) -> None:
        """Ends all, or those of some models."""
        for job in list(self._jobs.values()):
            if not owners or job.owner in owners:
                self.drop(job)
