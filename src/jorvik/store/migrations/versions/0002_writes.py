"""The identity of the last write of a patch, by which its repetition is known."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column; what was written before has none."""
    op.add_column("patches", sa.Column("last_write", sa.String(64)))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("patches", "last_write")
