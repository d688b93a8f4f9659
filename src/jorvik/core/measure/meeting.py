"""When sources of unlike period are all at their start again."""

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

import numpy as np

from jorvik.core.measure.closed_forms import meeting
from jorvik.core.measure.context import Context
from jorvik.core.measure.loops import loops
from jorvik.core.units.noticed import AUDIO_HZ

WITHIN_S: Final = 3600.0
NEAR: Final = 0.01
"""A free mover is at its start again within this share of its period."""
_FINEST: Final = 960


@dataclass(frozen=True)
class Meeting:
    """After how long sources meet."""

    beats: float
    bars: float
    seconds: float
    is_exact: bool


def periods(context: Context) -> dict[str, Fraction | float]:
    """Return the period in beats of each mover that is read: loops, and what repeats at a rate that nothing moves.

    A fraction is exact: of a loop, or of a note value. What repeats at audio rate is a tone, not a mover.
    """
    tempo = context.patch.performance.tempo
    beat_s = 60.0 / tempo.bpm
    found: dict[str, Fraction | float] = dict(loops(context))
    for module in context.patch.modules:
        moved = f"{module.id}.{module.repeats}" in context.trace.lanes
        hz = module.repeats_hz(tempo)
        if hz and hz < AUDIO_HZ and not moved and module.id not in found and context.is_read(module.id):
            beats = 1.0 / (hz * beat_s)
            locked = isinstance(getattr(module, str(module.repeats)), str)
            found[module.id] = Fraction(beats).limit_denominator(_FINEST) if locked else beats
    return found


def meet(beats: Mapping[str, Fraction | float], beat_s: float, beats_per_bar: int) -> Meeting | None:
    """Return when sources of these periods, in beats, are all at their start again; None where not within an hour.

    Fractions of a beat meet exactly, after their least common multiple. Free ones meet at the first
    whole turn of the longest that lies within 1 % of a period of a whole turn of each other.

    >>> meet({"a": Fraction(1), "b": Fraction(3, 2), "c": Fraction(2)}, 0.5, 4)
    Meeting(beats=6.0, bars=1.5, seconds=3.0, is_exact=True)
    >>> meet({"a": 1.0, "b": 2**0.5}, 0.5, 4).beats.__round__(3)
    16.971
    """
    exact = [value for value in beats.values() if isinstance(value, Fraction)]
    are_exact = len(exact) == len(beats)
    most = WITHIN_S / beat_s
    together = float(meeting(exact)) if are_exact else _first_near([float(v) for v in beats.values()], most)
    if together is None or together * beat_s > WITHIN_S:
        return None
    return Meeting(together, together / beats_per_bar, together * beat_s, are_exact)


def _first_near(values: list[float], most: float) -> float | None:
    longest = max(values)
    turns = longest * np.arange(1, int(most / longest) + 1)
    near = np.ones(turns.size, dtype=bool)
    for value in values:
        apart = turns / value
        near &= np.abs(apart - np.round(apart)) <= NEAR
    return float(turns[np.argmax(near)]) if near.any() else None
