"""The store's tables. Changed only together with a migration."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    DateTime,
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
    "model", metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("document", JSONB, nullable=False),
    Column("version", BigInteger, nullable=False, server_default="0"),
    Column("position", BigInteger, nullable=False, server_default="0"),
    Column("created_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)  # fmt: skip

# The edits of a model in order, each with its inverse and its author.
edit = Table(
    "edit", metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("number", BigInteger, primary_key=True),
    Column("author", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("change", JSONB, nullable=False),
    Column("inverse", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)  # fmt: skip

# What each version changed: an edit done, undone or redone.
change = Table(
    "change", metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("version", BigInteger, primary_key=True),
    Column("direction", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("author", Text, nullable=False),
    Column("touches", ARRAY(Text), nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)  # fmt: skip

# The rows of each table, a column and part at a time, as Arrow.
table_rows = Table(
    "table_rows", metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("table_name", Text, primary_key=True),
    Column("size", BigInteger, nullable=False),
)  # fmt: skip

column_part = Table(
    "column_part", metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("table_name", Text, primary_key=True),
    Column("column_name", Text, primary_key=True),
    Column("part", Integer, primary_key=True),
    Column("dtype", Text, nullable=False),
    Column("last", Boolean, nullable=False),
    Column("data", LargeBinary, nullable=False),
)  # fmt: skip
