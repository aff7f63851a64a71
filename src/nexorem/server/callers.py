"""Requests whose callers have gone: what they asked for is not computed to its end."""

from __future__ import annotations

import contextlib
import select
import socket
import threading
import time
import weakref
from typing import Any

from flask import request

from nexorem.core.limits import Budget
from nexorem.work.workspace import Workspace

EVERY = 0.2  # seconds between two looks
_watched: weakref.WeakKeyDictionary[Budget, Any] = weakref.WeakKeyDictionary()
_lock = threading.Lock()
_watcher: list[threading.Thread] = []


def watch(connection: Any, budget: Budget) -> None:
    """Cancels a budget when the other end of its request's connection is closed; without a connection, never."""
    if connection is None:
        return
    with _lock:
        _watched[budget] = connection
        if not _watcher or not _watcher[0].is_alive():
            _watcher[:] = [threading.Thread(target=_look, name="callers", daemon=True)]
            _watcher[0].start()


def request_budget(workspace: Workspace) -> Budget:
    """What the present request may take; it is spent at once when its caller goes away."""
    budget = workspace.budget()
    watch(request.environ.get("gunicorn.socket"), budget)
    return budget


def _look() -> None:
    while True:
        time.sleep(EVERY)
        with _lock:
            held = list(_watched.items())
        for budget, connection in held:
            if has_gone(connection):
                budget.cancel()
                with _lock:
                    _watched.pop(budget, None)


def has_gone(connection: socket.socket) -> bool:
    """Whether the other end is closed: there is something to read, and it is nothing."""
    with contextlib.suppress(ValueError):
        try:
            ready, _, _ = select.select([connection], [], [], 0)
            return bool(ready) and connection.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True
    return True
