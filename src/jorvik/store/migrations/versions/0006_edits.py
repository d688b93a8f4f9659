"""Edits: internal ids of a draft's items, and its latest edits."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column and the table."""
    op.add_column("documents", sa.Column("keys", sa.JSON(), nullable=False, server_default="{}"))
    op.create_table(
        "edits",
        sa.Column("document_id", sa.Uuid(), sa.ForeignKey("documents.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("sequence", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("write", sa.String(64)),
        sa.Column("operations", sa.JSON()),
    )
    op.create_index("edits_write", "edits", ["document_id", "write"])


def downgrade() -> None:
    """Drop the table and the column."""
    op.drop_table("edits")
    op.drop_column("documents", "keys")
