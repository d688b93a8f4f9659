"""The logbook: what was done and why, by day and by patch. Nothing in it goes when its document does."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Final

from sqlalchemy import ColumnElement, String, cast, func, or_, select

from jorvik.store.database import Store
from jorvik.store.documents import Missing
from jorvik.store.kinds import Document
from jorvik.store.logging import enter
from jorvik.store.tables import LogRow

MOST_ENTRIES: Final = 200
"""In one page."""


@dataclass(frozen=True)
class Entry:
    """One entry of the logbook."""

    id: uuid.UUID
    at: datetime
    act: str
    document_id: uuid.UUID | None
    document_name: str
    title: str
    changes: list[str]
    figures: list[str]
    picture: dict[str, Any] | None
    why: str
    marked: bool


@dataclass(frozen=True)
class Day:
    """A day on which something was entered."""

    day: date
    count: int


@dataclass(frozen=True)
class LogQuery:
    """Which entries are wanted."""

    search: str = ""
    day: date | None = None
    document: uuid.UUID | None = None
    marked: bool = False


class Logbook(Store):
    """Reads and writes the logbook."""

    def enter(
        self, act: str, title: str, document_id: uuid.UUID | None, before: Document | None, after: Document
    ) -> Entry:
        """Enter that something was done, with what it changed in words."""
        with self._session() as session:
            row = enter(session, act, title, document_id, before, after)
            session.flush()
            session.refresh(row)
            return _entry(row)

    def entries(self, query: LogQuery, limit: int = 50, offset: int = 0) -> list[Entry]:
        """Return entries, the newest first, without the documents."""
        wanted = select(LogRow).where(*_wanted(query)).order_by(LogRow.at.desc(), LogRow.id)
        with self._session() as session:
            rows = session.scalars(wanted.limit(min(limit, MOST_ENTRIES)).offset(offset))
            return [_entry(row) for row in rows]

    def days(self, query: LogQuery) -> list[Day]:
        """Return the days that have entries, the newest first."""
        day = func.date(LogRow.at)
        wanted = select(day, func.count()).where(*_wanted(query)).group_by(day).order_by(day.desc())
        with self._session() as session:
            return [Day(*row) for row in session.execute(wanted)]

    def document(self, entry: uuid.UUID) -> Document:
        """Return a document as it was when something was entered. Raises Missing where there is none."""
        with self._session() as session:
            document = session.scalar(select(LogRow.document).where(LogRow.id == entry))
            if document is None:
                raise Missing("The logbook has no such entry, or none with a document.")
            return document

    def say(self, entry: uuid.UUID, why: str | None = None, marked: bool | None = None) -> Entry:
        """Keep what the user says of an entry. Raises Missing where there is none."""
        with self._session() as session:
            row = session.get(LogRow, entry)
            if row is None:
                raise Missing("The logbook has no such entry.")
            row.why = row.why if why is None else why
            row.marked = row.marked if marked is None else marked
            session.flush()
            return _entry(row)

    def note(self, text: str, document_id: uuid.UUID | None, name: str) -> Entry:
        """Enter what the user says, of a document or of the day."""
        with self._session() as session:
            row = LogRow(
                id=uuid.uuid4(), act="note", document_id=document_id, document_name=name, title="noted",
                changes=[], figures=[], why=text, marked=False,
            )  # fmt: skip
            session.add(row)
            session.flush()
            session.refresh(row)
            return _entry(row)

    def lacking(self, limit: int = 8) -> list[tuple[uuid.UUID, Document, Document]]:
        """Return entries of which figures and picture are yet to be worked out, as each was before and after."""
        wanted = select(LogRow.id, LogRow.before, LogRow.document).where(LogRow.before.isnot(None))
        with self._session() as session:
            return [(row[0], row[1], row[2]) for row in session.execute(wanted.order_by(LogRow.at).limit(limit))]

    def complete(self, entry: uuid.UUID, figures: Sequence[str], picture: dict[str, Any] | None) -> None:
        """Add what takes time to work out."""
        with self._session() as session:
            row = session.get(LogRow, entry)
            if row is not None:
                row.figures, row.picture, row.before = list(figures), picture, None


def _wanted(query: LogQuery) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if query.document is not None:
        found.append(LogRow.document_id == query.document)
    if query.marked:
        found.append(LogRow.marked.is_(True))
    if query.day is not None:
        found.append(func.date(LogRow.at) == query.day)
    for word in query.search.split():
        places = (LogRow.document_name, LogRow.title, LogRow.why, cast(LogRow.changes, String), LogRow.act)
        found.append(or_(*(place.icontains(word, autoescape=True) for place in places)))
    return found


def _entry(row: LogRow) -> Entry:
    names = Entry.__dataclass_fields__
    return Entry(**{name: getattr(row, name) for name in names})
