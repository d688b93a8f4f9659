"""Work over many patches of the library: planned, then done by ``jv bank`` as a job, its files kept beside the store.

The command does it all, so that what survives there survives here: a job that was cut off goes on where it was.
"""

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import uuid
import zipfile
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Any, Final, Literal

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse
from pydantic import Field, ValidationError
from starlette.background import BackgroundTask

from jorvik.bank.doing import DONE, FAILED, write_whole
from jorvik.bank.pieces import plan
from jorvik.bank.results import read_table
from jorvik.bank.settings import BankSettings, WorkName, typed_notes
from jorvik.core.engine.run import Cancelled
from jorvik.core.limits import MAX_NAME
from jorvik.core.problems import Problem, from_validation
from jorvik.core.units.words import counted
from jorvik.formats.archive import Entry
from jorvik.place import private_folder
from jorvik.store.cluster import data_folder
from jorvik.store.documents import Missing
from jorvik.store.jobs import Job, Made
from jorvik.store.library import MOST_AT_ONCE, LibraryStore
from jorvik.web.forms import Form
from jorvik.web.workers import Cancel, Tell

router = APIRouter(prefix="/bank")

_MOST_ROWS: Final = 20_000
"""Of a table that is shown; the whole of it is a file."""
_ENDS_S: Final = 30.0
_NEW_S: Final = 600.0
_NICE: Final = 10
_MOST_BEGUN: Final = 4
"""The greatest number of times that one command is begun, where it is killed."""


def banks_folder() -> Path:
    """Return where the files of works over banks are: beside the database, or where JORVIK_BANKS says."""
    if given := os.environ.get("JORVIK_BANKS"):
        return Path(given)
    data = data_folder()
    return private_folder(data.with_name(f"{data.name}-banks"))


class BankJob(Form):
    """A work over documents that were set aside for it."""

    kind: Literal["bank"]
    run: uuid.UUID
    work: WorkName
    name: Annotated[str, Field(max_length=MAX_NAME)] = ""
    patches: Annotated[int, Field(strict=True, ge=0)] = 0
    pieces: Annotated[int, Field(strict=True, ge=0)] = 0
    against: uuid.UUID | None = None
    """An earlier one, of which is told what moved since."""


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


def bank_title(form: BankJob) -> str:
    """Return what a work is called in a list."""
    return f"{form.work.capitalize()} of {form.name or counted(form.patches, 'patch')}"


def bank_about(form: BankJob) -> dict[str, Any]:
    """Return what is known of a work before it is done."""
    return {"work": form.work, "patches": form.patches, "pieces": form.pieces, "name": form.name}


def _processes() -> int:
    """Return how many processes work at a bank: one core is left for whoever goes on editing."""
    return max(1, (os.cpu_count() or 2) - 1)


