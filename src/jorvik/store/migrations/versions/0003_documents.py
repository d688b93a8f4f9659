"""One way to keep any kind of document: patches become documents of a kind, found by name, tags and words."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_TEXT = "coalesce({0} ->> '{1}', '')"
_TAGS = "coalesce((SELECT string_agg(tag, ' ') FROM json_array_elements_text({0} -> 'tags') AS tag), '')"
_INSIDE = (
    "coalesce((SELECT string_agg((m ->> 'id') || ' ' || (m ->> 'kind'), ' ')"
    " FROM json_array_elements({0} -> 'modules') AS m), '')"
)


def upgrade() -> None:
    """Rename both tables, and fill the new columns from the documents themselves: nothing is thrown away."""
    op.rename_table("patches", "documents")
    op.add_column("documents", sa.Column("kind", sa.String(40), nullable=False, server_default="patch"))
    op.add_column("documents", sa.Column("tags", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("documents", sa.Column("words", sa.Text(), nullable=False, server_default=""))
    draft = "documents.draft"
    op.execute(f"UPDATE documents SET tags = draft -> 'tags' WHERE json_typeof(draft -> 'tags') = 'array'")  # noqa: F541
    parts = [_TEXT.format(draft, "name"), _TAGS.format(draft), _TEXT.format(draft, "notes"), _INSIDE.format(draft)]
    op.execute(f"UPDATE documents SET words = lower(concat_ws(' ', {', '.join(parts)}))")  # noqa: S608
    for name in ("kind", "tags", "words"):
        op.alter_column("documents", name, server_default=None)
    op.drop_index("patches_changed", "documents")
    op.create_index("documents_listed", "documents", ["kind", "deleted_at", "name"])
    op.drop_constraint("patches_demo_key", "documents", type_="unique")
    op.create_unique_constraint(None, "documents", ["kind", "demo"])
    op.alter_column("revisions", "patch_id", new_column_name="document_id")
    op.add_column("revisions", sa.Column("name", sa.String(120), nullable=False, server_default=""))
    op.execute("UPDATE revisions SET name = left(coalesce(document ->> 'name', ''), 120)")
    op.alter_column("revisions", "name", server_default=None)


def downgrade() -> None:
    """Take the columns away, and everything that is no patch."""
    op.drop_column("revisions", "name")
    op.alter_column("revisions", "document_id", new_column_name="patch_id")
    op.execute("DELETE FROM documents WHERE kind <> 'patch'")
    op.drop_constraint("documents_kind_demo_key", "documents", type_="unique")
    op.create_unique_constraint("patches_demo_key", "documents", ["demo"])
    op.drop_index("documents_listed", "documents")
    for name in ("kind", "tags", "words"):
        op.drop_column("documents", name)
    op.create_index("patches_changed", "documents", ["deleted_at", "changed_at"])
    op.rename_table("documents", "patches")
