"""Kinds of batch work: a file for each, with its facts in ``FACTS``.

A file is found by its name; nothing lists them.
"""

from collections.abc import Callable
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any

from jorvik.bank.pieces import Piece


@dataclass(frozen=True)
class Made:
    """What came of a piece."""

    figures: dict[str, Any]
    """A column of the table each: numbers, text, or lists, which become JSON."""
    files: dict[str, bytes] = field(default_factory=dict)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Do the work of a piece. Raises Problem where it cannot be done, Cancelled where it is given up."""
    made: Made = import_module(f"{__name__}.{piece.work}").make(piece, cancelled)
    return made
