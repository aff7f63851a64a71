"""One PostgreSQL cluster for the whole run, without syncing; a database for each test, cloned from a migrated one."""

from __future__ import annotations

import atexit
import itertools
import shutil
import tempfile
from functools import cache
from pathlib import Path

from sqlalchemy import text

from nexorem.store import cluster, database

NUMBERS = itertools.count(1)


@cache
def _cluster():
    folder = Path(tempfile.mkdtemp(prefix="nexorem-test-"))
    folder.chmod(0o755)
    made = cluster.start(folder / "store", fast_and_unsafe=True)
    atexit.register(lambda: (cluster.stop(made), shutil.rmtree(folder, ignore_errors=True)))
    engine = database.connect(made.url())
    database.migrate(engine)
    engine.dispose()
    return made


def second_cluster():
    """Another private cluster, for tests that reach into somebody else's database; its address, and how it is stopped."""
    folder = Path(tempfile.mkdtemp(prefix="nexorem-other-"))
    folder.chmod(0o755)
    made = cluster.start(folder / "store", fast_and_unsafe=True)
    return made.url().replace("+psycopg", ""), lambda: (cluster.stop(made), shutil.rmtree(folder, ignore_errors=True))


def fresh_url():
    """The address of a new, migrated, empty database."""
    made = _cluster()
    name = f"test_{next(NUMBERS)}"
    admin = database.connect(made.url().rsplit("/", 1)[0] + "/postgres")
    with admin.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text(f"CREATE DATABASE {name} TEMPLATE nexorem"))
    admin.dispose()
    return made.url().rsplit("/", 1)[0] + f"/{name}"
