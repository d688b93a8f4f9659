"""Requests about batch work: planned, started, its results read."""

import json
import shutil
import tempfile
import time
import uuid
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Final

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse
from pydantic import Field, ValidationError
from starlette.background import BackgroundTask

from jorvik.bank.doing import write_whole
from jorvik.bank.pieces import plan
from jorvik.bank.results import read_table
from jorvik.bank.settings import BankSettings, typed_notes
from jorvik.core.limits import MAX_NAME
from jorvik.core.problems import Problem, from_validation
from jorvik.formats.archive import Entry
from jorvik.place import private_folder
from jorvik.store.documents import Missing
from jorvik.store.jobs import Job
from jorvik.store.library import MOST_AT_ONCE, LibraryStore
from jorvik.web.forms.common import Form
from jorvik.web.services.banks import BankJob, bank_about, bank_title, banks_folder, results_folder, worker_count

router = APIRouter(prefix="/bank")

_MOST_ROWS: Final = 20_000
"""Of a table that is shown; the whole of it is a file."""
_NEW_S: Final = 600.0


class TypedNotes(Form):
    """At which notes, as it is typed: values with commas between; nothing for the patch's own."""

    keys: Annotated[str, Field(max_length=2000)] = ""
    velocities: Annotated[str, Field(max_length=2000)] = ""
    lengths: Annotated[str, Field(max_length=2000)] = ""
    seeds: Annotated[str, Field(max_length=2000)] = ""


class BankRequest(Form):
    """Which patches, and what is done with them."""

    ids: Annotated[list[uuid.UUID], Field(min_length=1, max_length=MOST_AT_ONCE)]
    name: Annotated[str, Field(max_length=MAX_NAME)] = ""
    settings: BankSettings
    notes: TypedNotes = TypedNotes()
    against: uuid.UUID | None = None

    def whole_settings(self) -> BankSettings:
        """Return the settings with the notes that were typed. Raises Problem with what of them cannot be."""
        try:
            return BankSettings.model_validate({**self.settings.model_dump(), **typed_notes(self.notes.model_dump())})
        except ValidationError as error:
            raise from_validation(error, ()) from None


class BankPlan(Form):
    """What would be done."""

    patches: int
    pieces: int
    sound_s: float
    work_s: float
    """About how long it takes here."""
    file_bytes: float
    unfit: list[str]


class BankTable(Form):
    """What became of each piece."""

    rows: list[dict[str, Any]]
    of: int
    """How many there are; no more than 20 000 are in ``rows``."""


def _entries(form: BankRequest, library: LibraryStore) -> Iterator[Entry]:
    for head, _, document in library.drafts(form.ids):
        yield Entry(f"{head.id}-{head.sequence}.json", document)


@router.post("/plan")
def post_plan(request: Request, form: BankRequest) -> BankPlan:
    """Return what would be done: how many pieces, how long they sound, how long it takes, how large what it writes."""
    made = plan(list(_entries(form, request.app.state.library)), form.whole_settings())
    return BankPlan(
        patches=len({piece.file for piece in made.pieces}),
        pieces=len(made.pieces),
        sound_s=made.seconds,
        work_s=made.work_s / worker_count(),
        file_bytes=made.file_bytes,
        unfit=[entry.trouble for entry in made.unfit],
    )


@router.put("/runs/{run}", status_code=201)
def put_run(request: Request, run: uuid.UUID, form: BankRequest) -> Job:
    """Begin a work under an identity of the asker's own, over the patches as they stand now; asked again it is it."""
    jobs = request.app.state.jobs
    entries = list(_entries(form, request.app.state.library))
    settings = form.whole_settings()
    made = plan(entries, settings)
    if not made.pieces:
        raise Problem("the work", "no patch", "one patch at least")
    folder = banks_folder() / run.hex
    if not folder.exists():
        _forget_old({job.id for job in jobs.store.jobs()})
        private_folder(folder)
        for entry in entries:
            write_whole(folder / "in" / entry.file, json.dumps(entry.document).encode())
        write_whole(folder / "settings.json", settings.model_dump_json().encode())
    patches = len({piece.file for piece in made.pieces})
    asked = BankJob(
        kind="bank",
        run=run,
        work=settings.work,
        name=form.name,
        patches=patches,
        pieces=len(made.pieces),
        against=form.against,
    )
    about = bank_about(asked)
    job: Job = jobs.store.add(run, "bank", bank_title(asked), asked.model_dump(mode="json"), about)
    jobs.wake_soon()
    return job


def _forget_old(known: set[uuid.UUID]) -> None:
    """Take away the files of works that nobody keeps any more; what is new may be about to be asked for."""
    root, names = banks_folder(), {one.hex for one in known}
    for folder in root.iterdir() if root.is_dir() else ():
        if folder.name not in names and time.time() - folder.stat().st_mtime > _NEW_S:
            shutil.rmtree(folder, ignore_errors=True)


@router.get("/runs/{run}/table")
def get_table(run: uuid.UUID) -> BankTable:
    """Return the table of a work that has ended, however it did."""
    try:
        found = read_table(results_folder(run))
    except FileNotFoundError:
        raise Missing("There is no table of that work yet.") from None
    return BankTable(rows=found[:_MOST_ROWS], of=len(found))


@router.get("/runs/{run}/files/{name}", response_class=FileResponse)
def get_file(run: uuid.UUID, name: str) -> FileResponse:
    """Return a file that a work made."""
    path = results_folder(run) / name
    if Path(name).name != name or name.startswith(".") or not path.is_file():
        raise Missing("There is no such file of that work.")
    return FileResponse(path, filename=name)


@router.get("/runs/{run}/all.zip", response_class=FileResponse)
def get_all(run: uuid.UUID) -> FileResponse:
    """Return everything that a work made, as one zip."""
    out = results_folder(run)
    with tempfile.NamedTemporaryFile(suffix=".zip", delete=False) as made:
        with zipfile.ZipFile(made, "w", zipfile.ZIP_STORED) as archive:
            for path in sorted(out.iterdir()):
                if path.is_file() and not path.name.startswith("."):
                    archive.write(path, path.name)
        name = made.name
    return FileResponse(name, filename="bank.zip", background=BackgroundTask(Path(name).unlink))
