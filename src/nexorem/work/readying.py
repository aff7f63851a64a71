"""Makes large models ready in the background as they come into memory, so that nobody waits for it at the first question."""

from __future__ import annotations

import logging
import queue
import threading
import weakref

from nexorem.core.engine.ready import steps
from nexorem.core.model.derived import Derived
from nexorem.core.model.star import Star
from nexorem.work.background import ask_for_little
from nexorem.work.memory import Memory
from nexorem.work.quiet import Quiet

log = logging.getLogger("nexorem")
SHARE = 0.5  # of the bound on memory: beyond it nothing is derived that nobody asked for


class Readying:
    """A thread that makes ready whatever a memory is given. What is derived of rows is shared by the states of a model: after an edit only
    what is new is made ready, and the probes are not asked again."""

    def __init__(self, memory: Memory, quiet: Quiet) -> None:
        self.memory, self.quiet = memory, quiet
        self._opened: queue.SimpleQueue[weakref.ref[Star]] = queue.SimpleQueue()
        self._ready: weakref.WeakSet[Derived] = weakref.WeakSet()
        memory.opened = lambda star: self._opened.put(weakref.ref(star))
        threading.Thread(target=self._run, name="nexorem-ready", daemon=True).start()

    def _run(self) -> None:
        ask_for_little()
        while True:
            star = self._opened.get()()
            if star is not None:
                try:
                    self._make_ready(star)
                except Exception:
                    log.exception("a model could not be made ready")

    def _make_ready(self, star: Star) -> None:
        is_new = star.derived not in self._ready
        self._ready.add(star.derived)
        for step in steps(star, self.quiet.budget, is_new):
            self.quiet.wait()
            if self.memory.bytes() > SHARE * self.memory.most:
                return
            step()
