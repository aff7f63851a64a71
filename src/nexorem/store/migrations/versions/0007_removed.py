"""A model that was removed stays for some days, so that it can be brought back."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Makes room for when."""
    op.add_column("model", sa.Column("removed_at", sa.DateTime(timezone=True)))


def downgrade() -> None:
    """Removed models are gone."""
    op.execute("DELETE FROM model WHERE removed_at IS NOT NULL")
    op.drop_column("model", "removed_at")
