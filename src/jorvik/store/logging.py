"""What enters itself in the logbook, within the transaction of what it tells."""

import uuid
from typing import Final

from sqlalchemy.orm import Session

from jorvik.core.changes.documents import changes
from jorvik.core.problems import Problem
from jorvik.store.kinds import Document
from jorvik.store.tables import DocumentRow, LogRow

MOST_SENTENCES: Final = 60
MOST_TITLE: Final = 400


def enter_save(session: Session, row: DocumentRow, before: Document, reason: str) -> None:
    """Enter that a document was saved as a version, and what changed since the version before."""
    title = "saved" if reason in ("", "saved") else f"saved as {reason}"
    enter(session, "saved", title, row.id, before, row.draft)


def enter(
    session: Session, act: str, title: str, document_id: uuid.UUID | None, before: Document | None, after: Document
) -> LogRow:
    """Add an entry: what was done, in words; its figures and its picture come later."""
    entry = LogRow(
        id=uuid.uuid4(),
        act=act,
        document_id=document_id,
        document_name=str(after.get("name", "Untitled"))[:120],
        title=title[:MOST_TITLE],
        changes=told(before, after),
        figures=[],
        document=after,
        before=after if before is None else before,
        why="",
        marked=False,
    )
    session.add(entry)
    return entry


def told(before: Document | None, after: Document) -> list[str]:
    """Return what changed, a sentence each; what cannot be compared any more says nothing."""
    if before is None:
        return []
    try:
        found = [change.sentence for change in changes(before, after)]
    except Problem:
        return []
    more = len(found) - MOST_SENTENCES
    return found if more <= 0 else [*found[:MOST_SENTENCES], f"and {more} more"]
