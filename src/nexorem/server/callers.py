"""Requests whose callers have gone: what they asked for is not computed to its end."""

from __future__ import annotations

import threading
import weakref

from flask import current_app, request

from nexorem.core.limits import Budget
from nexorem.work.quiet import Quiet

CALLER = "nexorem.caller"  # in the scope of a request


class Caller:
    """Who waits for an answer. Told by the connection that they have gone; safe to share between threads."""

    def __init__(self) -> None:
        self.has_gone = False
        self._budgets: weakref.WeakSet[Budget] = weakref.WeakSet()
        self._lock = threading.Lock()

    def leave(self) -> None:
        """They have gone: every budget that was given for them is spent."""
        with self._lock:
            self.has_gone = True
            budgets = list(self._budgets)
        for budget in budgets:
            budget.cancel()

    def watch(self, budget: Budget) -> None:
        """Spends a budget when they go, at once where they have gone."""
        with self._lock:
            self._budgets.add(budget)
            gone = self.has_gone
        if gone:
            budget.cancel()


def present_caller() -> Caller | None:
    """Who waits for the present request; None where it does not come over the network."""
    caller: Caller | None = request.environ.get("asgi.scope", {}).get(CALLER)
    return caller


def request_budget() -> Budget:
    """What the present request may take; it is spent at once when its caller goes away, and lets shorter requests pass."""
    quiet: Quiet = current_app.extensions["quiet"]
    budget = quiet.persons_budget()
    caller = present_caller()
    if caller is not None:
        caller.watch(budget)
    return budget
