"""Others' edits: one connection listens to the store, and each open window has a queue."""

from __future__ import annotations

import json
import queue
import threading
import time
from collections.abc import Callable, Iterator

import psycopg

from nexorem.store.models import CHANNEL

FIRST_SECONDS = 5.0  # that a window waits for the store to be listened to
BEAT_SECONDS = 15.0


class Events:
    """Hands the store's notices to the windows that are open."""

    def __init__(self, url: str) -> None:
        self._url = url.replace("+psycopg", "")
        self._queues: dict[int, list[queue.Queue[str]]] = {}
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._listening = threading.Event()

    def stream(self, model_id: int, version: Callable[[], int]) -> Iterator[str]:
        """Server-sent events of one window: the version it starts from, then each new one, and what else is new of the model: `checks` and
        `coverage`. The first is asked for when all that come after it are heard."""
        waiting: queue.Queue[str] = queue.Queue()
        with self._lock:
            self._queues.setdefault(model_id, []).append(waiting)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, daemon=True)
                self._thread.start()
        try:
            self._listening.wait(FIRST_SECONDS)
            yield f"event: version\ndata: {json.dumps({'version': version()})}\n\n"
            while True:
                try:
                    yield _event(waiting.get(timeout=BEAT_SECONDS))
                except queue.Empty:
                    yield ": still here\n\n"
        finally:
            with self._lock:
                self._queues[model_id].remove(waiting)

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
            for waiting in self._queues.get(int(model_id), []):
                waiting.put(what)


def _event(what: str) -> str:
    """A notice as windows read it: a number is a version, anything else the part of the model that is new."""
    if what.isdigit():
        return f"event: version\ndata: {json.dumps({'version': int(what)})}\n\n"
    return f"event: {what}\ndata: {{}}\n\n"
