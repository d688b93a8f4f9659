"""The fewest points of a line that stay within a tolerance of all the others: a shortest path over its points."""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats, kernel

_SLACK: Final = 1e-12
"""Share of the tolerance by which rounding may exceed it."""


@kernel
def fewest(times: Floats, values: Floats, within: float) -> NDArray[np.int64]:
    """Return the places of the fewest points, ends included, whose straight lines keep within ``within`` of all.

    A point can be reached from another where the line between the two passes every point in between closely enough:
    where its slope lies in the cone that these leave open (Imai and Iri, 1988, who take the shortest path through
    what can be reached). From each point the cone is narrowed once, so that the work grows with the square of the
    number of points at most.
    """
    count = times.size
    steps = np.full(count, count)
    before = np.full(count, -1)
    steps[0] = 0
    allowed = within * (1.0 + _SLACK) + 1e-15
    for i in range(count - 1):
        low, high = -math.inf, math.inf
        # Of points at the same time as i the line passes through what lies between i and the next one kept.
        least = most = values[i]
        for j in range(i + 1, count):
            way = times[j] - times[i]
            if way <= 0.0:
                fits = min(values[i], values[j]) - allowed <= least and most <= max(values[i], values[j]) + allowed
            else:
                slope = (values[j] - values[i]) / way
                fits = low <= slope <= high
            if fits and steps[i] + 1 < steps[j]:
                steps[j], before[j] = steps[i] + 1, i
            if way <= 0.0:
                least, most = min(least, values[j]), max(most, values[j])
                if most - values[i] > allowed or values[i] - least > allowed:
                    low, high = math.inf, -math.inf
            else:
                low = max(low, (values[j] - allowed - values[i]) / way)
                high = min(high, (values[j] + allowed - values[i]) / way)
                if low > high:
                    break
    kept = np.empty(steps[count - 1] + 1, dtype=np.int64)
    at = count - 1
    for k in range(kept.size - 1, -1, -1):
        kept[k] = at
        at = before[at]
    return kept
