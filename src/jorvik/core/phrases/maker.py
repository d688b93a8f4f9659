"""Phrases made to a pattern over a held chord."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from jorvik.core.document.phrase import Phrase
from jorvik.core.phrases.typed import phrase_of
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import quarters

PATTERNS: Final = ("up", "down", "up and down", "as played", "random", "strokes", "long and short", "registers")
"""In which order the keys of a chord come; strokes spread evenly; long notes beside short; a bar in three octaves."""


@dataclass(frozen=True)
class Making:
    """What a phrase is made to."""

    pattern: str = "up"
    chord: Sequence[float] = (48.0, 51.0, 55.0)
    rate: str = "1/16"
    bars: int = 2
    octaves: int = 1
    gate: float = 0.8
    """Share of a step for which a note is held."""
    swing: float = 0.5
    """Where in a pair of steps the second begins: 0.5 is straight, 2/3 in triplets."""
    velocities: Sequence[float] = (96.0,)
    """How hard, step by step, again from the first: accents."""
    strokes: int = 5
    steps: int = 8
    seed: int = 1
    tempo_bpm: float = 96.0
    beats_per_bar: int = 4
    more: dict[str, Any] = field(default_factory=dict)
    """Further fields of the document, as its name."""


def made(making: Making) -> Phrase:
    """Return a phrase made to a pattern.

    Raises Problem for what no phrase can be made to.

    >>> [note.key for note in made(Making("up and down", (48, 51, 55), "1/4", bars=1, octaves=1)).played]
    [48.0, 51.0, 55.0, 51.0]
    """
    if making.pattern not in PATTERNS:
        raise Problem("the pattern", f'"{making.pattern}"', f"one of {', '.join(PATTERNS)}")
    if not making.chord:
        raise Problem("the chord", "no key", "one key or more, as C3,Eb3,G3")
    for name, low, high in (("octaves", 1, 4), ("gate", 0.01, 1.0), ("swing", 0.5, 0.9), ("bars", 1, 64)):
        if not low <= (value := getattr(making, name)) <= high:
            raise Problem(f"the {name}", f"{value:g}", f"{low:g} to {high:g}")
    if not 1 <= making.strokes <= making.steps <= 64:
        raise Problem(
            "the strokes", f"{making.strokes} in {making.steps} steps", "1 stroke or more, in 64 steps at most"
        )
    try:
        step = quarters(making.rate, making.beats_per_bar)
    except ValueError as error:
        raise Problem("the rate", f'"{making.rate}"', "a note value as 1/16 or 1/8t") from error
    if step <= 0.0:
        raise Problem("the rate", f'"{making.rate}"', "a note value longer than nothing")
    notes = _WAYS.get(making.pattern, _one_at_a_time)(making, step)
    about = {"tempo_bpm": making.tempo_bpm, "beats_per_bar": making.beats_per_bar, "bars": making.bars, **making.more}
    return phrase_of(notes, **about)


def _whole(making: Making) -> float:
    return float(making.bars * making.beats_per_bar)


def _struck(making: Making, number: int, key: float, step: float, length: float | None = None) -> dict[str, Any]:
    late = (2.0 * making.swing - 1.0) * step if number % 2 else 0.0
    hard = float(making.velocities[number % len(making.velocities)])
    return {
        "key": min(max(float(key), 0.0), 127.0),
        "velocity": hard,
        "at": number * step + late,
        "length": length or making.gate * step,
    }


def _one_at_a_time(making: Making, step: float) -> list[dict[str, Any]]:
    """One key of the chord a step, over some octaves."""
    chord = list(making.chord) if making.pattern == "as played" else sorted(making.chord)
    row = [key + 12.0 * octave for octave in range(making.octaves) for key in chord]
    if making.pattern == "down":
        row.reverse()
    elif making.pattern == "up and down":
        row += row[-2:0:-1]
    count = int(_whole(making) / step + 1e-9)
    drawn = np.random.default_rng(making.seed).integers(len(row), size=count)
    keys = [row[int(drawn[i]) if making.pattern == "random" else i % len(row)] for i in range(count)]
    return [_struck(making, i, key, step) for i, key in enumerate(keys)]


def _strokes(making: Making, step: float) -> list[dict[str, Any]]:
    """The chord at once, struck so often in so many steps, spread as evenly as whole steps allow."""
    count = int(_whole(making) / step + 1e-9)
    k, n = making.strokes, making.steps
    # A stroke falls where the running share of strokes comes to the next whole number.
    places = [i for i in range(count) if (i * k) % n < k]
    return [_struck(making, i, key, step) for i in places for key in making.chord]


def _long_and_short(making: Making, step: float) -> list[dict[str, Any]]:
    """By turns a note of three steps and one of a half, the next key of the chord each time."""
    notes, number, turn = [], 0, 0
    count = int(_whole(making) / step + 1e-9)
    while number < count:
        key = sorted(making.chord)[turn // 2 % len(making.chord)]
        is_long = turn % 2 == 0
        notes.append(_struck(making, number, key, step, (2.9 if is_long else 0.5) * step))
        number += 3 if is_long else 1
        turn += 1
    return notes


def _registers(making: Making, step: float) -> list[dict[str, Any]]:
    """A bar of the chord upward, the same an octave higher, and an octave lower, again and again."""
    a_bar = int(making.beats_per_bar / step + 1e-9)
    row = sorted(making.chord)
    count = int(_whole(making) / step + 1e-9)
    shifts = (0.0, 12.0, -12.0)
    keys = [row[i % a_bar % len(row)] + shifts[i // max(a_bar, 1) % 3] for i in range(count)]
    return [_struck(making, i, key, step) for i, key in enumerate(keys)]


_WAYS: Final[dict[str, Callable[[Making, float], list[dict[str, Any]]]]] = {
    "strokes": _strokes,
    "long and short": _long_and_short,
    "registers": _registers,
}
