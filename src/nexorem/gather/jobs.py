"""Readings that are under way: a process each, followed by a thread, to be looked at and ended at any moment."""

from __future__ import annotations

import json
import secrets
import subprocess
import tempfile
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nexorem.core.diagnostics import Diagnostic, refuse
from nexorem.gather.frame import Frame
from nexorem.gather.readers import Readers
from nexorem.gather.transfer import read_frame

MOST_SECONDS = 1800.0
KEPT_SECONDS = 3600.0
MOST_KEPT = 20
MOST_READERS = 30


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
    errors: list[dict[str, Any]] = field(default_factory=list)
    table: str | None = None  # the table that it is to replace

    def state_json(self, now: float) -> dict[str, Any]:
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

    def __init__(self, owner: int, request: Mapping[str, Any], readers: Readers | None = None) -> None:
        self.readers = readers or Readers()
        self.id, self.owner = secrets.token_urlsafe(9), owner
        # Removed when the reading is dropped, and at the latest when this process ends.
        self._temporary = tempfile.TemporaryDirectory(prefix="nexorem-", ignore_cleanup_errors=True)
        self.folder = Path(self._temporary.name)
        self.items: list[Item] = [Item(x["name"], dict(x["source"]), table=x.get("table")) for x in request.get("items", [])]
        self.state = "running"  # running, done, cancelled
        self.started = self.ended = time.monotonic()
        self.lock = threading.Lock()
        self.request = dict(request)
        self.complete = False  # the last reader came to its end
        self.looking = ""  # the file that is looked into
        self.unseen: list[str] = list(request.get("discover", []))
        self.process = self._begin()
        self.thread = threading.Thread(target=self._follow, daemon=True)
        self.thread.start()

    def _begin(self) -> subprocess.Popen[str]:
        """Starts a reader for what has not been read yet."""
        process = self.readers.take()
        waiting = [i for i in self.items if i.state == "waiting"]
        first = self.items.index(waiting[0]) if waiting else len(self.items)
        sent = {
            "items": [{"name": i.name, "source": i.source} for i in waiting],
            "discover": self.unseen,
            "first": first,
            "access": self.request.get("access", {}),
            "files": str(self.request["files"]),
            "out": str(self.folder),
        }
        assert process.stdin
        try:
            process.stdin.write(json.dumps(sent))
            process.stdin.close()
        except BrokenPipeError:
            pass  # what went wrong is told by its end
        return process

    def _follow(self) -> None:
        """Hears one reader to its end; where it ends early, what it was reading has failed, and another one reads the rest."""
        until = self.started + MOST_SECONDS
        for _ in range(MOST_READERS):
            timer = threading.Timer(max(until - time.monotonic(), 0), self.process.kill)
            timer.start()
            try:
                assert self.process.stdout
                for line in self.process.stdout:
                    self._hear(json.loads(line))
            finally:
                timer.cancel()
                assert self.process.stdout
                self.process.stdout.close()
                self.process.wait()
            with self.lock:
                late = time.monotonic() >= until
                early = self.state == "running" and not self.complete
                if early:
                    self._fail("reading", late)
                more = early and not late and (self.unseen or any(i.state == "waiting" for i in self.items))
                if more:
                    self.process = self._begin()
            if not more:
                break
        self._finish()

    def _fail(self, state: str, late: bool) -> None:
        """Tables in this state were not read, and say so."""
        said = "The reader ended before it was done: the file may be broken, or take too much memory."
        message = f"Reading took longer than {MOST_SECONDS / 60:g} minutes." if late else said
        if state == "reading" and not any(i.state == "reading" for i in self.items) and self.looking:
            self.items.append(Item(self.looking, {"file": self.looking}, state="reading"))
        for item in self.items:
            if item.state == state:
                item.state = "failed"
                item.errors = [Diagnostic("reader_ended", message, place=item.name, hint="Nothing was taken of it.").as_json()]
        self.looking = ""

    def _hear(self, event: dict[str, Any]) -> None:
        with self.lock:
            kind, place = event["event"], event.get("place", -1)
            if kind == "file":
                self.unseen.remove(event["name"])
                self.looking = event["name"]
            elif kind == "item":
                self.looking = ""
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
                item.report, item.source, item.key = event["report"], event["source"], event["key"]
            elif kind == "error":
                self.items[place].state, self.items[place].errors = "failed", event["errors"]
            elif kind == "end":
                self.complete = True

    def _finish(self) -> None:
        with self.lock:
            self.ended = time.monotonic()
            if self.state == "running":
                if not self.complete:
                    self._fail("waiting", self.ended - self.started >= MOST_SECONDS)
                self.state = "done"

    def cancel(self) -> None:
        """Ends the reading; nothing of it is kept."""
        with self.lock:
            self.state = "cancelled"
        self.process.kill()
        self.thread.join(5)
        self._temporary.cleanup()

    def wait(self, seconds: float = MOST_SECONDS) -> None:
        """Until it has ended."""
        self.thread.join(seconds)

    def item(self, place: int) -> Item:
        """A table of it by its number; refuses a number that none has."""
        if not 0 <= place < len(self.items):
            raise refuse("unknown_reading", f"The reading has no table number {place}.", "Look at the reading again.")
        return self.items[place]

    def frame(self, place: int) -> Frame:
        """The rows of a table that was read; refuses when it was not, or when the reading was dropped, even while they are fetched."""
        item = self.item(place)
        if item.state == "read" and self.state != "cancelled":
            try:
                return read_frame(self.folder / str(place))
            except (OSError, ValueError):
                if self.state != "cancelled" and self.folder.exists():
                    raise
        raise refuse("not_read", f"{item.name} was not read, or is no longer here.", "Read it again.")

    def state_json(self) -> dict[str, Any]:
        """For screens."""
        with self.lock:
            now = time.monotonic()
            return {
                "id": self.id,
                "state": self.state,
                "seconds": round((self.ended if self.state != "running" else now) - self.started, 2),
                "items": [i.state_json(now) for i in self.items],
            }


class Jobs:
    """The readings of a server: the newest stay for an hour."""

    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self.readers = Readers()
        self._lock = threading.Lock()

    def start(self, owner: int, request: Mapping[str, Any]) -> Job:
        """A new reading."""
        job = Job(owner, request, self.readers)
        with self._lock:
            self._jobs[job.id] = job
            old = [j for j in self._jobs.values() if j.state != "running" and time.monotonic() - j.ended > KEPT_SECONDS]
            done = [j for j in self._jobs.values() if j.state != "running"]
            for gone in [*old, *done[: max(len(done) - MOST_KEPT, 0)]]:
                if self._jobs.pop(gone.id, None):
                    gone.cancel()
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
        if not owners:
            self.readers.close()
