"""Models, their edits and their rows."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0001"
down_revision = None


def _owner() -> sa.Column:  # type: ignore[type-arg]
    return sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE"), primary_key=True)


def _now(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


def upgrade() -> None:
    """Makes the tables."""
    op.create_table(
        "model",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("document", pg.JSONB, nullable=False),
        sa.Column("version", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("position", sa.BigInteger, nullable=False, server_default="0"),
        _now("created_at"),
    )
    op.create_table(
        "edit",
        _owner(),
        sa.Column("number", sa.BigInteger, primary_key=True),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("change", pg.JSONB, nullable=False),
        sa.Column("inverse", pg.JSONB, nullable=False),
        _now("made_at"),
    )
    op.create_table(
        "change",
        _owner(),
        sa.Column("version", sa.BigInteger, primary_key=True),
        sa.Column("direction", sa.Text, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("author", sa.Text, nullable=False),
        sa.Column("touches", pg.ARRAY(sa.Text), nullable=False),
        _now("made_at"),
    )
    op.create_table(
        "table_rows", _owner(), sa.Column("table_name", sa.Text, primary_key=True), sa.Column("size", sa.BigInteger, nullable=False)
    )
    op.create_table(
        "column_part",
        _owner(),
        sa.Column("table_name", sa.Text, primary_key=True),
        sa.Column("column_name", sa.Text, primary_key=True),
        sa.Column("part", sa.Integer, primary_key=True),
        sa.Column("dtype", sa.Text, nullable=False),
        sa.Column("last", sa.Boolean, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    # The parts are compressed already; the server should not try again.
    op.execute("ALTER TABLE column_part ALTER COLUMN data SET STORAGE EXTERNAL")


def downgrade() -> None:
    """Removes them."""
    for name in ("column_part", "table_rows", "change", "edit", "model"):
        op.drop_table(name)
