"""Doing one piece, wherever that is: bounded in time and memory, and never anything but a row in the end."""

import os
import resource
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from jorvik.bank.pieces import Piece, engine_version
from jorvik.bank.work import make
from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem

DONE: Final = "done"
FAILED: Final = "failed"
ASIDE: Final = "set aside"


@dataclass(frozen=True)
class Limits:
    """What a piece may take."""

    seconds: float = 600.0
    memory_bytes: int = 1_500_000_000
    """Of a worker's data, what it needs to be there included."""


@dataclass(frozen=True)
class Row:
    """What became of a piece."""

    id: str
    state: str
    said: str = ""
    """Why it failed, or was set aside, in a sentence."""
    again: bool = False
    """Whether it is tried once more by the next run: what failed was not the piece itself."""
    seconds_taken: float = 0.0
    figures: dict[str, Any] = field(default_factory=dict)
    files: list[str] = field(default_factory=list)


def bound_memory(most_bytes: int) -> None:
    """Let this process have no more data than that; what asks for more gets a MemoryError."""
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, hard))


def do(piece: Piece, limits: Limits, version: str, folder: str | None) -> tuple[Row, dict[str, bytes]]:
    """Return the row of a piece; its files are written into a folder, or returned where there is none.

    Nothing is raised but what stops the process.
    """
    began = time.monotonic()
    if version != engine_version():
        return Row(piece.id, FAILED, "This worker has another version of Jorvik.", again=True), {}
    try:
        made = make(piece, lambda: time.monotonic() - began > limits.seconds)
    except Problem as problem:
        return Row(piece.id, FAILED, str(problem), seconds_taken=time.monotonic() - began), {}
    except Cancelled:
        return Row(piece.id, FAILED, f"It took longer than {limits.seconds:g} s.", seconds_taken=limits.seconds), {}
    except MemoryError:
        said = f"It needs more memory than the {limits.memory_bytes / 1e6:.0f} MB that a worker has."
        return Row(piece.id, FAILED, said, seconds_taken=time.monotonic() - began), {}
    except Exception as error:
        # A fault of ours costs its own piece, and is named.
        said = f"Jorvik had a fault of its own: {type(error).__name__}: {error}"
        return Row(piece.id, FAILED, said, seconds_taken=time.monotonic() - began), {}
    files = made.files
    if folder is not None:
        for name, data in files.items():
            write_whole(Path(folder) / name, data)
        files = {}
    row = Row(piece.id, DONE, "", False, time.monotonic() - began, made.figures, sorted(made.files))
    return row, files


def write_whole(path: Path, data: bytes) -> None:
    """Write a file in full or not at all, for its owner alone to read."""
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=".", suffix=".part")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(name).replace(path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
