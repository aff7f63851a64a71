"""Whose turn it is: work in the background lets people go first, and whoever has asked for long lets those go first who have just come."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from nexorem.core.limits import Budget, Limits

MOST_SECONDS = 1.0  # that the background waits at a time
SHORT_SECONDS = 0.3  # a request is a short one for so long


class Quiet:
    """Knows whether people wait for answers, and since when. `clock` tells seconds that never run back."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.now = clock
        self._since: dict[int, float] = {}  # when the requests began that wait for an answer, each in a thread of its own
        self._waited = threading.local()
        self._changed = threading.Condition()

    def __enter__(self) -> None:
        """Somebody waits."""
        with self._changed:
            self._since[threading.get_ident()] = self.now()

    def __exit__(self, *_: object) -> None:
        """They have their answer."""
        with self._changed:
            self._since.pop(threading.get_ident(), None)
            self._changed.notify_all()

    def clock(self) -> float:
        """The seconds of a clock for what is done in the background, which is read between two blocks of work: it lets people go first, and
        does not count the time that they take."""
        before = self.now()
        self.wait()
        self._waited.seconds = getattr(self._waited, "seconds", 0.0) + self.now() - before
        return self.now() - float(self._waited.seconds)

    def budget(self) -> Budget:
        """What one answer in the background may take: one thread, and people's requests first."""
        return Budget(Limits(workers=1), self.clock)

    def wait(self) -> None:
        """Returns when nobody waits, or after a second."""
        with self._changed:
            self._changed.wait_for(lambda: not self._since, MOST_SECONDS)

    def persons_budget(self) -> Budget:
        """What one answer to a person may take."""
        return Budget(Limits(), Turn(self).clock)

    def let_pass(self, most: float) -> None:
        """Returns when no short request waits, or after so many seconds."""
        until = self.now() + most
        with self._changed:
            while True:
                now = self.now()
                short = [left for begun in self._since.values() if (left := begun + SHORT_SECONDS - now) > 0]
                if not short or now >= until:
                    return
                self._changed.wait(min(until - now, max(short)))


class Turn:
    """A person's request among others: after `SHORT_SECONDS` it lets short ones pass between two blocks of work, at each for no longer than
    it has worked itself since the last time, so that it takes twice as long at most."""

    def __init__(self, quiet: Quiet) -> None:
        self.quiet = quiet
        self._begun = self._resumed = quiet.now()
        self._waited = 0.0
        self._thread = threading.get_ident()

    def clock(self) -> float:
        """The seconds of a clock that is read between two blocks of work; what others took is not counted."""
        now = self.quiet.now()
        if now - self._begun > SHORT_SECONDS and threading.get_ident() == self._thread:
            self.quiet.let_pass(now - self._resumed)
            self._resumed = self.quiet.now()
            self._waited += self._resumed - now
        return self.quiet.now() - self._waited
