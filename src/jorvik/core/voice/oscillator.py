"""The wavetable oscillator: no partial above half the sample rate, whatever its pitch does."""

import math
from typing import Final

import numpy as np

from jorvik.core.kernels import Floats, inline_kernel


@inline_kernel
def _read(cycle: Floats, place: float) -> float:
    """Return a cycle at a place in samples, by a cubic through the four samples around it (Catmull-Rom)."""
    last = cycle.size - 1
    if not 0.0 <= place <= cycle.size:
        place = 0.0
    below = np.floor(place)
    t, i = place - below, int(below)
    a, b = cycle[(i - 1) & last], cycle[i & last]
    c, d = cycle[(i + 1) & last], cycle[(i + 2) & last]
    return b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)))


@inline_kernel
def _frame_mix(level: Floats, position: float, phase: float) -> float:
    """Return one mip level at a wavetable position in 0..1 and a phase in 0..1, frames crossfaded."""
    if not 0.0 <= position <= 1.0:
        position = 0.0
    at = position * (level.shape[0] - 1)
    frame = min(int(at), level.shape[0] - 2)
    share = at - frame
    place = phase * level.shape[1]
    y = _read(level[frame], place)
    return y if share == 0.0 else y + share * (_read(level[frame + 1], place) - y)


@inline_kernel
def wavetable(table: Floats, position: float, phase: float, level: float) -> float:
    """Return a sample of a wavetable at a level: a mip level, with the share of the next one in it.

    Level k holds ``2**(levels - 1 - k)`` harmonics. With ``levels + 1 + log2(cycles a sample)`` the whole part is the
    fullest level whose harmonics all stay under half the rate; the rest fades into the next as the pitch rises, so
    that no harmonic appears or goes at once.
    """
    if not 0.0 <= level < table.shape[0]:
        return 0.0
    whole = int(level)
    share = level - whole
    y = _frame_mix(table[whole], position, phase)
    if share == 0.0:
        return y
    if whole + 1 >= table.shape[0]:
        return (1.0 - share) * y
    return y + share * (_frame_mix(table[whole + 1], position, phase) - y)


STEADY: Final = 64
"""Samples for which position and level must have stood still before a cycle is made ready."""

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
