"""The tables. A change here goes with a migration in ``migrations``; a test compares the two."""

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    Boolean,
    Computed,
    DateTime,
    Double,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
    Uuid,
    func,
)
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """What all tables share."""


class DocumentRow(Base):
    """A document of any kind: its draft as it stands in the window, and what it is found by."""

    __tablename__ = "documents"
    __table_args__ = (
        Index("documents_listed", "kind", "deleted_at", "name"),
        UniqueConstraint("kind", "demo"),
        Index(
            "documents_searched",
            "searched",
            postgresql_using="gin",
            postgresql_ops={"searched": "gin_trgm_ops"},
        ),
        Index("documents_content", "content"),
    )

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True, default=uuid.uuid4)
    kind: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(120))
    tags: Mapped[list[str]] = mapped_column(JSON)
    words: Mapped[str] = mapped_column(Text)
    """What a search looks through, in small letters."""
    demo: Mapped[str | None] = mapped_column(String(60))
    """Name of the demo that it came from, so that demos are loaded once."""
    draft: Mapped[dict[str, Any]] = mapped_column(JSON)
    keys: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    """Internal ids of its items (see :mod:`jorvik.core.document.operations`)."""
    sequence: Mapped[int] = mapped_column(Integer, default=1)
    """Rises with every change, so that a window knows whether another was there in between."""
    saved_number: Mapped[int] = mapped_column(Integer, default=0)
    saved_sequence: Mapped[int] = mapped_column(Integer, default=0)
    """The draft's sequence when it was last saved: equal to ``sequence`` when nothing is unsaved."""
    last_write: Mapped[str | None] = mapped_column(String(64))
    """The identity that the window gave its last write, so that its repetition is known."""
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    content: Mapped[str] = mapped_column(String(64), default="")
    """A hash of what it does, whatever it is called; empty until it is written the next time."""
    starred: Mapped[bool] = mapped_column(Boolean, default=False)
    used_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=True))
    parent_id: Mapped[uuid.UUID | None] = mapped_column(Uuid, ForeignKey("documents.id", ondelete="SET NULL"))
    """What it is a variant of."""
    branch_reason: Mapped[str] = mapped_column(String(400), default="")
    """Why it was kept beside that."""
    low_key: Mapped[float | None] = mapped_column(Double)
    high_key: Mapped[float | None] = mapped_column(Double)
    """The keys of its test note, or notes."""
    loudness: Mapped[float | None] = mapped_column(Double)
    """In LUFS, when it was judged last."""
    found: Mapped[str] = mapped_column(Text, default="")
    """The rules that found something when it was judged last, as ``finding:<rule>``."""
    picture: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    """Its staves, small."""
    looked_at: Mapped[int] = mapped_column(Integer, default=0)
    """The sequence of which the picture is."""
    searched: Mapped[str] = mapped_column(Text, Computed("words || ' ' || found", persisted=True))


class EditRow(Base):
    """One of the latest edits of a draft.

    Windows learn of each other's edits from it, and an edit that is sent twice is recognized.
    """

    __tablename__ = "edits"
    __table_args__ = (Index("edits_write", "document_id", "write"),)

    document_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("documents.id", ondelete="CASCADE"), primary_key=True)
    sequence: Mapped[int] = mapped_column(Integer, primary_key=True)
    """The draft's sequence after the edit."""
    write: Mapped[str | None] = mapped_column(String(64))
    """The identity that the window gave the edit."""
    operations: Mapped[list[dict[str, Any]] | None] = mapped_column(JSON(none_as_null=True))
    """Nothing where they are too large to be kept beside the draft."""


class RevisionRow(Base):
    """A document as it once was. Rows are added and never changed."""

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("document_id", "number"),)

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True, default=uuid.uuid4)
    document_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("documents.id", ondelete="CASCADE"))
    number: Mapped[int] = mapped_column(Integer)
    reason: Mapped[str] = mapped_column(String(200))
    name: Mapped[str] = mapped_column(String(120))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())


class JobRow(Base):
    """Work of minutes: what was asked for, how far it is, and what it came to."""

    __tablename__ = "jobs"

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True)
    kind: Mapped[str] = mapped_column(String(40))
    title: Mapped[str] = mapped_column(String(200))
    request: Mapped[dict[str, Any]] = mapped_column(JSON, deferred=True)
    state: Mapped[str] = mapped_column(String(16), index=True)
    progress: Mapped[float] = mapped_column(Double, default=0.0)
    begun: Mapped[int] = mapped_column(Integer, default=0)
    """How often it was begun: what stops the server again and again is not begun for ever."""
    said: Mapped[str] = mapped_column(Text, default="")
    """Why it failed, where it did."""
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    """What is worth saying of the result."""
    result: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    result_bytes: Mapped[int] = mapped_column(Integer, default=0)
    file_name: Mapped[str] = mapped_column(String(200), default="")
    media_type: Mapped[str] = mapped_column(String(80), default="")
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.clock_timestamp())
    changed_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.clock_timestamp())


class BankRow(Base):
    """A bank: documents of any kind under one name."""

    __tablename__ = "banks"

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True, default=uuid.uuid4)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    created_at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.clock_timestamp())


class BankMemberRow(Base):
    """That a document stands in a bank."""

    __tablename__ = "bank_members"
    __table_args__ = (Index("bank_members_document", "document_id"),)

    bank_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("banks.id", ondelete="CASCADE"), primary_key=True)
    document_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("documents.id", ondelete="CASCADE"), primary_key=True)


class LogRow(Base):
    """One entry of the logbook. It stays when its document goes."""

    __tablename__ = "log_entries"
    __table_args__ = (Index("log_entries_at", "at"), Index("log_entries_document", "document_id", "at"))

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True)
    at: Mapped[datetime] = mapped_column(DateTime(timezone=True), server_default=func.clock_timestamp())
    act: Mapped[str] = mapped_column(String(40))
    document_id: Mapped[uuid.UUID | None] = mapped_column(Uuid)
    document_name: Mapped[str] = mapped_column(String(120))
    title: Mapped[str] = mapped_column(String(400))
    changes: Mapped[list[str]] = mapped_column(JSON)
    """What changed, a sentence each."""
    figures: Mapped[list[str]] = mapped_column(JSON)
    """What that came to, a sentence each; filled in once it is worked out."""
    picture: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    """Its staves then, small."""
    why: Mapped[str] = mapped_column(Text, default="")
    """What the user says of it."""
    marked: Mapped[bool] = mapped_column(Boolean, default=False)
    document: Mapped[dict[str, Any] | None] = mapped_column(JSON, deferred=True)
    """The document as it was then, to go back to."""
    before: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True), deferred=True)
    """What it was before, until figures and picture are worked out."""
