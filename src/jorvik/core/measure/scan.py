"""The loops that figures are read off: each reads its values once and holds no interpreter lock.

An array expression would make a temporary for every step of it; for a sweep of notes measured side by side, memory
and the lock would then be what is waited for.
"""

import math

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats, kernel, summing_kernel

BooleanRow = NDArray[np.bool_]


@kernel
def extent(values: Floats) -> tuple[float, int, float, int, float]:
    """Return the least value and its place, the greatest and its place, and the greatest step between neighbours."""
    least = greatest = before = values[0]
    bottom = top = 0
    step = 0.0
    for i in range(1, values.size):
        value = values[i]
        if value < least:
            least, bottom = value, i
        elif value > greatest:
            greatest, top = value, i
        step = max(step, abs(value - before))
        before = value
    return least, bottom, greatest, top, step


@kernel
def crossings(values: Floats, levels: Floats, sign: float) -> Floats:
    """Return the places, between samples, where values first reach each of some levels.

    The levels lie one beyond the other: upward for a sign of 1, downward for -1. Where the values begin beyond a
    level that is 0, and where they never reach it, the last place.
    """
    found = np.full(levels.size, values.size - 1.0)
    next_one = 0
    while next_one < levels.size and sign * (values[0] - levels[next_one]) >= 0.0:
        found[next_one] = 0.0
        next_one += 1
    if next_one == levels.size:
        return found
    level = levels[next_one]
    for i in range(1, values.size):
        while sign * (values[i] - level) >= 0.0:
            found[next_one] = i - (values[i] - level) / (values[i] - values[i - 1])
            next_one += 1
            if next_one == levels.size:
                return found
            level = levels[next_one]
    return found


@kernel
def rest_after(values: Floats, margin: float) -> int:
    """Return the number of samples until values stay within a margin of the last one."""
    end = values[-1]
    for i in range(values.size - 1, -1, -1):
        if abs(values[i] - end) > margin:
            return i + 1
    return 0


@kernel
def share_apart(a: Floats, b: Floats) -> float:
    """Return at what share of the samples two rows differ."""
    count = 0
    for i in range(a.size):
        if abs(a[i] - b[i]) > 1e-12:
            count += 1
    return count / a.size


@kernel
def periods(values: Floats, middle: float, margin: float) -> tuple[int, float, float]:
    """Return how many periods there are, their mean length in samples and its standard deviation.

    A period lies between two upward crossings of the middle, each placed between samples by a straight line and
    counted only where the values have been under the middle by the margin and come over it by as much.
    """
    count, mean, square = -1, 0.0, 0.0
    last = crossed = 0.0
    low = False
    before = values[0] - middle
    for i in range(1, values.size):
        swing = values[i] - middle
        if before < 0.0 <= swing:
            crossed = i - swing / (swing - before)
        if swing < -margin:
            low = True
        elif swing > margin and low:
            low = False
            count += 1
            if count > 0:
                apart = crossed - last - mean
                mean += apart / count
                square += apart * (crossed - last - mean)
            last = crossed
        before = swing
    if count < 1:
        return 0, 0.0, 0.0
    return count, mean, math.sqrt(square / count)


@kernel
def stretch_ends(values: Floats, width: int) -> tuple[Floats, Floats]:
    """Return the least and the greatest value of each stretch of so many samples."""
    count = values.size // width
    least, greatest = np.empty(count), np.empty(count)
    for stretch in range(count):
        least[stretch] = greatest[stretch] = values[stretch * width]
        for i in range(stretch * width + 1, (stretch + 1) * width):
            least[stretch] = min(least[stretch], values[i])
            greatest[stretch] = max(greatest[stretch], values[i])
    return least, greatest


@summing_kernel
def comoments(a: Floats, b: Floats) -> tuple[float, float, float]:
    """Return the sums of (a - mean)^2, (b - mean)^2 and (a - mean)(b - mean)."""
    mean_a = mean_b = 0.0
    for i in range(a.size):
        mean_a += a[i]
        mean_b += b[i]
    mean_a /= a.size
    mean_b /= b.size
    aa = bb = ab = 0.0
    for i in range(a.size):
        x = a[i] - mean_a
        y = b[i] - mean_b
        aa += x * x
        bb += y * y
        ab += x * y
    return aa, bb, ab
