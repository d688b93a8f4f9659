"""Facts about kinds of batch work, each declared in a file of ``work/``.

This module imports little: the help of the command line uses it.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module
from pathlib import Path
from typing import Final

WORK_NAMES: Final = tuple(
    sorted(path.stem for path in (Path(__file__).parent / "work").glob("*.py") if path.stem != "__init__")
)
"""The names of the kinds of batch work: those of their files."""


@dataclass(frozen=True)
class WorkFacts:
    """The facts of a kind of batch work, by which others need not name it."""

    title: str
    """Its name on the screen."""
    says: str
    """Its result, in a few words."""
    order: int
    """Its place among the others on the screen."""
    axes: tuple[str, ...] = ()
    """The notes and phrases that it is done over; it knows nothing of the others."""
    options: tuple[str, ...] = ()
    """The settings that make a difference to a piece."""
    requires: Mapping[str, str] = field(default_factory=dict)
    """The options that must be given, each with the words of the refusal."""
    repeats: str = ""
    """The option that says how many times a piece renders its patch."""
    is_sample_set: bool = False
    """True where its files are samples with a map for each patch."""
    piece_s: float = 0.05
    """Seconds that any piece takes, about."""
    row_s: float = 0.0
    """Seconds for each second of a signal or a lane, about."""
    piece_bytes: float = 0.0
    """Size of the files of a piece without sound, about."""
    has_gain: bool = False
    """True where it gives the loudness, and so the gain to a chosen loudness."""


@cache
def work_facts(name: str) -> WorkFacts:
    """Return what the file of a kind of work declares of it."""
    found: WorkFacts = import_module(f"jorvik.bank.work.{name}").FACTS
    return found
