"""Others' edits: one connection listens to the store, and whoever follows a model hears of what is new in it."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import psycopg

from nexorem.store.models import CHANNEL

FIRST_SECONDS = 5.0  # that a follower waits for the store to be listened to

Hear = Callable[[str], object]


class Events:
    """Hands the store's notices to those who follow a model. Safe to share between threads."""

    def __init__(self, url: str) -> None:
        self._url = url.replace("+psycopg", "")
        self._followers: dict[int, list[Hear]] = {}
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._listening = threading.Event()

    @contextmanager
    def followed(self, model_id: int, hear: Hear) -> Iterator[None]:
        """While it is entered, `hear` is called with each event, as it is sent, from another thread."""
        with self._lock:
            self._followers.setdefault(model_id, []).append(hear)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, name="events", daemon=True)
                self._thread.start()
        try:
            yield
        finally:
            with self._lock:
                mine = self._followers[model_id]
                mine.remove(hear)
                if not mine:
                    del self._followers[model_id]

    def followers(self) -> int:
        """How many there are."""
        with self._lock:
            return sum(map(len, self._followers.values()))

    def wait(self) -> None:
        """Returns when the store is listened to, or after some seconds: what comes afterwards is heard."""
        self._listening.wait(FIRST_SECONDS)

    def _listen(self) -> None:
        """Listens for ever; connects anew when the store went away."""
        while True:
            try:
                with psycopg.connect(self._url, autocommit=True) as connection:
                    connection.execute(f"LISTEN {CHANNEL}")
                    self._listening.set()
                    for notice in connection.notifies():
                        self._hand_out(notice.payload)
            except psycopg.Error:
                self._listening.clear()
                time.sleep(1.0)

    def _hand_out(self, payload: str) -> None:
        model_id, what = payload.split(":")
        with self._lock:
            for hear in self._followers.get(int(model_id), []):
                hear(event(what))


def event(what: str) -> str:
    """A notice as windows read it: a number is a version, anything else the part of the model that is new."""
    if what.isdigit():
        return f"event: version\ndata: {json.dumps({'version': int(what)})}\n\n"
    return f"event: {what}\ndata: {{}}\n\n"
