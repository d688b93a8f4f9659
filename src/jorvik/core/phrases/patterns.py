"""Phrases made to a pattern over a held chord."""

from collections.abc import Callable
from typing import Any, Final, NamedTuple

import numpy as np

from jorvik.core.document.pattern import Pattern
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.limits import MAX_PATTERN_STEPS
from jorvik.core.problems import Problem, shown
from jorvik.core.units.tempo import quarters


class _Steps(NamedTuple):
    """The grid that a pattern is laid on."""

    beats: float
    """Of a step."""
    number: int
    a_bar: int
    """Steps in a bar, one at least."""


def with_pattern(phrase: Phrase, pattern: Pattern) -> Phrase:
    """Return a phrase with notes made to a pattern over its bars, in the place of its own.

    Raises Problem for a rate that is no note value, and for more notes than a phrase may have.

    >>> of = check_phrase({"format": "jorvik-phrase", "version": 1, "bars": 1})
    >>> up_and_down = Pattern(kind="up and down", chord=[48, 51, 55], rate="1/4")
    >>> [note.key for note in with_pattern(of, up_and_down).played]
    [48.0, 51.0, 55.0, 51.0]
    """
    try:
        step = quarters(pattern.rate, phrase.beats_per_bar)
    except ValueError as error:
        raise Problem("rate", shown(pattern.rate), "a note value as 1/16 or 1/8t") from error
    if step <= 0.0:
        raise Problem("rate", shown(pattern.rate), "a note value longer than nothing")
    beats = phrase.bars * phrase.beats_per_bar
    if beats / step > MAX_PATTERN_STEPS:
        raise Problem("rate", f"{beats / step:.6g} steps in {phrase.bars} bars", f"{MAX_PATTERN_STEPS} steps at most")
    steps = _Steps(step, int(beats / step + 1e-9), max(1, int(phrase.beats_per_bar / step + 1e-9)))
    notes = _WAYS.get(pattern.kind, _one_at_a_time)(pattern, steps)
    return check_phrase({**phrase.document(), "played": notes})


def _struck(pattern: Pattern, number: int, key: float, step: float, length: float | None = None) -> dict[str, Any]:
    late = (2.0 * pattern.swing - 1.0) * step if number % 2 else 0.0
    hard = float(pattern.velocities[number % len(pattern.velocities)])
    return {
        "key": min(max(float(key), 0.0), 127.0),
        "velocity": hard,
        "at": number * step + late,
        "length": length or pattern.gate * step,
    }


def _one_at_a_time(pattern: Pattern, steps: _Steps) -> list[dict[str, Any]]:
    """One key of the chord a step, over some octaves."""
    chord = list(pattern.chord) if pattern.kind == "as played" else sorted(pattern.chord)
    row = [key + 12.0 * octave for octave in range(pattern.octaves) for key in chord]
    if pattern.kind == "down":
        row.reverse()
    elif pattern.kind == "up and down":
        row += row[-2:0:-1]
    drawn = np.random.default_rng(pattern.seed).integers(len(row), size=steps.number)
    keys = [row[int(drawn[i]) if pattern.kind == "random" else i % len(row)] for i in range(steps.number)]
    return [_struck(pattern, i, key, steps.beats) for i, key in enumerate(keys)]


def _strokes(pattern: Pattern, steps: _Steps) -> list[dict[str, Any]]:
    """The chord at once, struck so often in so many steps, spread as evenly as whole steps allow."""
    k, n = pattern.strokes, pattern.steps
    # A stroke falls where the running share of strokes comes to the next whole number.
    places = [i for i in range(steps.number) if (i * k) % n < k]
    return [_struck(pattern, i, key, steps.beats) for i in places for key in pattern.chord]


def _long_and_short(pattern: Pattern, steps: _Steps) -> list[dict[str, Any]]:
    """By turns a note of three steps and one of a half, the next key of the chord each time."""
    notes, number, turn = [], 0, 0
    while number < steps.number:
        key = sorted(pattern.chord)[turn // 2 % len(pattern.chord)]
        is_long = turn % 2 == 0
        notes.append(_struck(pattern, number, key, steps.beats, (2.9 if is_long else 0.5) * steps.beats))
        number += 3 if is_long else 1
        turn += 1
    return notes


def _registers(pattern: Pattern, steps: _Steps) -> list[dict[str, Any]]:
    """A bar of the chord upward, the same an octave higher, and an octave lower, again and again."""
    row = sorted(pattern.chord)
    shifts = (0.0, 12.0, -12.0)
    keys = [row[i % steps.a_bar % len(row)] + shifts[i // steps.a_bar % 3] for i in range(steps.number)]
    return [_struck(pattern, i, key, steps.beats) for i, key in enumerate(keys)]


_WAYS: Final[dict[str, Callable[[Pattern, _Steps], list[dict[str, Any]]]]] = {
    "strokes": _strokes,
    "long and short": _long_and_short,
    "registers": _registers,
}
