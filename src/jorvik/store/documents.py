"""Documents in the database: drafts and their edits, and saved revisions.

Every kind of document is kept in the same way (see :mod:`jorvik.store.kinds`). Edits of several windows on one draft
are merged in the order in which they come.

A write carries an identity that its window gave it. An answer may be lost on its way: the window then asks again with
the same identity, and is answered as it would have been, without a second write.
"""

import json
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Engine, Select, delete, func, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from jorvik.core.document.operations import Draft, KeyTree, Operation, apply, compare
from jorvik.store.database import Store
from jorvik.store.kinds import Document, Kind, Labels, content_hash
from jorvik.store.logging import enter_save
from jorvik.store.tables import DocumentRow, EditRow, RevisionRow

_WRITES = uuid.UUID("6d0f4c0e-7f0f-4d4c-9a55-9f0b1f0a52c1")
"""The name space in which the write that creates a document gives it its id."""
MOST_VARIANTS = 200
MOST_HEADS = 500
"""In one page of a list."""

MOST_EDITS = 200
"""Edits of a draft that are kept.

A window that has missed more of them reads the whole draft again.
"""

MAX_EDIT_BYTES = 64_000
"""Size of an edit's operations that are kept."""

_OPERATIONS: TypeAdapter[list[Operation]] = TypeAdapter(list[Operation])


class Missing(LookupError):
    """There is no such document, or no such revision of it."""


class Conflict(Exception):
    """Another window changed the document since this one read it. Nothing was written."""

    def __init__(self, sequence: int, changed_at: datetime, kind: str) -> None:
        self.sequence = sequence
        self.changed_at = changed_at
        super().__init__(f"another window changed this {kind}")


@dataclass(frozen=True)
class Head:
    """A document in a list."""

    id: uuid.UUID
    name: str
    tags: list[str]
    demo: str | None
    sequence: int
    saved_number: int
    unsaved: bool
    changed_at: datetime
    last_write: str | None
    starred: bool
    used_at: datetime | None
    parent_id: uuid.UUID | None
    branch_reason: str


@dataclass(frozen=True)
class Kept(Head):
    """A document with its draft."""

    document: Document
    keys: KeyTree
    """Internal ids of what is in it, where they are not "0", "1", ... in order."""


@dataclass(frozen=True)
class Edit:
    """One edit of a draft."""

    sequence: int
    """The draft's sequence after it."""
    write: str | None
    operations: list[Operation]


@dataclass(frozen=True)
class Edited:
    """A draft after an edit."""

    head: Head
    is_repeated: bool
    """True where the edit had been applied before."""
    others: list[Edit] | None
    """Edits of others that the window has not seen; None where one is not kept."""


@dataclass(frozen=True)
class Revision:
    """One saved revision of a document."""

    number: int
    reason: str
    created_at: datetime
    name: str


