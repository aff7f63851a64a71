"""The store's tables. Changed only together with a migration."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
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
# newest edit that is in force. One that was removed stays for some days under another name.
model = Table(
    "model",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("document", JSONB, nullable=False),
    Column("version", BigInteger, nullable=False, server_default="0"),
    Column("position", BigInteger, nullable=False, server_default="0"),
    Column("created_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("removed_at", DateTime(timezone=True)),
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

# What came of checks, by what they were computed from: the same digest, the same outcome.
outcome = Table(
    "outcome",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("digest", Text, primary_key=True),
    Column("outcome", JSONB, nullable=False),
    Column("seconds", Float, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# How each check of a model stands, as of a version: `position` is the newest edit then; `stands_on` the tables, links and measures that it
# depends on; `at` the first cell where it fails.
check_state = Table(
    "check_state",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("name", Text, primary_key=True),
    Column("version", BigInteger, nullable=False),
    Column("position", BigInteger, nullable=False),
    Column("digest", Text, nullable=False),
    Column("state", Text, nullable=False),
    Column("sentence", Text, nullable=False),
    Column("tested", BigInteger, nullable=False),
    Column("failed", BigInteger, nullable=False),
    Column("stands_on", JSONB, nullable=False),
    Column("at", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# Which checks an edit moved from one state to another.
moved = Table(
    "moved",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("number", BigInteger, primary_key=True),
    Column("name", Text, primary_key=True),
    Column("before", Text, nullable=False),
    Column("after", Text, nullable=False),
)

# What would come of changes that nobody made, by what that was computed from; and the newest answer as a whole.
verdict = Table(
    "verdict",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("key", Text, primary_key=True),
    Column("verdict", JSONB),
)
coverage = Table(
    "coverage",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("version", BigInteger, nullable=False),
    Column("changes", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# What SQL had to say of grids, by what they were computed from.
proof = Table(
    "proof",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("digest", Text, primary_key=True),
    Column("proof", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# What places have proven of tables that stay there, by what it was asked of. It is written while somebody may hold the model's row.
fact = Table(
    "fact",
    metadata,
    Column("model_id", Integer, primary_key=True, autoincrement=False),
    Column("key", Text, primary_key=True),
    Column("value", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# What is to be done in the background, and how far it is. Whoever does a task holds its row locked: where they die, another takes it.
task = Table(
    "task",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("kind", Text, nullable=False),
    Column("asked", JSONB, nullable=False, server_default="{}"),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)
progress = Table(
    "progress",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("kind", Text, primary_key=True),
    Column("done", Integer, nullable=False),
    Column("total", Integer, nullable=False),
    Column("running", Boolean, nullable=False),
    Column("stopping", Boolean, nullable=False, server_default="false"),
    Column("words", Text, nullable=False, server_default=""),
)

# Releases: models as they stood, with the loads that they stand on, which are kept as long as they are. No edit and no undo reaches them.
release = Table(
    "release",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("number", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("notes", Text, nullable=False, server_default=""),
    Column("author", Text, nullable=False),
    Column("reason", Text, nullable=False, server_default=""),
    Column("position", BigInteger, nullable=False),
    Column("document", JSONB, nullable=False),
    Column("loads", ARRAY(Integer), nullable=False),
    Column("evidence", JSONB, nullable=False),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# Who has an account. `subject` is how a provider of identities calls them; an operator looks after the installation; who `opens` may make
# models of their own.
person = Table(
    "person",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("email", Text, nullable=False, unique=True),
    Column("name", Text, nullable=False),
    Column("password", Text),
    Column("subject", Text, unique=True),
    Column("operator", Boolean, nullable=False, server_default="false"),
    Column("opens", Boolean, nullable=False, server_default="false"),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
)

# What somebody may do in a model, and the clearance that says which of its rows they see; without one, all.
membership = Table(
    "membership",
    metadata,
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
    Column("person_id", Integer, ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
    Column("role", Text, nullable=False),
    Column("clearance", Text, nullable=False, server_default=""),
)

# What lets somebody in, by its digest: a `session`, an `address` that is good once, an `invitation`, a `token` of a program.
secret = Table(
    "secret",
    metadata,
    Column("digest", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("person_id", Integer, ForeignKey("person.id", ondelete="CASCADE"), index=True),
    Column("model_id", Integer, ForeignKey("model.id", ondelete="CASCADE")),
    Column("about", JSONB, nullable=False, server_default="{}"),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("last_at", DateTime(timezone=True)),
    Column("ends_at", DateTime(timezone=True)),
)

# Who came in, took something out, changed rights: only added to, which a trigger sees to.
event = Table(
    "event",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("made_at", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("person", Text, nullable=False),
    Column("what", Text, nullable=False),
    Column("model_id", Integer, index=True),
    Column("about", Text, nullable=False, server_default=""),
)
