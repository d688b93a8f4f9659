"""A row of notes as it is typed: ``C3 1/8 E3 1/8d . G3 1/4 v112``."""

import re
from typing import Any, Final

from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.limits import MAX_BARS, MAX_TEXT
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import is_note_value, quarters
from jorvik.core.units.values import PITCH, key_of

_VELOCITY: Final = re.compile(r"v(\d{1,3})$", re.IGNORECASE)
WANTED: Final = "a key as C3 or C3,Eb3,G3, a length as 1/8 or 1/8d, . for a rest, or how hard as v112"


def typed_notes(text: str, length: str = "1/8", velocity: float = 96.0, beats_per_bar: int = 4) -> list[dict[str, Any]]:
    """Return the notes of a typed row, one after the other, each with ``key``, ``velocity``, ``at`` and ``length``.

    A key is followed by its length and by how hard it is struck, where these are said; a length stays until another is
    said, how hard is of that note alone. Keys with commas between them are struck together; a dot is a rest.

    Raises Problem that names the word that was not understood.

    >>> [(n["key"], n["at"], n["length"]) for n in typed_notes("C3 1/8 E3 1/8d . G3 1/4")]
    [(48.0, 0.0, 0.5), (52.0, 0.5, 0.75), (55.0, 2.0, 1.0)]
    """
    if len(text) > MAX_TEXT:
        raise Problem("the row", f"{len(text)} letters", f"{MAX_TEXT} at most")
    lasts, at = quarters(length, beats_per_bar), 0.0
    notes: list[dict[str, Any]] = []
    said: list[tuple[list[float], float, float]] = []
    """Keys (none for a rest), length and velocity of each thing said."""
    for number, word in enumerate(text.replace(", ", ",").split(), 1):
        if word == ".":
            said.append(([], lasts, velocity))
        elif is_note_value(word):
            lasts = quarters(word, beats_per_bar)
            if said:
                said[-1] = (said[-1][0], lasts, said[-1][2])
        elif (match := _VELOCITY.match(word)) is not None and float(match[1]) <= 127.0:
            if said:
                said[-1] = (*said[-1][:2], float(match[1]))
            else:
                velocity = float(match[1])
        else:
            keys = [PITCH.match(part) for part in word.split(",")]
            if not all(keys):
                raise Problem(f"word {number} of the row", f'"{word[:40]}"', WANTED)
            said.append(([key_of(key) for key in keys if key is not None], lasts, velocity))
    for struck, long, hard in said:
        notes += [{"key": key, "velocity": hard, "at": at, "length": long} for key in struck]
        at += long
    return notes


def phrase_of(notes: list[dict[str, Any]], **fields: Any) -> Phrase:
    """Return a phrase of some notes, as many bars long as they take.

    Raises Problem where it is not sound.
    """
    beats = float(fields.get("beats_per_bar", 4))
    ends = max((note["at"] + note["length"] for note in notes), default=0.0)
    bars = min(max(1, -int(-(ends - 1e-9) // beats)), MAX_BARS)
    return check_phrase({"format": "jorvik-phrase", "version": 1, "bars": bars, **fields, "played": notes})
