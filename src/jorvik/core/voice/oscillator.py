"""The wavetable oscillator: no partial above half the sample rate, whatever its pitch does."""

import math

from jorvik.core.kernels import Floats, inline_kernel


@inline_kernel
def _read(cycle: Floats, place: float) -> float:
    """Return a cycle at a place in samples, by a cubic through the four samples around it (Catmull-Rom)."""
    size = cycle.size
    i = int(place)
    t = place - i
    a, b = cycle[(i + size - 1) % size], cycle[i % size]
    c, d = cycle[(i + 1) % size], cycle[(i + 2) % size]
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
def wavetable(table: Floats, position: float, phase: float, cycles: float) -> float:
    """Return a sample of a wavetable that moves on by ``cycles`` a sample.

    The level read is the fullest whose harmonics all stay under half the rate, faded into the next as the pitch rises,
    so that no harmonic appears or goes at once.
    """
    harmonics = 2.0 ** (table.shape[0] - 1)
    full = math.log2(max(2.0 * harmonics * cycles, 1e-6))
    level = max(math.ceil(full), 0)
    share = min(max(full - (level - 1), 0.0), 1.0)
    if level >= table.shape[0]:
        return 0.0
    y = 0.0
    if share < 1.0:
        y = (1.0 - share) * _frame_mix(table[level], position, phase)
    if share > 0.0 and level + 1 < table.shape[0]:
        y += share * _frame_mix(table[level + 1], position, phase)
    return y
