"""Spectra as an ear divides them: bands of equal ERB-rate, and how much two of them differ.

The ERB-rate scale is that of Glasberg and Moore, Hearing Research 47, 1990.
"""

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.units.levels import SILENCE_DB
from jorvik.core.units.noticed import MASKED_DB

BANDS: Final = 40
LOWEST_HZ: Final = 30.0
HIGHEST_HZ: Final = 16_000.0

_WINDOW_S: Final = 0.17
"""How much sound each spectrum looks at, at most: bins 6 Hz apart, where the narrowest band is 25 Hz wide."""


def erb_rate(hz: float) -> float:
    """Return a frequency on the ERB-rate scale.

    >>> round(erb_rate(1000.0), 2)
    15.62
    """
    return 21.4 * math.log10(1.0 + 0.00437 * hz)


def hz_at(erb: float) -> float:
    """Return the frequency that stands at a place of the ERB-rate scale."""
    return (10.0 ** (erb / 21.4) - 1.0) / 0.00437


EDGES: Final = np.array([hz_at(e) for e in np.linspace(erb_rate(LOWEST_HZ), erb_rate(HIGHEST_HZ), BANDS + 1)])
"""Where bands meet, in hertz, from the lowest up."""

CENTRES: Final = np.array([hz_at((erb_rate(low) + erb_rate(high)) / 2) for low, high in pairwise(EDGES)])
"""The middle of each band on the ERB-rate scale, in hertz."""


@dataclass(frozen=True)
class Spectrum:
    """The mean power of a sound over its length, by frequency."""

    hz: Floats
    power: Floats
    """Of each frequency's bin, as mean square of both channels; all of it sums to the sound's mean square."""

    @property
    def total(self) -> float:
        """The sound's mean square."""
        return float(self.power.sum())

    @property
    def centroid_hz(self) -> float:
        """The middle of the power; 0 of silence."""
        return float((self.hz * self.power).sum() / self.total) if self.total > 0.0 else 0.0

    @property
    def bands_db(self) -> Floats:
        """The level of each band in dB, of mean square; shape (40,)."""
        sums = np.concatenate([[0.0], np.cumsum(self.power)])
        # A bin that an edge cuts counts with its share.
        places = np.interp(EDGES, self.hz - self.hz[1] / 2, np.arange(self.hz.size))
        return power_db(np.diff(np.interp(places, np.arange(sums.size), sums)))

    def under_db(self, hz: float) -> float:
        """Return the level of the bands whose middle lies under a frequency, against the whole, in dB."""
        whole = np.sum(10.0 ** (self.bands_db / 10.0))
        low = np.sum(10.0 ** (self.bands_db[hz > CENTRES] / 10.0))
        return max(10.0 * math.log10(low / whole), SILENCE_DB) if low > 0.0 and whole > 0.0 else SILENCE_DB


def power_db(power: Floats) -> Floats:
    """Return mean squares in dB, not under :data:`SILENCE_DB`."""
    return np.asarray(10.0 * np.log10(np.maximum(power, 10.0 ** (SILENCE_DB / 10.0))))


def spectrum(samples: Floats, rate: int) -> Spectrum:
    """Return the mean spectrum of a sound of shape (frames, 2), by Welch's method.

    Power is averaged over both channels, so that what is out of phase between them counts.
    """
    from scipy.signal import welch

    size = min(2 ** round(math.log2(_WINDOW_S * rate)), samples.shape[0])
    hz, density = welch(samples, rate, "hann", size, axis=0, detrend=False)
    return Spectrum(np.asarray(hz), np.asarray(density.mean(axis=1) * hz[1]))


def change_db(before: Floats, after: Floats, loudest_db: float) -> float:
    """Return how much two sets of band levels differ: the mean of |difference in dB| over what counts in either.

    A band counts while it lies within 60 dB of the loudest of the whole sweep; what lies under that is as if it lay
    there. A change of 1 dB is just noticed (:data:`jorvik.core.units.noticed.LEVEL_DB`).
    """
    least = loudest_db - MASKED_DB
    a, b = np.maximum(before, least), np.maximum(after, least)
    counts = (a > least) | (b > least)
    return float(np.abs(a - b)[counts].mean()) if counts.any() else 0.0
