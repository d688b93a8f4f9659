"""Requests about the logbook."""

import re
import uuid
from dataclasses import fields
from datetime import date
from typing import Annotated, Final, Literal

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import Response
from pydantic import BeforeValidator, Field, StrictBool

from jorvik.core.limits import MAX_NAME, MAX_SEARCH, MAX_TEXT
from jorvik.core.modules.base import PlainText, refusal
from jorvik.formats.logbook import Written, logbook_html, logbook_markdown
from jorvik.store.kinds import check_kept
from jorvik.store.logbook import MOST_ENTRIES, Day, Entry, Logbook, LogQuery
from jorvik.web.forms.common import Document, Form

router = APIRouter(prefix="/log")

Act = Literal["fix", "target", "take", "range", "variant", "match"]
"""What enters itself from the screen; saves do so with what they save."""

_MOST_WRITTEN: Final = 20_000


def _logbook(request: Request) -> Logbook:
    logbook: Logbook = request.app.state.logbook
    return logbook


TheLogbook = Annotated[Logbook, Depends(_logbook)]


def _check_iso_day(day: object) -> object:
    """Refuse a number, which would be read as seconds since 1970."""
    if isinstance(day, str) and not re.fullmatch(r"\d{4}-\d{2}-\d{2}", day):
        raise refusal("a day as 2031-02-28")
    return day


IsoDay = Annotated[date, BeforeValidator(_check_iso_day)]


class Wanted(Form):
    """Which entries are wanted."""

    search: Annotated[str, Field(max_length=MAX_SEARCH)] = ""
    day: IsoDay | None = None
    document: uuid.UUID | None = None
    marked: bool = False

    def query(self) -> LogQuery:
        """Return what the store looks for."""
        return LogQuery(self.search, self.day, self.document, self.marked)


class WantedPage(Wanted):
    """A page of them."""

    limit: Annotated[int, Field(ge=1, le=MOST_ENTRIES)] = 50
    offset: Annotated[int, Field(ge=0, le=10**7)] = 0


class NewEntry(Form):
    """Something that was done to a document."""

    act: Act
    title: Annotated[PlainText, Field(min_length=1, max_length=400)]
    document_id: uuid.UUID | None = None
    before: Document | None = None
    after: Document


class NewNote(Form):
    """What the user says, of a document or of the day."""

    text: Annotated[PlainText, Field(min_length=1, max_length=MAX_TEXT)]
    document_id: uuid.UUID | None = None
    name: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class Said(Form):
    """What the user says of an entry."""

    why: Annotated[PlainText, Field(max_length=MAX_TEXT)] | None = None
    marked: StrictBool | None = None


@router.get("")
def get_entries(wanted: Annotated[WantedPage, Query()], logbook: TheLogbook) -> list[Entry]:
    """Return entries, the newest first."""
    return logbook.entries(wanted.query(), wanted.limit, wanted.offset)


@router.get("/days")
def get_days(wanted: Annotated[Wanted, Query()], logbook: TheLogbook) -> list[Day]:
    """Return the days that have entries."""
    return logbook.days(wanted.query())


@router.get("/written.{ending}", response_class=Response)
def get_written(ending: Literal["md", "html"], wanted: Annotated[Wanted, Query()], logbook: TheLogbook) -> Response:
    """Return entries written out as Markdown or HTML."""
    entries: list[Written] = []
    while len(entries) < _MOST_WRITTEN:
        page = logbook.entries(wanted.query(), MOST_ENTRIES, len(entries))
        entries += [Written(**{f.name: getattr(entry, f.name) for f in fields(Written)}) for entry in page]
        if len(page) < MOST_ENTRIES:
            break
    text, kind = (
        (logbook_markdown(entries), "text/markdown") if ending == "md" else (logbook_html(entries), "text/html")
    )
    headers = {"Content-Disposition": f'attachment; filename="logbook.{ending}"'}
    return Response(text, media_type=f"{kind}; charset=utf-8", headers=headers)


@router.post("", status_code=201)
def post_entry(request: Request, new: NewEntry, logbook: TheLogbook) -> Entry:
    """Enter that something was done; what it came to in figures is added once it is worked out."""
    for document in (new.before, new.after):
        if document is not None:
            check_kept(document)
    entry = logbook.enter(new.act, new.title, new.document_id, new.before, new.after)
    request.app.state.completer.wake()
    return entry


@router.post("/notes", status_code=201)
def post_note(new: NewNote, logbook: TheLogbook) -> Entry:
    """Enter what the user says."""
    return logbook.note(new.text, new.document_id, new.name)


@router.put("/{entry_id:uuid}")
def put_said(entry_id: uuid.UUID, said: Said, logbook: TheLogbook) -> Entry:
    """Keep what the user says of an entry."""
    return logbook.say(entry_id, said.why, said.marked)


@router.get("/{entry_id:uuid}/document")
def get_document(entry_id: uuid.UUID, logbook: TheLogbook) -> Document:
    """Return a document as it was when something was entered."""
    return logbook.document(entry_id)
