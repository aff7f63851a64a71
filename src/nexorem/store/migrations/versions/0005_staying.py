"""What places have proven of tables that stay there, by what it was asked of."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Makes the table."""
    op.create_table(
        "fact",
        sa.Column("model_id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("value", pg.JSONB, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    """Removes it: what was proven is proven again."""
    op.drop_table("fact")
