"""Levels in decibels."""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

SILENCE_DB: Final = -120.0
"""What is called silence: a level under it is told as this."""


def decibels(amplitude: float, least_db: float = SILENCE_DB) -> float:
    """Return an amplitude in dB, not under ``least_db``.

    >>> decibels(1.0), decibels(0.0), round(decibels(0.5), 2)
    (0.0, -120.0, -6.02)
    """
    return max(20.0 * math.log10(amplitude), least_db) if amplitude > 0.0 else least_db


def levels_db(amplitudes: NDArray[np.float64], least_db: float = SILENCE_DB) -> NDArray[np.float64]:
    """Return amplitudes in dB, not under ``least_db``, in the shape that they have."""
    return np.asarray(20.0 * np.log10(np.maximum(amplitudes, amplitude_of(least_db))))


def amplitude_of(db: float) -> float:
    """Return the amplitude that has a level.

    >>> amplitude_of(-20.0)
    0.1
    """
    return float(10.0 ** (db / 20.0))
