"""The tables. A change here goes with a migration in ``migrations``; a test compares the two."""

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
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
    __table_args__ = (Index("documents_listed", "kind", "deleted_at", "name"), UniqueConstraint("kind", "demo"))

    id: Mapped[uuid.UUID] = mapped_column(Uuid, primary_key=True, default=uuid.uuid4)
    kind: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(120))
    tags: Mapped[list[str]] = mapped_column(JSON)
    words: Mapped[str] = mapped_column(Text)
    """What a search looks through, in small letters."""
    demo: Mapped[str | None] = mapped_column(String(60))
    """Name of the demo that it came from, so that demos are loaded once."""
    draft: Mapped[dict[str, Any]] = mapped_column(JSON)
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
