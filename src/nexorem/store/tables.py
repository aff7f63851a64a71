"""The store's tables. Changed only together with a migration."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Column,
    DateTime,
    Float,
    ForeignKey,
    Integer,
    LargeBinary,
    MetaData,
    Table,
    Text,
    func,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

metadata = MetaData()

# A model as it stands. `version` grows with every change, undo and redo among them; `position` is the number of the
# newest edit that is in force.
model = Table(
    "model",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("document", JSONB, nullable=False),
    Column("version", BigInteger, nullable=False, server_default="0"),
    Column("position", BigInteger, nullable=False, server_default="0"),
    Column("created_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# The edits of a model in order, each with its inverse and its author.
edit = Table(
    "edit",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("number", BigInteger, primary_key=True),
    Column("author", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("change", JSONB, nullable=False),
    Column("inverse", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# What each version changed: an edit done, undone or redone.
change = Table(
    "change",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("version", BigInteger, primary_key=True),
    Column("direction", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("author", Text, nullable=False),
    Column("touches", ARRAY(Text), nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# Loads: the rows of a table as they were read. A table of a model names the one that is in force; the others are its
# history. `state` is `kept`, or `held` for one that would break something and waits for a choice.
load = Table(
    "load",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("table_name", Text, nullable=False),
    Column("size", BigInteger, nullable=False),
    Column("columns", JSONB, nullable=False),
    Column("source", JSONB, nullable=False, server_default="{}"),
    Column("report", JSONB, nullable=False, server_default="{}"),
    Column("seconds", Float, nullable=False, server_default="0"),
    Column("author", Text, nullable=False, server_default=""),
    Column("state", Text, nullable=False, server_default="kept"),
    Column("loaded_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# The rows of each load, a column and part at a time, as Arrow.
load_part = Table(
    "load_part",
    metadata,
    Column("load_id", Integer, ForeignKey("load.id", ondelete="CASCADE"), primary_key=True),
    Column("column_name", Text, primary_key=True),
    Column("part", Integer, primary_key=True),
    Column("dtype", Text, nullable=False),
    Column("data", LargeBinary, nullable=False),
)

# Ways to databases. A password is kept encrypted, with a key that is not part of the store, or not at all.
connection = Table(
    "connection",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("name", Text, primary_key=True),
    Column("access", JSONB, nullable=False),
    Column("password", LargeBinary),
)

# When tables are loaded again by themselves; the table `*` stands for all.
schedule = Table(
    "schedule",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("table_name", Text, primary_key=True),
    Column("minutes", Integer, nullable=False),
    Column("next_at", DateTime(timezone=True), nullable=False),
    Column("last_at", DateTime(timezone=True)),
    Column("last_result", Text, nullable=False, server_default=""),
)
