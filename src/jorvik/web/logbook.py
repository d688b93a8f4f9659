"""Requests about the logbook, and what completes its entries behind the others' work."""

import asyncio
import logging
import re
import uuid
from contextlib import suppress
from dataclasses import asdict, fields
from datetime import date
from functools import partial
from typing import Annotated, Any, Final, Literal

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import Response
from pydantic import BeforeValidator, Field, StrictBool
from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.changes.figures import figure_changes
from jorvik.core.document.patch import check_patch
from jorvik.core.engine.run import Cancelled
from jorvik.core.limits import MAX_NAME, MAX_SEARCH, MAX_TEXT
from jorvik.core.measure.picture import picture
from jorvik.core.modules.base import PlainText, refusal
from jorvik.core.problems import Problem
from jorvik.formats.logbook import Written, logbook_html, logbook_markdown
from jorvik.store.kinds import check_kept
from jorvik.store.logbook import MOST_ENTRIES, Day, Entry, Logbook, LogQuery
from jorvik.web.forms import Document, Form
from jorvik.web.scheduler import Scheduler
from jorvik.web.store_calls import when_there
from jorvik.web.workers import Cancel, TaskBroke, Tell, WorkerDied

router = APIRouter(prefix="/log")

Act = Literal["fix", "target", "take", "range", "variant", "match"]
"""What enters itself from the screen; saves do so with what they save."""

_MOST_WRITTEN: Final = 20_000
_LOG = logging.getLogger("jorvik")


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


class Completer:
    """Works out figures and pictures of entries, one at a time, when nobody waits for anything else."""

    def __init__(self, logbook: Logbook, scheduler: Scheduler) -> None:
        self._logbook, self._scheduler = logbook, scheduler
        self._waiting = asyncio.Event()
        self._loop = asyncio.get_running_loop()
        self._stopped = False
        self._task: asyncio.Task[None] | None = None

    def begin(self) -> None:
        """Begin with what was left when the server was stopped."""
        self._waiting.set()
        self._task = asyncio.create_task(self._run())

    def wake(self) -> None:
        """Know that there is something new. From any thread."""
        self._loop.call_soon_threadsafe(self._waiting.set)

    async def stop(self) -> None:
        """Stop; what is not worked out is begun again with the next server."""
        self._stopped = True
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task

    async def _run(self) -> None:
        while True:
            await self._waiting.wait()
            self._waiting.clear()
            while lacking := await when_there(self._logbook.lacking):
                for entry, before, after in lacking:
                    figures, drawn = await self._worked_out(before, after)
                    try:
                        await when_there(partial(self._logbook.complete, entry, figures, drawn))
                    except SQLAlchemyError:
                        _LOG.exception("the figures of an entry of the logbook cannot be kept")
                        await when_there(partial(self._logbook.complete, entry, [], None))

    async def _worked_out(self, before: Document, after: Document) -> tuple[list[str], dict[str, Any] | None]:
        try:
            made: tuple[list[str], dict[str, Any] | None] = await self._scheduler.run_job(
                _figures_and_picture, (before, after), lambda: self._stopped, lambda _: None, "heavy"
            )
        except (Problem, Cancelled, WorkerDied, TaskBroke) as error:
            # One that cannot be worked out stands without figures, and keeps nobody from the next.
            _LOG.info("an entry of the logbook has no figures: %s", error)
            return [], None
        return made


def _figures_and_picture(
    before: Document, after: Document, cancelled: Cancel, _: Tell
) -> tuple[list[str], dict[str, Any] | None]:
    if after.get("format") != "jorvik-patch":
        return [], None
    patch = check_patch(after)
    drawn = asdict(picture(patch, cancelled))
    figures = [] if before == after else figure_changes(check_patch(before), patch, cancelled)
    return [one.sentence for one in figures], drawn