class DocumentStore(Store):
    """Reads and writes documents of a kind. Each is checked before it is written, and each call is one transaction."""

    def __init__(self, engine: Engine, kind: Kind) -> None:
        super().__init__(engine)
        self.kind = kind

    def is_up(self) -> bool:
        """Tell whether the database answers."""
        try:
            with self._session() as session:
                session.execute(select(1))
        except (DBAPIError, PoolTimeout):
            return False
        return True

    def heads(self, search: str = "", limit: int = MOST_HEADS, offset: int = 0) -> list[Head]:
        """Return a page of the documents that are not deleted, by name, without loading any of them.

        Of a search only those are returned in which each of its words stands.
        """
        columns = [getattr(DocumentRow, name) for name in _HEAD_COLUMNS]
        wanted = select(*columns).where(DocumentRow.kind == self.kind.name, DocumentRow.deleted_at.is_(None))
        for word in search.lower().split():
            wanted = wanted.where(DocumentRow.words.contains(word, autoescape=True))
        page = wanted.order_by(DocumentRow.name, DocumentRow.id).limit(min(limit, MOST_HEADS)).offset(offset)
        with self._session() as session:
            return [head_of(row) for row in session.execute(page)]

    def get(self, document_id: uuid.UUID) -> Kept:
        """Return a document with its draft. Raises Missing where there is none."""
        with self._session() as session:
            return _kept(self._row(session, document_id))

    def create(
        self,
        document: Document,
        demo: str | None = None,
        write: str | None = None,
        parent: uuid.UUID | None = None,
        reason: str = "",
    ) -> Kept:
        """Keep a new document; its first revision is what it was created with.

        Where it has a parent it is a variant of that, kept for a reason. Raises Missing where there is no such parent.
        Asked twice with the same ``write``, also at the same moment, it keeps one document and returns it both times.
        """
        labels = self.kind.check(document)
        document_id = uuid.uuid4() if write is None else uuid.uuid5(_WRITES, f"{self.kind.name} {write}")
        with self._session() as session:
            session.execute(select(func.pg_advisory_xact_lock(document_id.int % 2**63)))
            if made := session.get(DocumentRow, document_id):
                return _kept(made)
            if parent is not None:
                self._row(session, parent, deleted=True)
            row = DocumentRow(
                id=document_id,
                kind=self.kind.name,
                **columns_of(labels, document),
                parent_id=parent,
                branch_reason=reason,
                demo=demo,
                draft=document,
                keys={},
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

    def write_draft(self, document_id: uuid.UUID, document: Document, sequence: int, write: str | None = None) -> Kept:
        """Replace the draft that was last seen with ``sequence``.

        ``write`` is the identity of this write. Raises Conflict when the draft was changed since; a window that edits
        sends operations instead, which are merged (:meth:`edit`).
        """
        labels = self.kind.check(document)
        with self._session() as session:
            row = self._row(session, document_id, lock=True)
            if write is not None and row.last_write == write:
                return _kept(row)
            if row.sequence != sequence:
                raise Conflict(row.sequence, row.changed_at, self.kind.name)
            _write(session, row, document, labels, write)
            session.flush()
            session.refresh(row)
            return _kept(row)

    def edit(self, document_id: uuid.UUID, operations: Sequence[Operation], sequence: int, write: str) -> Edited:
        """Apply operations to the draft, merged with the edits since ``sequence``.

        Edits of different fields both stand; of one field the later edit stands. The same ``write`` is applied once.
        Raises Problem where an operation leads to nothing or the document would not be sound; nothing is kept then.
        """
        with self._session() as session:
            row = self._row(session, document_id, lock=True)
            known = session.scalar(
                select(EditRow.sequence).where(EditRow.document_id == document_id, EditRow.write == write)
            )
            if known is None:
                draft = apply(Draft(row.draft, row.keys), operations)
                _write(session, row, draft.document, self.kind.check(draft.document), write, operations, draft.keys)
                session.flush()
                session.refresh(row)
            others = _edits_since(session, row, sequence, write)
            return Edited(head_of(row), known is not None, others)

    def edits_since(self, document_id: uuid.UUID, sequence: int) -> list[Edit] | None:
        """Return the edits since a sequence, the oldest first; None where one is gone."""
        with self._session() as session:
            return _edits_since(session, self._row(session, document_id), sequence)

    def save(self, document_id: uuid.UUID, sequence: int, reason: str = "saved", write: str | None = None) -> Kept:
        """Keep the present draft as a revision. Raises Conflict as :meth:`write_draft` does."""
        with self._session() as session:
            row = self._row(session, document_id, lock=True)
            if write is not None and row.last_write == write:
                return _kept(row)
            if row.sequence != sequence:
                raise Conflict(row.sequence, row.changed_at, self.kind.name)
            enter_save(session, row, self._last_saved(session, row), reason)
            _add_revision(session, row, row.draft, reason)
            row.saved_sequence = row.sequence
            row.last_write = write
            session.flush()
            return _kept(row)

    def _last_saved(self, session: Session, row: DocumentRow) -> Document:
        last = session.scalar(
            select(RevisionRow.document).where(
                RevisionRow.document_id == row.id, RevisionRow.number == row.saved_number
            )
        )
        return row.draft if last is None else last

    def revisions(self, document_id: uuid.UUID) -> list[Revision]:
        """Return the revisions of a document, the newest first, without loading any of them."""
        with self._session() as session:
            self._row(session, document_id)
            columns = (RevisionRow.number, RevisionRow.reason, RevisionRow.created_at, RevisionRow.name)
            wanted = select(*columns).where(RevisionRow.document_id == document_id)
            return [Revision(*row) for row in session.execute(wanted.order_by(RevisionRow.number.desc()))]

    def revision(self, document_id: uuid.UUID, number: int) -> Document:
        """Return the document of one revision. Raises Missing where there is none."""
        with self._session() as session:
            self._row(session, document_id, deleted=True)
            row = session.scalar(
                select(RevisionRow).where(RevisionRow.document_id == document_id, RevisionRow.number == number)
            )
            if row is None:
                raise Missing(f"This {self.kind.name} has no revision {number}.")
            return row.document

    def family(self, document_id: uuid.UUID) -> list[Head]:
        """Return what a document is a variant of, up to the first, and all variants of that, at most so many.

        The first stands first, and each after what it is a variant of. Raises Missing where there is no such document.
        """
        with self._session() as session:
            row = self._row(session, document_id)
            seen = {row.id}
            while row.parent_id is not None and row.parent_id not in seen:
                above = session.get(DocumentRow, row.parent_id)
                if above is None or above.deleted_at is not None:
                    break
                row = above
                seen.add(row.id)
            found, last = [row], [row.id]
            while last and len(found) < MOST_VARIANTS:
                wanted = self._all().where(DocumentRow.parent_id.in_(last), DocumentRow.deleted_at.is_(None))
                below = session.scalars(wanted.order_by(DocumentRow.created_at)).all()
                found += [one for one in below if one.id not in {other.id for other in found}]
                last = [one.id for one in below]
            return [head_of(one) for one in found[:MOST_VARIANTS]]

    def promote(self, document_id: uuid.UUID) -> None:
        """Let a variant be a document of its own. Raises Missing where there is no such document."""
        with self._session() as session:
            row = self._row(session, document_id, lock=True)
            row.parent_id, row.branch_reason = None, ""

    def delete(self, document_id: uuid.UUID) -> None:
        """Put a document away; :meth:`undelete` brings it back."""
        with self._session() as session:
            self._row(session, document_id, lock=True).deleted_at = func.now()

    def undelete(self, document_id: uuid.UUID) -> Kept:
        """Bring a deleted document back."""
        with self._session() as session:
            row = self._row(session, document_id, lock=True, deleted=True)
            row.deleted_at = None
            session.flush()
            return _kept(row)

    def demos(self) -> set[str]:
        """Return the file names of the demo documents that are kept, also in the trash."""
        with self._session() as session:
            found = session.scalars(select(DocumentRow.demo).where(DocumentRow.kind == self.kind.name))
            return {name for name in found if name is not None}

    def put_demo(self, demo: str, document: Document, reset: bool = False) -> None:
        """Keep a demo document under its name, if it is not there; with ``reset`` as a new draft over what differs."""
        with self._session() as session:
            row = session.scalar(self._all().where(DocumentRow.demo == demo).with_for_update())
            if row is not None and reset and (row.draft != document or row.deleted_at is not None):
                _add_revision(session, row, row.draft, "before the demo was reset")
                row.deleted_at = None
                _write(session, row, document, self.kind.check(document))
                _add_revision(session, row, document, "demo reset")
                row.saved_sequence = row.sequence
        if row is None:
            self.create(document, demo)

    def _all(self) -> Select[DocumentRow]:
        return select(DocumentRow).where(DocumentRow.kind == self.kind.name)

    def _row(self, session: Session, document_id: uuid.UUID, lock: bool = False, deleted: bool = False) -> DocumentRow:
        row = session.get(DocumentRow, document_id, with_for_update=lock or None)
        if row is None or row.kind != self.kind.name or (row.deleted_at is not None and not deleted):
            raise Missing(f"There is no such {self.kind.name}; it may have been deleted in another window.")
        return row


def columns_of(labels: Labels, document: Document) -> dict[str, Any]:
    """Return what a document is found by, as it is kept beside it."""
    low, high = labels.keys or (None, None)
    words = labels.words or labels.name.lower()
    said = {"name": labels.name, "tags": list(labels.tags), "words": words, "low_key": low, "high_key": high}
    return {**said, "content": content_hash(document)}


def rewrite(session: Session, row: DocumentRow, document: Document, kind: Kind, reason: str = "") -> None:
    """Write a document's draft where no window asked for it; with a reason, what it was is kept as a revision.

    Raises Problem for one that is not sound.
    """
    labels = kind.check(document)
    if reason:
        _add_revision(session, row, row.draft, reason)
    _write(session, row, document, labels)


def _write(
    session: Session,
    row: DocumentRow,
    document: Document,
    labels: Labels,
    write: str | None = None,
    operations: Sequence[Operation] | None = None,
    keys: KeyTree | None = None,
) -> None:
    """Write a draft, its keys and its last edit.

    Operations and keys that are not given are found by comparing.
    """
    if operations is None or keys is None:
        draft = Draft(row.draft, row.keys)
        operations = compare(draft, document)
        keys = apply(draft, operations).keys
    row.draft, row.keys = document, keys
    for name, value in columns_of(labels, document).items():
        setattr(row, name, value)
    row.last_write = write
    row.sequence += 1
    row.changed_at = func.now()
    said = [operation.model_dump(mode="json") for operation in operations]
    is_small = len(json.dumps(said)) <= MAX_EDIT_BYTES
    session.add(EditRow(document_id=row.id, sequence=row.sequence, write=write, operations=said if is_small else None))
    session.execute(delete(EditRow).where(EditRow.document_id == row.id, EditRow.sequence <= row.sequence - MOST_EDITS))


def _edits_since(session: Session, row: DocumentRow, sequence: int, write: str | None = None) -> list[Edit] | None:
    """Return the edits since a sequence, without that of a write."""
    wanted = select(EditRow).where(EditRow.document_id == row.id, EditRow.sequence > sequence)
    found = session.scalars(wanted.order_by(EditRow.sequence)).all()
    others = [edit for edit in found if write is None or edit.write != write]
    if len(found) < row.sequence - sequence or any(edit.operations is None for edit in others):
        return None
    return [Edit(edit.sequence, edit.write, _OPERATIONS.validate_python(edit.operations)) for edit in others]


def _add_revision(session: Session, row: DocumentRow, document: Document, reason: str) -> None:
    row.saved_number += 1
    name = str(document.get("name", ""))
    revision = RevisionRow(document_id=row.id, number=row.saved_number, reason=reason, name=name, document=document)
    session.add(revision)


_HEAD_COLUMNS = (
    *("id", "name", "tags", "demo", "sequence", "saved_number", "saved_sequence"),
    *("changed_at", "last_write", "starred", "used_at", "parent_id", "branch_reason"),
)


def _head_fields(row: Any) -> dict[str, Any]:
    fields = {name: getattr(row, name) for name in _HEAD_COLUMNS if name != "saved_sequence"}
    return {**fields, "unsaved": row.sequence != row.saved_sequence}


def head_of(row: Any) -> Head:
    """Return what a list says of a row."""
    return Head(**_head_fields(row))


def _kept(row: DocumentRow) -> Kept:
    return Kept(**_head_fields(row), document=row.draft, keys=row.keys)
