"""Batch work as a job: ``jv bank`` runs it, and its files stay beside the store."""

import json
import os
import signal
import subprocess
import sys
import uuid
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Any, Final, Literal

from pydantic import Field

from jorvik.bank.doing import DONE, FAILED
from jorvik.bank.results import read_table
from jorvik.bank.settings import WorkName
from jorvik.core.engine.run import Cancelled
from jorvik.core.limits import MAX_NAME
from jorvik.core.problems import Problem
from jorvik.core.units.words import counted
from jorvik.place import private_folder
from jorvik.store.cluster import data_folder
from jorvik.store.documents import Missing
from jorvik.store.jobs import Made
from jorvik.store.library import LibraryStore
from jorvik.web.forms.common import Form
from jorvik.web.services.workers import Cancel, Tell

_ENDS_S: Final = 30.0
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


def bank_title(form: BankJob) -> str:
    """Return what a work is called in a list."""
    return f"{form.work.capitalize()} of {form.name or counted(form.patches, 'patch')}"


def bank_about(form: BankJob) -> dict[str, Any]:
    """Return what is known of a work before it is done."""
    return {"work": form.work, "patches": form.patches, "pieces": form.pieces, "name": form.name}


def worker_count() -> int:
    """Return the number of processes for batch work: one core stays free for editing."""
    return max(1, (os.cpu_count() or 2) - 1)


def made_bank(form: BankJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return the table of a work, done now or gone on with. Raises Problem with what the command says, Cancelled."""
    folder = banks_folder() / form.run.hex
    if not (folder / "in").is_dir():
        raise Problem("the bank", "no patches that were set aside for it", "asked for anew")
    command = ["nice", "-n", str(_NICE), sys.executable, "-m", "jorvik.cli", "bank", form.work]
    command += [str(folder / "in"), "--out", str(folder / "out")]
    command += ["--settings", str(folder / "settings.json"), "--workers", str(worker_count()), "--progress", "json"]
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
    for record in read_table(results_folder(form.run)):
        if record["state"] == DONE and "rules" in record and (known := _document_of(record["file"])) is not None:
            library.keep_judgement(*known, record["loudness_lufs"], record["rules"] or [])


def _document_of(file: str) -> tuple[uuid.UUID, int] | None:
    """Return whose state a file of a work is, by its name."""
    stem, _, sequence = Path(file).stem.rpartition("-")
    try:
        return uuid.UUID(stem), int(sequence)
    except ValueError:
        return None


def results_folder(run: uuid.UUID) -> Path:
    """Return the folder with a batch's results. Raises Missing where it has none."""
    folder = banks_folder() / run.hex / "out"
    if not folder.is_dir():
        raise Missing("There are no files of that work; it may have been forgotten.")
    return folder
