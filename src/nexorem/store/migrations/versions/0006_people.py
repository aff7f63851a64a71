"""People, what they may do in which model, the secrets that let them in, and a log that nobody can change."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0006"
down_revision = "0005"

NOW = sa.func.now()


def upgrade() -> None:
    """Makes the tables."""
    op.create_table(
        "person",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("email", sa.Text, nullable=False, unique=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("password", sa.Text),
        sa.Column("subject", sa.Text, unique=True),
        sa.Column("operator", sa.Boolean, nullable=False, server_default="false"),
        sa.Column("opens", sa.Boolean, nullable=False, server_default="false"),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=NOW),
    )
    op.create_table(
        "membership",
        sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("role", sa.Text, nullable=False),
        sa.Column("clearance", sa.Text, nullable=False, server_default=""),
    )
    op.create_table(
        "secret",
        sa.Column("digest", sa.Text, primary_key=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id", ondelete="CASCADE"), index=True),
        sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE")),
        sa.Column("about", pg.JSONB, nullable=False, server_default="{}"),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=NOW),
        sa.Column("last_at", sa.DateTime(timezone=True)),
        sa.Column("ends_at", sa.DateTime(timezone=True)),
    )
    op.create_table(
        "event",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=NOW),
        sa.Column("person", sa.Text, nullable=False),
        sa.Column("what", sa.Text, nullable=False),
        sa.Column("model_id", sa.Integer, index=True),
        sa.Column("about", sa.Text, nullable=False, server_default=""),
    )
    op.execute("CREATE FUNCTION log_is_kept() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'it is only added to'; END $$")
    op.execute("CREATE TRIGGER log_is_kept BEFORE UPDATE OR DELETE OR TRUNCATE ON event FOR EACH STATEMENT EXECUTE FUNCTION log_is_kept()")


def downgrade() -> None:
    """Removes them: everybody is invited anew."""
    for table in ("event", "secret", "membership", "person"):
        op.drop_table(table)
    op.execute("DROP FUNCTION log_is_kept")
