"""How far two patches lie apart in just-noticeable differences: by the curves of a note, or by what is heard of it."""

import math
from collections.abc import Callable
from typing import Final, NamedTuple

import numpy as np

from jorvik.core.analysis.sound_lanes import bands_over_time
from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import never
from jorvik.core.engine.trace import trace
from jorvik.core.limits import COARSE_RATE, DEFAULT_RATE
from jorvik.core.practice.tolerance import TIME, TURN_S
from jorvik.core.units.noticed import LEVEL_DB, MASKED_DB, MOVED_CUTOFF_ST, PITCH_ST
from jorvik.core.voice.render import render

_DIFFERENCE: Final = {"pitch": PITCH_ST, "cutoff": MOVED_CUTOFF_ST}
HOP_S: Final = 0.01
_LEFT_OUT: Final = 0.02
"""Of the time: what is farther off for a moment is not what is marked."""

Curves = dict[str, Floats]
"""By what they are of, in semitones or decibels: a value each 10 ms, or several."""


def curves(patch: Patch, names: list[str], cancelled: Callable[[], bool] = never) -> Curves:
    """Return curves of a note in what is heard of them: semitones of pitch and cutoff, decibels of level."""
    found = trace(patch, COARSE_RATE, cancelled=cancelled)
    step = round(HOP_S * COARSE_RATE)
    made = {}
    for name in names:
        at, lane = VOICE[name], found.lanes.get(name)
        values = (lane.value if lane is not None else np.full(found.run.length, patch.base(at)))[::step]
        if name == "pitch":
            made[name] = values
        elif at.steps_per_octave:
            made[name] = np.asarray(12.0 * np.log2(np.maximum(values, 1e-6)))
        else:
            made[name] = np.asarray(20.0 * np.log10(np.maximum(values, 1e-3)))
    return made


def heard(patch: Patch, cancelled: Callable[[], bool] = never) -> Curves:
    """Return what is heard of a note: its pitch in semitones, and its tone: the level of each band of hearing in dB.

    The pitch is the voice's own, which is surer than what could be read off the sound.
    """
    samples = render(patch, DEFAULT_RATE, cancelled=cancelled).samples
    return {**curves(patch, ["pitch"], cancelled), "tone": bands_over_time(samples, DEFAULT_RATE, HOP_S)}


class Apart(NamedTuple):
    """How far two curves lie apart."""

    distance: float
    """In just-noticeable differences."""
    at_s: float
    """Where it is most."""


def apart(one: Curves, other: Curves) -> dict[str, Apart]:
    """Return how far curves lie apart in just-noticeable differences, but for a fiftieth of the time.

    A moment is as far off as the nearest point of the other curve, in time and in height at once. What is just noticed
    of a height is a difference, and so is a tenth of the time since the note began, from 3 to 20 ms.
    """
    return {name: _apart(curve, other[name], _DIFFERENCE.get(name, LEVEL_DB)) for name, curve in one.items()}


def _apart(one: Floats, other: Floats, difference: float) -> Apart:
    length = min(len(one), len(other))
    if not length:
        return Apart(math.inf, 0.0)
    times = np.arange(length)[:, None] * HOP_S
    moment = np.clip(TIME.share * times, TIME.least, TURN_S)
    high = _heights_apart(one[:length], other[:length]) / difference
    late = np.abs(times - times.T) / moment
    ways = [np.maximum(late, each).min(axis=1) for each in (high, high.T)]
    far = max(ways, key=lambda way: float(np.quantile(way, 1.0 - _LEFT_OUT)))
    return Apart(float(np.quantile(far, 1.0 - _LEFT_OUT)), float(times[far.argmax(), 0]))


def _heights_apart(one: Floats, other: Floats) -> Floats:
    """Return of each moment of one curve how far each moment of another lies over or under it.

    Of levels of bands it is the mean over those that are heard in either (as of a sweep, in ``change_db``).
    """
    if one.ndim == 1:
        return np.asarray(np.abs(one[:, None] - other))
    least = max(one.max(), other.max()) - MASKED_DB
    one, other = np.maximum(one, least)[:, None], np.maximum(other, least)
    count = ((one > least) | (other > least)).sum(axis=2)
    return np.asarray(np.abs(one - other).sum(axis=2) / np.maximum(count, 1))
