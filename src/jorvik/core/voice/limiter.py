"""The limiter at the output: nothing leaves louder than the ceiling, or that is no finite number.

It is the last guard before an ear, and trusts nothing that comes before it.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.units.levels import amplitude_of, decibels

CEILING_DB: Final = -1.0
LOOK_S: Final = 0.002
"""How far it looks to either side, so that it is down before the peak comes."""


@dataclass(frozen=True)
class Limited:
    """Sound after the limiter."""

    samples: Floats
    taken_db: float
    """The most that it took, in dB; 0 when it did nothing."""
    muted: int = 0
    """Frames that were no finite number, and are silence."""


def limit(samples: Floats, rate: int) -> Limited:
    """Return sound of shape (frames, channels) kept under the ceiling.

    The gain needed is spread by a running minimum and then smoothed over the same width, so that it never rises over
    what a peak allows. Frames that are no finite number become silence, into and out of which the gain leads.
    """
    ceiling = amplitude_of(CEILING_DB)
    finite = np.isfinite(samples[:, 0]) & np.isfinite(samples[:, 1])
    broken = int(finite.size - np.count_nonzero(finite))
    if broken:
        samples = np.where(finite[:, None], samples, 0.0)
    peaks = np.maximum(np.abs(samples[:, 0]), np.abs(samples[:, 1]))
    if peaks.size == 0 or (not broken and peaks.max() <= ceiling):
        return Limited(samples, 0.0)
    width = 2 * round(LOOK_S * rate) + 1
    needed = np.minimum(1.0, ceiling / np.maximum(peaks, ceiling))
    taken = -decibels(float(_smooth(needed, width).min()))
    gain = _smooth(np.where(finite, needed, 0.0), width)
    # What is smoothed from sums may end a rounding over the ceiling.
    return Limited(np.clip(samples * gain[:, None], -ceiling, ceiling), max(taken, 0.0), broken)


class LiveLimiter:
    """The limiter on sound that comes block by block: what leaves is as :func:`limit` makes it, later by ``delay``."""

    def __init__(self, rate: int) -> None:
        self.delay = 2 * round(LOOK_S * rate)
        """In samples: as far as the gain of one depends on those after it."""
        self._rate = rate
        self._window = np.zeros((2 * self.delay, 2))

    def block(self, samples: Floats) -> Limited:
        """Return as many frames as come in."""
        window = np.concatenate([self._window, samples])
        limited = limit(window, self._rate)
        self._window = window[len(samples) :]
        return Limited(limited.samples[self.delay : self.delay + len(samples)], limited.taken_db, limited.muted)


def _smooth(needed: Floats, width: int) -> Floats:
    """Return a gain that is nowhere over the one needed, without steps."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    found = uniform_filter1d(minimum_filter1d(needed, width, mode="nearest"), width, mode="nearest")
    return np.asarray(np.clip(found, 0.0, 1.0))
