"""The one-pole approach that slew and follower share."""

import math
from typing import Final

from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely

APPROACH_STATES: Final = 2
"""Places in a state that :func:`approach` uses: the time it was last asked for, and what it answered."""


@inline_kernel
def approach(s: Floats, at: int, time: float, dt: float) -> float:
    """Return the share 1 - e^(-dt/time) of the way that a one-pole goes in a sample; the whole way for no time.

    The last answer is kept from ``s[at]`` on, since a time seldom changes from one sample to the next.
    """
    if unlikely(time != s[at]):
        s[at] = time
        s[at + 1] = -math.expm1(-dt / time) if time > 0.0 else 1.0
    return s[at + 1] if time > 0.0 else 1.0
