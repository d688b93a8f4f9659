"""Jobs: work of minutes, kept with its progress and its result."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the table."""
    now = sa.func.clock_timestamp()
    op.create_table(
        "jobs",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("request", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("progress", sa.Double(), nullable=False),
        sa.Column("begun", sa.Integer(), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("result", sa.LargeBinary()),
        sa.Column("result_bytes", sa.Integer(), nullable=False),
        sa.Column("file_name", sa.String(200), nullable=False),
        sa.Column("media_type", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False, server_default=now),
    )
    op.create_index(op.f("ix_jobs_state"), "jobs", ["state"])


def downgrade() -> None:
    """Take it away."""
    op.drop_table("jobs")