def made_bank(form: BankJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return the table of a work, done now or gone on with. Raises Problem with what the command says, Cancelled."""
    folder = banks_folder() / form.run.hex
    if not (folder / "in").is_dir():
        raise Problem("the bank", "no patches that were set aside for it", "asked for anew")
    command = ["nice", "-n", str(_NICE), sys.executable, "-m", "jorvik.cli", "bank", form.work]
    command += [str(folder / "in"), "--out", str(folder / "out")]
    command += ["--settings", str(folder / "settings.json"), "--workers", str(_processes()), "--progress", "json"]
    if form.against is not None and (earlier := banks_folder() / form.against.hex / "out").is_dir():
        command += ["--against", str(earlier)]
    for _ in range(_MOST_BEGUN):
        code, text = _run_command(command, folder / "said.txt", cancelled, tell)
        if cancelled() or code == 130:
            raise Cancelled
        # A command that was killed goes on where it was: every finished piece stands in its journal.
        if code >= 0:
            break
    if code not in (0, 1):
        raise Problem("the work", text.splitlines()[-1] if text else "an end without a word", "tried again")
    found = read_table(folder / "out")
    moved = [line for line in text.splitlines() if line.startswith("moved: ")]
    facts = {
        **bank_about(form),
        "failed": sum(record["state"] == FAILED for record in found),
        "faults": sum(int(record.get("faults") or 0) for record in found),
        "moved": len(moved),
        "files": sum(len(record.get("files") or ()) for record in found),
    }
    data = json.dumps({"moved": [one.removeprefix("moved: ") for one in moved]})
    return Made(data.encode(), "application/json", "results.json", facts)


def _run_command(command: list[str], said: Path, cancelled: Cancel, tell: Tell) -> tuple[int, str]:
    """Run a command to its end; return its exit code and its messages.

    The code is negative where a signal ended the command.
    """
    with said.open("wb") as messages:
        said.chmod(0o600)
        running = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=messages, start_new_session=True)
    try:
        _follow(running, cancelled, tell)
    finally:
        _end(running)
    return running.returncode, said.read_text(encoding="utf-8", errors="replace").strip()


def _follow(running: subprocess.Popen[bytes], cancelled: Cancel, tell: Tell) -> None:
    """Tell how far the command is until it ends or is given up."""
    assert running.stdout is not None
    os.set_blocking(running.stdout.fileno(), False)
    rest = b""
    while running.poll() is None and not cancelled():
        rest += running.stdout.read() or b""
        *lines, rest = rest.split(b"\n")
        if lines:
            told = json.loads(lines[-1])
            tell((told["done"] / max(told["of"], 1), lines[-1]))
        try:
            running.wait(0.2)
        except subprocess.TimeoutExpired:
            continue


def _end(running: subprocess.Popen[bytes]) -> None:
    """Have the command end, with its table written; should it not, end it and all that it began."""
    if running.poll() is None:
        running.send_signal(signal.SIGINT)
        with suppress(subprocess.TimeoutExpired):
            running.wait(_ENDS_S)
    # One that was killed leaves the processes that it began.
    with suppress(ProcessLookupError):
        os.killpg(running.pid, signal.SIGKILL)
    running.wait()
    if running.stdout is not None:
        running.stdout.close()


def keep_judgements(form: BankJob, _: Made, library: LibraryStore) -> None:
    """Let patches be found by what a check found in them, and by how loud they are."""
    for record in read_table(_out(form.run)):
        if record["state"] == DONE and "rules" in record and (known := _document_of(record["file"])) is not None:
            library.keep_judgement(*known, record["loudness_lufs"], record["rules"] or [])


def _document_of(file: str) -> tuple[uuid.UUID, int] | None:
    """Return whose state a file of a work is, by its name."""
    stem, _, sequence = Path(file).stem.rpartition("-")
    try:
        return uuid.UUID(stem), int(sequence)
    except ValueError:
        return None


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
        work_s=made.work_s / _processes(),
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


def _out(run: uuid.UUID) -> Path:
    folder = banks_folder() / run.hex / "out"
    if not folder.is_dir():
        raise Missing("There are no files of that work; it may have been forgotten.")
    return folder


@router.get("/runs/{run}/table")
def get_table(run: uuid.UUID) -> BankTable:
    """Return the table of a work that has ended, however it did."""
    try:
        found = read_table(_out(run))
    except FileNotFoundError:
        raise Missing("There is no table of that work yet.") from None
    return BankTable(rows=found[:_MOST_ROWS], of=len(found))


@router.get("/runs/{run}/files/{name}", response_class=FileResponse)
def get_file(run: uuid.UUID, name: str) -> FileResponse:
    """Return a file that a work made."""
    path = _out(run) / name
    if Path(name).name != name or name.startswith(".") or not path.is_file():
        raise Missing("There is no such file of that work.")
    return FileResponse(path, filename=name)


@router.get("/runs/{run}/all.zip", response_class=FileResponse)
def get_all(run: uuid.UUID) -> FileResponse:
    """Return everything that a work made, as one zip."""
    out = _out(run)
    with tempfile.NamedTemporaryFile(suffix=".zip", delete=False) as made:
        with zipfile.ZipFile(made, "w", zipfile.ZIP_STORED) as archive:
            for path in sorted(out.iterdir()):
                if path.is_file() and not path.name.startswith("."):
                    archive.write(path, path.name)
        name = made.name
    return FileResponse(name, filename="bank.zip", background=BackgroundTask(Path(name).unlink))
