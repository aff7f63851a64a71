"""An application behind the entrance that it has when it is served, in a thread of the test run."""

from __future__ import annotations

import logging
import threading

import uvicorn

from nexorem.server.entrance import Entrance
from nexorem.server.worker import SETTINGS
from tests.waiting import until

logging.getLogger("uvicorn.error").setLevel(logging.CRITICAL)


def served(app):
    """The address of an application, on a port of loopback, as long as the run."""
    config = uvicorn.Config(
        Entrance(app, app.extensions["events"]), host="127.0.0.1", port=0, log_config=None, access_log=False, **SETTINGS
    )
    server = uvicorn.Server(config)
    threading.Thread(target=server.run, daemon=True).start()
    until(lambda: server.started)
    return f"http://127.0.0.1:{server.servers[0].sockets[0].getsockname()[1]}"
