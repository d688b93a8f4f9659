"""Patches kept: drafts that save themselves, revisions that stay, and windows that do not overwrite each other.

A write carries an identity that its window gave it. An answer may be lost on its way: the window then asks again with
the same identity, and is answered as it would have been, without a second write.
"""

import uuid
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Engine, func, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from jorvik.core.document.patch import check_patch
from jorvik.store.tables import PatchRow, RevisionRow

Document = dict[str, Any]


class Missing(LookupError):
    """There is no such patch, or no such revision of it."""


class Conflict(Exception):
    """Another window changed the patch since this one read it. Nothing was written."""

    def __init__(self, sequence: int, changed_at: datetime) -> None:
        self.sequence = sequence
        self.changed_at = changed_at
        super().__init__("another window changed this patch")


@dataclass(frozen=True)
class Head:
    """A patch in a list."""

    id: uuid.UUID
    name: str
    tags: list[str]
    demo: str | None
    sequence: int
    saved_number: int
    unsaved: bool
    changed_at: datetime
    last_write: str | None


@dataclass(frozen=True)
class Kept(Head):
    """A patch with its draft."""

    document: Document


@dataclass(frozen=True)
class Revision:
    """One saved revision of a patch."""

    number: int
    reason: str
    created_at: datetime
    name: str


class PatchStore:
    """Reads and writes patches. Every document is checked before it is written, and each call is one transaction."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with Session(self._engine, expire_on_commit=False) as session, session.begin():
            yield session

    def is_up(self) -> bool:
        """Tell whether the database answers."""
        try:
            with self._session() as session:
                session.execute(select(1))
        except (DBAPIError, PoolTimeout):
            return False
        return True

    def heads(self) -> list[Head]:
        """Return all patches that are not deleted, by name."""
        with self._session() as session:
            rows = session.scalars(select(PatchRow).where(PatchRow.deleted_at.is_(None)).order_by(PatchRow.name))
            return [_head(row) for row in rows]

    def get(self, patch_id: uuid.UUID) -> Kept:
        """Return a patch with its draft."""
        with self._session() as session:
            return _kept(_row(session, patch_id))

    def create(self, document: Document, demo: str | None = None, write: str | None = None) -> Kept:
        """Keep a new patch; its first revision is what it was created with."""
        name = check_patch(document).name
        with self._session() as session:
            if write is not None and (made := session.scalar(select(PatchRow).where(PatchRow.last_write == write))):
                return _kept(made)
            row = PatchRow(
                id=uuid.uuid4(),
                name=name,
                demo=demo,
                draft=document,
                sequence=1,
                saved_number=0,
                saved_sequence=0,
                last_write=write,
            )
            session.add(row)
            session.flush()
            _add_revision(session, row, document, "created")
            row.saved_sequence = row.sequence
            session.flush()
            session.refresh(row)
            return _kept(row)

    def write_draft(
        self,
        patch_id: uuid.UUID,
        document: Document,
        sequence: int,
        replace: bool = False,
        write: str | None = None,
        after: Collection[str] = (),
    ) -> Kept:
        """Keep the draft as it stands in a window that last saw ``sequence``.

        ``write`` is the identity of this write, and ``after`` those of earlier ones whose answers the window never got.

        Raises Conflict when another window wrote since. With ``replace`` it is written all the same, after what the
        other window had was kept as a revision.
        """
        name = check_patch(document).name
        with self._session() as session:
            row = _row(session, patch_id, lock=True)
            if write is not None and row.last_write == write:
                return _kept(row)
            if row.sequence != sequence and not (row.last_write is not None and row.last_write in after):
                if not replace:
                    raise Conflict(row.sequence, row.changed_at)
                _add_revision(session, row, row.draft, "from another window, kept when it was replaced")
            _write(row, document, name, write)
            session.flush()
            session.refresh(row)
            return _kept(row)

    def save(self, patch_id: uuid.UUID, sequence: int, reason: str = "saved", write: str | None = None) -> Kept:
        """Keep the present draft as a revision. Raises Conflict as :meth:`write_draft` does."""
        with self._session() as session:
            row = _row(session, patch_id, lock=True)
            if write is not None and row.last_write == write:
                return _kept(row)
            if row.sequence != sequence:
                raise Conflict(row.sequence, row.changed_at)
            _add_revision(session, row, row.draft, reason)
            row.saved_sequence = row.sequence
            row.last_write = write
            session.flush()
            return _kept(row)

    def revisions(self, patch_id: uuid.UUID) -> list[Revision]:
        """Return the revisions of a patch, the newest first."""
        with self._session() as session:
            _row(session, patch_id)
            rows = session.scalars(
                select(RevisionRow).where(RevisionRow.patch_id == patch_id).order_by(RevisionRow.number.desc())
            )
            return [Revision(r.number, r.reason, r.created_at, str(r.document.get("name", ""))) for r in rows]

    def revision(self, patch_id: uuid.UUID, number: int) -> Document:
        """Return the document of one revision."""
        with self._session() as session:
            row = session.scalar(
                select(RevisionRow).where(RevisionRow.patch_id == patch_id, RevisionRow.number == number)
            )
            if row is None:
                raise Missing(f"This patch has no revision {number}.")
            return row.document

    def delete(self, patch_id: uuid.UUID) -> None:
        """Put a patch away; :meth:`undelete` brings it back."""
        with self._session() as session:
            _row(session, patch_id, lock=True).deleted_at = func.now()

    def undelete(self, patch_id: uuid.UUID) -> Kept:
        """Bring a deleted patch back."""
        with self._session() as session:
            row = _row(session, patch_id, lock=True, deleted=True)
            row.deleted_at = None
            session.flush()
            return _kept(row)

    def put_demo(self, demo: str, document: Document, reset: bool = False) -> None:
        """Keep a demo patch under its name, if it is not there; with ``reset`` as a new draft over what differs."""
        with self._session() as session:
            row = session.scalar(select(PatchRow).where(PatchRow.demo == demo))
            if row is not None and reset and (row.draft != document or row.deleted_at is not None):
                _add_revision(session, row, row.draft, "before the demo was reset")
                row.deleted_at = None
                _write(row, document, check_patch(document).name)
                _add_revision(session, row, document, "demo reset")
                row.saved_sequence = row.sequence
        if row is None:
            self.create(document, demo)


def _row(session: Session, patch_id: uuid.UUID, lock: bool = False, deleted: bool = False) -> PatchRow:
    row = session.get(PatchRow, patch_id, with_for_update=lock or None)
    if row is None or (row.deleted_at is not None and not deleted):
        raise Missing("There is no such patch; it may have been deleted in another window.")
    return row


def _write(row: PatchRow, document: Document, name: str, write: str | None = None) -> None:
    row.draft = document
    row.name = name
    row.last_write = write
    row.sequence += 1
    row.changed_at = func.now()


def _add_revision(session: Session, row: PatchRow, document: Document, reason: str) -> None:
    row.saved_number += 1
    session.add(RevisionRow(patch_id=row.id, number=row.saved_number, reason=reason, document=document))


def _head_fields(row: PatchRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "tags": list(row.draft.get("tags", [])),
        "demo": row.demo,
        "sequence": row.sequence,
        "saved_number": row.saved_number,
        "unsaved": row.sequence != row.saved_sequence,
        "changed_at": row.changed_at,
        "last_write": row.last_write,
    }


def _head(row: PatchRow) -> Head:
    return Head(**_head_fields(row))


def _kept(row: PatchRow) -> Kept:
    return Kept(**_head_fields(row), document=row.draft)
