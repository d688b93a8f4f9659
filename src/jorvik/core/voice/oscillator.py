"""The wavetable oscillator: no partial above half the sample rate, whatever its pitch does."""

import math

from jorvik.core.kernels import Floats, inline_kernel


@inline_kernel
def _read(cycle: Floats, place: float) -> float:
    """Return a cycle at a place in samples, by a cubic through the four samples around it (Catmull-Rom)."""
    last = cycle.size - 1
    i = int(place)
    t = place - i
    a, b = cycle[(i - 1) & last], cycle[i & last]
    c, d = cycle[(i + 1) & last], cycle[(i + 2) & last]
    return b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)))


@inline_kernel
def _frame_mix(level: Floats, position: float, phase: float) -> float:
    """Return one mip level at a wavetable position in 0..1 and a phase in 0..1, frames crossfaded."""
    at = position * (level.shape[0] - 1)
    frame = min(int(at), level.shape[0] - 2)
    share = at - frame
    place = phase * level.shape[1]
    y = _read(level[frame], place)
    return y if share == 0.0 else y + share * (_read(level[frame + 1], place) - y)


@inline_kernel
def mip(levels: int, octaves: float) -> float:
    """Return the mip level for a pitch in octaves over one cycle a sample, with the share of the next level in it.

    Level k holds ``2**(levels - 1 - k)`` harmonics. The whole part is the fullest level whose harmonics all stay under
    half the rate; the rest fades into the next as the pitch rises, so that no harmonic appears or goes at once.
    """
    return max(levels + 1.0 + octaves, 0.0)


@inline_kernel
def wavetable(table: Floats, position: float, phase: float, level: float) -> float:
    """Return a sample of a wavetable at a level that :func:`mip` gave."""
    whole = int(level)
    share = level - whole
    if whole >= table.shape[0]:
        return 0.0
    y = _frame_mix(table[whole], position, phase)
    if share == 0.0:
        return y
    if whole + 1 >= table.shape[0]:
        return (1.0 - share) * y
    return y + share * (_frame_mix(table[whole + 1], position, phase) - y)


@inline_kernel
def tone(table: Floats, pulsed: bool, position: float, phase: float, width: float, level: float) -> float:
    """Return a sample of an oscillator; a pulsed table is itself less itself a pulse width later.

    A 1/h series taken twice so makes a pulse; scaled to be as loud at every width as a plain 1/h series of sines.
    """
    y = wavetable(table, position, phase, level)
    if pulsed:
        later = phase + width
        y = (y - wavetable(table, position, later - math.floor(later), level)) / math.sqrt(
            12.0 * width * (1.0 - width) + 0.2
        )
    return y
