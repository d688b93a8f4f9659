"""Phase, the shapes that it runs through, and drawn shapes."""

import math
from typing import Final

import numpy as np

from jorvik.core.dsp.bend import bend
from jorvik.core.dsp.kernels import Floats, inline_kernel

SHAPES: Final = ("sine", "triangle", "saw_up", "saw_down", "square", "drawn")
_SINE, _TRIANGLE, _SAW_UP, _SAW_DOWN, _SQUARE, _DRAWN = range(len(SHAPES))

SERIES: Final = tuple((-1.0) ** i / math.factorial(2 * i + 1) for i in range(10))
"""The Taylor series of sin x / x in x**2: within a quarter turn the next term is under 1e-19."""

EDGE: Final = 1e-9
"""In cycles. A sum of steps misses a round number by rounding; within this distance it is taken as met, so that a
jump falls on the sample on which exact arithmetic puts it."""

SUM_STATES: Final = 2
"""Places in a state that :func:`accumulate` uses: the sum, and what rounding has taken from it."""

PHASE_STATES: Final = SUM_STATES
"""Places in a state that :func:`advance` uses."""


@inline_kernel
def accumulate(s: Floats, amount: float) -> None:
    """Add ``amount`` to the sum in ``s[0]``, compensated (Kahan, 1965), so that an hour of steps is exact as one."""
    y = amount - s[1]
    t = s[0] + y
    s[1] = (t - s[0]) - y
    s[0] = t


@inline_kernel
def advance(s: Floats, cycles: float) -> int:
    """Move the phase in ``s[0]`` on by ``cycles``, kept in 0..1, and return how many whole cycles it passed."""
    y = cycles - s[1]
    t = s[0] + y
    s[1] = (t - s[0]) - y
    whole = 0.0
    if t + EDGE >= 1.0:
        whole = np.floor(t + EDGE)
    s[0] = t - whole
    return int(whole)


@inline_kernel
def sine(phase: float) -> float:
    """Return sin(2 pi phase) for a phase in 0..1: its Taylor series within a quarter turn, exact to rounding.

    A call to the mathematics library costs half as much again, and makes every step beside it save its registers.
    The terms are added two by two (Estrin, 1960), so that no sum waits for all of those before it.
    """
    x = phase
    if x > 0.25:
        x = 0.5 - x if x < 0.75 else x - 1.0
    x *= 2.0 * math.pi
    u = x * x
    u2 = u * u
    u4 = u2 * u2
    low = (SERIES[0] + SERIES[1] * u) + (SERIES[2] + SERIES[3] * u) * u2
    middle = (SERIES[4] + SERIES[5] * u) + (SERIES[6] + SERIES[7] * u) * u2
    return x * (low + (middle + (SERIES[8] + SERIES[9] * u) * u4) * u4)


@inline_kernel
def wave(shape: int, phase: float, pulse_width: float, d: Floats) -> float:
    """Return the value of a shape at a phase in 0..1; a drawn shape reads its points from ``d``."""
    if shape == _SINE:
        return sine(phase)
    if shape == _TRIANGLE:
        if phase < 0.25:
            return 4.0 * phase
        if phase < 0.75:
            return 2.0 - 4.0 * phase
        return 4.0 * phase - 4.0
    if shape == _SAW_UP:
        return 2.0 * phase - 1.0
    if shape == _SAW_DOWN:
        return 1.0 - 2.0 * phase
    if shape == _SQUARE:
        return 1.0 if phase + EDGE < pulse_width else -1.0
    return drawn(d, phase)


@inline_kernel
def drawn(d: Floats, x: float) -> float:
    """Return the height at ``x`` of the points in ``d``: their number, then x, y and bend to the next for each.

    Before the first point its height holds, after the last the last one's. Where two points share an x, the later
    one holds from there on.
    """
    count = int(d[0])
    if x < d[1]:
        return d[2]
    low, high = 0, count
    while high - low > 1:
        middle = (low + high) // 2
        if d[1 + 3 * middle] <= x + EDGE:
            low = middle
        else:
            high = middle
    at = 1 + 3 * low
    if low == count - 1:
        return d[at + 1]
    share = (x - d[at]) / (d[at + 3] - d[at])
    return d[at + 1] + (d[at + 4] - d[at + 1]) * bend(share, d[at + 2])


def pack_points(points: list[list[float]]) -> list[float]:
    """Return points, each [x, y] or [x, y, bend], laid out as :func:`drawn` reads them."""
    flat = [float(len(points))]
    for point in points:
        flat += [*point, 0.0][:3]
    return flat
