"""The limiter at the output: nothing leaves louder than the ceiling, and it says how much it took."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.ndimage import minimum_filter1d, uniform_filter1d

from jorvik.core.kernels import Floats

CEILING_DB: Final = -1.0
LOOK_S: Final = 0.002
"""How far it looks to either side, so that it is down before the peak comes."""


@dataclass(frozen=True)
class Limited:
    """Sound after the limiter."""

    samples: Floats
    taken_db: float
    """The most that it took, in dB; 0 when it did nothing."""


def limit(samples: Floats, rate: int) -> Limited:
    """Return sound of shape (frames, channels) kept under the ceiling.

    The gain needed is spread by a running minimum and then smoothed over the same width, so that it never rises over
    what a peak allows.
    """
    ceiling = 10.0 ** (CEILING_DB / 20.0)
    peaks = np.maximum(np.abs(samples[:, 0]), np.abs(samples[:, 1]))
    if peaks.size == 0 or peaks.max() <= ceiling:
        return Limited(samples, 0.0)
    width = 2 * round(LOOK_S * rate) + 1
    needed = np.minimum(1.0, ceiling / np.maximum(peaks, ceiling))
    gain = uniform_filter1d(minimum_filter1d(needed, width, mode="nearest"), width, mode="nearest")
    return Limited(samples * gain[:, None], float(-20.0 * np.log10(gain.min())))
