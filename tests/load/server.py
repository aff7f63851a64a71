"""A server with the demo in a process of its own."""

from __future__ import annotations

import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path


@contextmanager
def demo_served() -> Iterator[int]:
    """Its port; the server and its folder go at the end."""
    with closing(socket.socket()) as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)  # the database runs as a user of its own
        asked = ["demo", "--no-sign-in", "--port", str(port), "--data", str(Path(folder) / "data")]
        with subprocess.Popen([sys.executable, "-m", "nexorem.cli.main", *asked], stdout=subprocess.PIPE, text=True) as server:
            try:
                assert server.stdout and server.stdout.readline()
                yield port
            finally:
                server.terminate()
