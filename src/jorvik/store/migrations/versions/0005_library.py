"""The library: banks, stars, variants, what a document is found by, its picture; and the logbook."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_COLUMNS: tuple[sa.Column[Any], ...] = (
    sa.Column("content", sa.String(64), nullable=False, server_default=""),
    sa.Column("starred", sa.Boolean(), nullable=False, server_default=sa.false()),
    sa.Column("used_at", sa.DateTime(timezone=True)),
    sa.Column("parent_id", sa.Uuid(), sa.ForeignKey("documents.id", ondelete="SET NULL")),
    sa.Column("branch_reason", sa.String(400), nullable=False, server_default=""),
    sa.Column("low_key", sa.Double()),
    sa.Column("high_key", sa.Double()),
    sa.Column("loudness", sa.Double()),
    sa.Column("found", sa.Text(), nullable=False, server_default=""),
    sa.Column("picture", sa.JSON()),
    sa.Column("looked_at", sa.Integer(), nullable=False, server_default="0"),
)
_NOW = sa.func.clock_timestamp()
_INSIDE = (
    " || coalesce((SELECT string_agg('source:' || (m ->> 'kind'), ' ')"
    " FROM json_array_elements(draft -> 'modules') AS m), '')"
    " || ' ' || coalesce((SELECT string_agg('moves:' || (r ->> 'destination'), ' ')"
    " FROM json_array_elements(draft -> 'routes') AS r), '')"
)


def upgrade() -> None:
    """Add the columns and tables; what documents are found by comes from the documents themselves."""
    op.execute("CREATE EXTENSION IF NOT EXISTS pg_trgm")
    for column in _COLUMNS:
        op.add_column("documents", column)
    op.execute(f"UPDATE documents SET words = lower(words || ' '{_INSIDE}) WHERE kind = 'patch'")  # noqa: S608
    op.execute(
        "UPDATE documents SET (low_key, high_key) = ("
        "SELECT coalesce(min((n ->> 'key')::float), 60), coalesce(max((n ->> 'key')::float), 60)"
        " FROM json_array_elements(draft #> '{performance,notes}') AS n) WHERE kind = 'patch'"
    )
    for name in ("content", "starred", "branch_reason", "found", "looked_at"):
        op.alter_column("documents", name, server_default=None)
    searched = "words || ' ' || found"
    op.add_column("documents", sa.Column("searched", sa.Text(), sa.Computed(searched, persisted=True)))
    op.create_index(
        "documents_searched", "documents", ["searched"], postgresql_using="gin",
        postgresql_ops={"searched": "gin_trgm_ops"},
    )  # fmt: skip
    op.create_index("documents_content", "documents", ["content"])
    op.create_table(
        "banks",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False, unique=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False, server_default=_NOW),
    )
    op.create_table(
        "bank_members",
        sa.Column("bank_id", sa.Uuid(), sa.ForeignKey("banks.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("document_id", sa.Uuid(), sa.ForeignKey("documents.id", ondelete="CASCADE"), primary_key=True),
    )
    op.create_index("bank_members_document", "bank_members", ["document_id"])
    op.create_table(
        "log_entries",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=_NOW),
        sa.Column("act", sa.String(40), nullable=False),
        sa.Column("document_id", sa.Uuid()),
        sa.Column("document_name", sa.String(120), nullable=False),
        sa.Column("title", sa.String(400), nullable=False),
        sa.Column("changes", sa.JSON(), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.Column("picture", sa.JSON()),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("marked", sa.Boolean(), nullable=False),
        sa.Column("document", sa.JSON()),
        sa.Column("before", sa.JSON()),
    )
    op.create_index("log_entries_at", "log_entries", ["at"])
    op.create_index("log_entries_document", "log_entries", ["document_id", "at"])


def downgrade() -> None:
    """Take them away."""
    op.drop_table("log_entries")
    op.drop_table("bank_members")
    op.drop_table("banks")
    for name in ("documents_content", "documents_searched"):
        op.drop_index(name, "documents")
    op.drop_column("documents", "searched")
    for column in reversed(_COLUMNS):
        op.drop_column("documents", column.name)
