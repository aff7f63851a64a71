"""The process that answers, under the one that starts it again when it ends."""

from __future__ import annotations

import os
import resource
import threading
import time
from typing import Any

from uvicorn_worker import UvicornWorker  # type: ignore[import-untyped]

from nexorem.server.entrance import MOST_HEAD, Patient

LEAVING_SECONDS = 2  # for what is under way when the server ends
SETTINGS: dict[str, Any] = {
    "loop": "asyncio",
    "http": Patient,
    "ws": "none",
    "lifespan": "off",
    "proxy_headers": False,
    "server_header": False,
    "h11_max_incomplete_event_size": MOST_HEAD,
    "timeout_graceful_shutdown": LEAVING_SECONDS,
}


EVERY = 0.25  # seconds between two looks at whether the launcher is there


def end_with_launcher() -> None:
    """Ends this process at once when the one that started it is gone: the next one waits for the folder that both hold."""
    launcher = os.getppid()

    def look() -> None:
        while os.getppid() == launcher:
            time.sleep(EVERY)
        os._exit(1)

    threading.Thread(target=look, name="launcher", daemon=True).start()


class Worker(UvicornWorker):  # type: ignore[misc]
    """Serves the entrance."""

    CONFIG_KWARGS = SETTINGS

    def init_process(self) -> None:
        """Begins, and serves until it is told to end."""
        end_with_launcher()
        most = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))  # each open window is a file
        super().init_process()
