"""Processes that read files: one is kept ready for whoever brings files next, as much of a short reading is its start."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading

IDLE = 300.0  # seconds after which a reader that nobody needs ends


class Readers:
    """Starts readers, each of which waits for its request on standard input. One may stand ready; it ends by itself with this process, and
    when it was not needed for `idle` seconds."""

    def __init__(self, idle: float = IDLE) -> None:
        self.idle = idle
        self._ready: subprocess.Popen[str] | None = None
        self._timer: threading.Timer | None = None
        self._lock = threading.Lock()

    def make_ready(self) -> None:
        """Lets one stand ready, from now on for some time."""
        with self._lock:
            if self._ready is None or self._ready.poll() is not None:
                self._ready = _started()
            self._wait()

    def take(self) -> subprocess.Popen[str]:
        """The one that stands ready, or a new one."""
        with self._lock:
            ready, self._ready = self._ready, None
            self._rest()
        if ready is not None and ready.poll() is not None:
            ready.communicate()
            ready = None
        return ready or _started()

    def close(self) -> None:
        """Ends the one that stands ready."""
        with self._lock:
            ready, self._ready = self._ready, None
            self._rest()
        if ready is not None:
            ready.kill()
            ready.communicate()

    def _wait(self) -> None:
        self._rest()
        self._timer = threading.Timer(self.idle, self.close)
        self._timer.daemon = True
        self._timer.start()

    def _rest(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None


def _started() -> subprocess.Popen[str]:
    environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": os.pathsep.join(p for p in sys.path if p)}
    command = [sys.executable, "-m", "nexorem.gather.worker"]
    return subprocess.Popen(
        command,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        env=environment,
        cwd=tempfile.gettempdir(),
    )
