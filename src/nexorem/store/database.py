"""Connecting to the store and bringing its tables up to date."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from alembic.util import CommandError
from sqlalchemy import Connection, Engine, create_engine

from nexorem import __version__
from nexorem.core.diagnostics import refuse

MIGRATIONS = Path(__file__).parent / "migrations"


def connect(url: str) -> Engine:
    """An engine that notices when the server has gone and come back."""
    return create_engine(url, pool_pre_ping=True, pool_size=10, max_overflow=40)


def migrate(engine: Engine, revision: str = "head") -> None:
    """Brings the tables forward to `head`, or back to an older revision: `base` is none at all."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        if revision == "head":
            _refuse_newer(config, connection)
            command.upgrade(config, revision)
        else:
            command.downgrade(config, revision)


def _refuse_newer(config: Config, connection: Connection) -> None:
    """A store whose tables are of a version that this one does not know is left as it is."""
    now = MigrationContext.configure(connection).get_current_revision()
    try:
        if now is not None:
            ScriptDirectory.from_config(config).get_revision(now)
    except CommandError:
        said = f"The store was made by a newer Nexorem (its tables are at {now}; this is {__version__})."
        raise refuse("newer_store", said, "Start that version.") from None
