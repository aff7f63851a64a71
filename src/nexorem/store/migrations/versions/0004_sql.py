"""What SQL had to say of grids, by what they were computed from."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Makes the table."""
    op.create_table(
        "proof",
        sa.Column("model_id", sa.Integer, sa.ForeignKey("model.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("digest", sa.Text, primary_key=True),
        sa.Column("proof", pg.JSONB, nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    """Removes it: what was proven is proven again."""
    op.drop_table("proof")
