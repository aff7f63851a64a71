"""The server with the demo on a loopback port, in a thread of the test run."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from nexorem.server.app import create_app
from nexorem.work.actor import COMMAND_LINE
from tests.server.served import served
from tests.store.cluster import fresh_url

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
RAW = DEMO / "raw"


class Site:
    """An application on a database of its own; `model()` gives a fresh copy of the demo's package."""

    def __init__(self):
        self.app = create_app(fresh_url())
        self.address = served(self.app)

    def model(self):
        """The address of a new model of the demo."""
        return f"{self.address}/m/{self.app.extensions['nexorem'].open(COMMAND_LINE, DEMO)}"

    def demo(self):
        """The address of a new model of the demo, gathered from its raw files, with its steps."""
        return f"{self.address}/m/{self.app.extensions['nexorem'].gather(COMMAND_LINE, sorted(RAW.iterdir()), DEMO / 'steps.json')}"

    def empty(self, title="Trial"):
        """The address of a new model without tables."""
        return f"{self.address}/m/{self.app.extensions['nexorem'].new(COMMAND_LINE, title)}"


@cache
def site():
    """The one site of the run."""
    return Site()
