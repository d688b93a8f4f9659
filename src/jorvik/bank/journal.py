"""What is done of a work, a line a piece, as it comes: whoever is killed, what stands here stands."""

import fcntl
import json
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Final

from jorvik.bank.doing import DONE, Row
from jorvik.core.problems import Problem

JOURNAL: Final = "journal.jsonl"
_POLL_S: Final = 0.1


class Journal:
    """The rows of a folder, open to be added to."""

    def __init__(self, file: IO[bytes], folder: Path, rows: dict[str, Row]) -> None:
        self._file = file
        self._folder = folder
        self.rows = rows
        self._writers = {name: row.id for row in rows.values() for name in row.files}

    def file_of_another(self, row: Row) -> str:
        """Return a file of a row that another piece has written, or an empty text."""
        return next((name for name in row.files if self._writers.get(name, row.id) != row.id), "")

    def add(self, row: Row) -> None:
        """Keep a row, for good once this returns."""
        self._file.write(json.dumps(vars(row), separators=(",", ":")).encode() + b"\n")
        self._file.flush()
        os.fsync(self._file.fileno())
        self.rows[row.id] = row
        self._writers.update(dict.fromkeys(row.files, row.id))

    def has(self, piece_id: str) -> bool:
        """Tell whether a piece need not be done again: it is done and its files are there, or it failed by itself."""
        row = self.rows.get(piece_id)
        if row is None or row.again:
            return False
        return row.state != DONE or all((self._folder / name).is_file() for name in row.files)


@contextmanager
def opened(folder: Path, patience_s: float = 0.0) -> Iterator[Journal]:
    """Have the journal of a folder. Raises Problem where another command works there, and goes on to."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = folder / JOURNAL
    with path.open("a+b") as file:
        path.chmod(0o600)
        began = time.monotonic()
        while not _locked(file):
            if time.monotonic() - began >= patience_s:
                raise Problem(str(folder), "another command that works in it", "waited for, or another folder")
            time.sleep(_POLL_S)
        whole, rows = _read(path.read_bytes())
        # What was cut off in the middle of a line when the power went is written anew.
        file.truncate(whole)
        yield Journal(file, folder, rows)


def _locked(file: IO[bytes]) -> bool:
    """Take the file for this process alone; tell whether it could be had."""
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True


def read(folder: Path) -> dict[str, Row]:
    """Return the rows of a folder; none where there is no journal."""
    path = folder / JOURNAL
    return _read(path.read_bytes())[1] if path.is_file() else {}


def _read(data: bytes) -> tuple[int, dict[str, Row]]:
    """Return how much of a journal is whole lines, and their rows; of a piece that stands twice the later."""
    rows: dict[str, Row] = {}
    whole = 0
    for line in data.splitlines(keepends=True):
        try:
            if not line.endswith(b"\n"):
                break
            row = Row(**json.loads(line))
        except (ValueError, TypeError):
            break
        rows[row.id] = row
        whole += len(line)
    return whole, rows
