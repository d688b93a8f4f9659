"""A phrase changed as a whole, or some of its notes: repeated, shifted, transposed, stretched, humanised."""

from collections.abc import Collection
from typing import Any

import numpy as np

from jorvik.core.document.phrase import Phrase, check_phrase

_HUMAN_S = 0.012
_HUMAN_VELOCITY = 9.0


def repeated(phrase: Phrase, times: int = 2) -> Phrase:
    """Return a phrase so many times in a row: notes, hits and lanes.

    Raises Problem where that is more than a phrase may hold.
    """
    document = phrase.document()
    beats = float(phrase.bars * phrase.beats_per_bar)
    turns = range(times)

    def again(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
        return [{**row, "at": row.get("at", 0.0) + turn * beats} for turn in turns for row in rows]

    document["bars"] = phrase.bars * times
    document["played"] = again(document.get("played", []))
    document["hits"] = [{**hit, "strikes": again(hit.get("strikes", []))} for hit in document.get("hits", [])]
    lanes = document.get("controls", {}).items()
    document["controls"] = {
        name: [[at + turn * beats, value] for turn in turns for at, value in points] for name, points in lanes
    }
    return check_phrase(document)


def changed(
    phrase: Phrase,
    notes: Collection[int] | None = None,
    shift: float = 0.0,
    transpose: float = 0.0,
    stretch: float = 1.0,
    human_seed: int | None = None,
) -> Phrase:
    """Return a phrase with notes (all, or those of some numbers) moved, transposed or stretched; or by a human hand.

    ``shift`` is in quarter notes, ``transpose`` in semitones, ``stretch`` a factor of times and lengths: of all notes
    from the beginning, and hits and lanes go with them; of some, from where the first of them begins. A seed of a human
    hand moves each note by up to 12 ms and each velocity by up to 9, normally spread within that.

    Raises Problem where a note would leave its range.
    """
    document = phrase.document()
    drawn = np.random.default_rng(human_seed or 0)
    chosen = [n for n in range(len(phrase.played)) if notes is None or n in notes]
    origin = 0.0 if notes is None else min((phrase.played[n].at for n in chosen), default=0.0)

    def later(at: float) -> float:
        return origin + (at - origin) * stretch + shift

    played = [note.model_dump() for note in phrase.played]
    for number in chosen:
        row = played[number]
        row["at"] = later(row["at"])
        row["length"] *= stretch
        row["key"] += transpose
        if human_seed is not None:
            row["at"] = max(0.0, row["at"] + _within(drawn) * _HUMAN_S / phrase.beat_s)
            row["velocity"] = min(max(row["velocity"] + _within(drawn) * _HUMAN_VELOCITY, 1.0), 127.0)
    if notes is None:
        for strike in (strike for hit in document.get("hits", []) for strike in hit.get("strikes", [])):
            strike["at"] = later(strike.get("at", 0.0))
        lanes = document.get("controls", {}).items()
        document["controls"] = {name: [[later(at), value] for at, value in points] for name, points in lanes}
    document["played"] = played
    return check_phrase(document)


def _within(drawn: np.random.Generator) -> float:
    return float(min(max(drawn.normal(0.0, 0.4), -1.0), 1.0))
