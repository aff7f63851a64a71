"""Alembic's entrance: runs on the connection that is handed to it."""

from alembic import context

from nexorem.store.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata)
with context.begin_transaction():
    context.run_migrations()
