"""What is proven of models: outcomes of checks by what they were computed from, their present states, what edits moved, verdicts of
coverage; releases; and tasks that run in the background."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0003"
down_revision = "0002"


def _owner(**more: object) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE"), nullable=False, **more)  # type: ignore[arg-type]


def _now(name: str) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


def _text(name: str, default: str | None = None) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, sa.Text, nullable=False, server_default=default)


def upgrade() -> None:
    """Makes the tables."""
    op.create_table(
        "outcome",
        _owner(primary_key=True),
        sa.Column("digest", sa.Text, primary_key=True),
        sa.Column("outcome", pg.JSONB, nullable=False),
        sa.Column("seconds", sa.Float, nullable=False),
        _now("made_at"),
    )
    op.create_table(
        "check_state",
        _owner(primary_key=True),
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("version", sa.BigInteger, nullable=False),
        sa.Column("position", sa.BigInteger, nullable=False),
        _text("digest"),
        _text("state"),
        _text("sentence"),
        sa.Column("tested", sa.BigInteger, nullable=False),
        sa.Column("failed", sa.BigInteger, nullable=False),
        sa.Column("stands_on", pg.JSONB, nullable=False),
        sa.Column("at", pg.JSONB, nullable=False),
        _now("made_at"),
    )
    op.create_table(
        "moved",
        _owner(primary_key=True),
        sa.Column("number", sa.BigInteger, primary_key=True),
        sa.Column("name", sa.Text, primary_key=True),
        _text("before"),
        _text("after"),
    )
    op.create_table("verdict", _owner(primary_key=True), sa.Column("key", sa.Text, primary_key=True), sa.Column("verdict", pg.JSONB))
    op.create_table(
        "coverage",
        _owner(primary_key=True),
        sa.Column("version", sa.BigInteger, nullable=False),
        sa.Column("changes", pg.JSONB, nullable=False),
        _now("made_at"),
    )
    op.create_table(
        "task",
        sa.Column("id", sa.BigInteger, primary_key=True),
        _owner(index=True),
        _text("kind"),
        sa.Column("asked", pg.JSONB, nullable=False, server_default="{}"),
        _now("made_at"),
    )
    op.create_table(
        "progress",
        _owner(primary_key=True),
        sa.Column("kind", sa.Text, primary_key=True),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        sa.Column("running", sa.Boolean, nullable=False),
        sa.Column("stopping", sa.Boolean, nullable=False, server_default="false"),
        _text("words", ""),
    )
    op.create_table(
        "release",
        _owner(primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        _text("name"),
        _text("notes", ""),
        _text("author"),
        _text("reason", ""),
        sa.Column("position", sa.BigInteger, nullable=False),
        sa.Column("document", pg.JSONB, nullable=False),
        sa.Column("loads", pg.ARRAY(sa.Integer), nullable=False),
        sa.Column("evidence", pg.JSONB, nullable=False),
        _now("made_at"),
    )


def downgrade() -> None:
    """Removes them: what was proven is computed again, releases are lost."""
    for name in ("release", "progress", "task", "coverage", "verdict", "moved", "check_state", "outcome"):
        op.drop_table(name)
