"""The wavetable oscillator: no partial above half the sample rate, whatever its pitch does."""

import math
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats, inline_kernel


@inline_kernel
def _cubic(place: float, last: int) -> tuple[int, float, float, float, float]:
    """Return the sample before a place in a cycle that ends with sample ``last``, and what four samples weigh.

    The first weight is that of the sample before it (Catmull-Rom).
    """
    if not 0.0 <= place <= last + 1.0:
        place = 0.0
    below = np.floor(place)
    t = place - below
    before = 0.5 * t * (t * (2.0 - t) - 1.0)
    after = 0.5 * t * (t * (4.0 - 3.0 * t) + 1.0)
    far = 0.5 * t * t * (t - 1.0)
    return int(below), before, 1.0 - before - after - far, after, far


@inline_kernel
def _weighed(cycle: Floats, i: int, w0: float, w1: float, w2: float, w3: float) -> float:
    """Return the sum of four samples of a cycle by their weights."""
    last = cycle.size - 1
    return w0 * cycle[(i - 1) & last] + w1 * cycle[i & last] + w2 * cycle[(i + 1) & last] + w3 * cycle[(i + 2) & last]


@inline_kernel
def _read(cycle: Floats, place: float) -> float:
    """Return a cycle at a place in samples, by a cubic through the four samples around it."""
    i, w0, w1, w2, w3 = _cubic(place, cycle.size - 1)
    return _weighed(cycle, i, w0, w1, w2, w3)


@inline_kernel
def wavetable(table: Floats, position: float, phase: float, level: float) -> float:
    """Return a sample of a wavetable at a position in 0..1 and a phase in 0..1, frames crossfaded.

    The level is that of a mip level, with the share of the next one in it. Level k holds ``2**(levels - 1 - k)``
    harmonics. With ``levels + 1 + log2(cycles a sample)`` the whole part is the fullest level whose harmonics all stay
    under half the rate; the rest fades into the next as the pitch rises, so that no harmonic appears or goes at once.
    """
    if not 0.0 <= level < table.shape[0]:
        return 0.0
    if not 0.0 <= position <= 1.0:
        position = 0.0
    at = position * (table.shape[1] - 1)
    frame = min(int(at), table.shape[1] - 2)
    share = at - frame
    # All levels and frames have as many samples: where to read and what each sample weighs is found once.
    i, w0, w1, w2, w3 = _cubic(phase * table.shape[2], table.shape[2] - 1)
    whole = int(level)
    y = _frame_mix(table[whole], frame, share, i, w0, w1, w2, w3)
    fade = level - whole
    if fade == 0.0:
        return y
    if whole + 1 >= table.shape[0]:
        return (1.0 - fade) * y
    return y + fade * (_frame_mix(table[whole + 1], frame, share, i, w0, w1, w2, w3) - y)


@inline_kernel
def _frame_mix(level: Floats, frame: int, share: float, i: int, w0: float, w1: float, w2: float, w3: float) -> float:
    """Return a frame of one mip level with the share of the next frame in it."""
    y = _weighed(level[frame], i, w0, w1, w2, w3)
    return y if share == 0.0 else y + share * (_weighed(level[frame + 1], i, w0, w1, w2, w3) - y)


STEADY: Final = 1024
"""Samples for which position and level must have stood still before a cycle is made ready.

Making it costs about as much as so many samples without it: whatever comes, no more than twice the least is spent.
"""

_POSITION, _LEVEL, _STOOD = range(3)
KNOWN: Final = 3
"""Numbers kept for each oscillator's ready cycle: its position, its level, and for how long both have stood."""


@inline_kernel
def ready(table: Floats, position: float, level: float, known: Floats, cycle: Floats) -> bool:
    """Tell whether ``cycle`` holds the table at this position and level, and make it ready when it is worth while.

    Frames and levels are then crossfaded once instead of at every sample.
    """
    if position != known[_POSITION] or level != known[_LEVEL]:
        known[_POSITION], known[_LEVEL], known[_STOOD] = position, level, 0.0
        return False
    known[_STOOD] += 1.0
    if known[_STOOD] == STEADY:
        for i in range(cycle.size):
            cycle[i] = wavetable(table, position, i / cycle.size, level)
    return known[_STOOD] >= STEADY


@inline_kernel
def tone(
    table: Floats,
    pulsed: bool,
    position: float,
    phase: float,
    width: float,
    level: float,
    is_ready: bool,
    cycle: Floats,
) -> float:
    """Return a sample of an oscillator; a pulsed table is itself less itself a pulse width later.

    A 1/h series taken twice so makes a pulse; scaled to be as loud at every width as a plain 1/h series of sines.
    """
    y = _read(cycle, phase * cycle.size) if is_ready else wavetable(table, position, phase, level)
    if pulsed:
        later = phase + width
        later -= np.floor(later)
        y -= _read(cycle, later * cycle.size) if is_ready else wavetable(table, position, later, level)
        y /= math.sqrt(12.0 * width * (1.0 - width) + 0.2)
    return y
