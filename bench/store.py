"""A store of a bench's own, in a folder that goes with it."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from nexorem.store import cluster
from nexorem.store.database import connect, migrate
from nexorem.work.workspace import Workspace


@contextmanager
def workspace_of_a_bench() -> Iterator[Workspace]:
    """A workspace over an empty store, which ends with it."""
    with tempfile.TemporaryDirectory(prefix="nexorem-bench-") as folder:
        Path(folder).chmod(0o755)  # the database runs as a user of its own
        store = cluster.start(Path(folder) / "store")
        try:
            engine = connect(store.url())
            migrate(engine)
            workspace = Workspace(engine, Path(folder))
            yield workspace
            workspace.close()
            engine.dispose()
        finally:
            cluster.stop(store)
