"""Connecting to the store and bringing its tables up to date."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine

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
            command.upgrade(config, revision)
        else:
            command.downgrade(config, revision)
