"""Where a sound settles into something that repeats: a stretch that can be played over and over without a seam."""

from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats

LEAST_LOOP_S: Final = 0.05
MOST_LOOP_S: Final = 1.5
WINDOW_S: Final = 0.04
"""What is compared before the seam and after it."""

SEAMLESS: Final = 0.999
"""Correlation of what comes before the loop's start and before its end from which the seam is not heard."""

_SETTLED_DB: Final = 0.5
"""How far the level of the stretch may go up and down."""


@dataclass(frozen=True)
class Loop:
    """A stretch that repeats."""

    start: int
    """Its first sample."""
    end: int
    """The sample after its last; what follows is its first again."""
    correlation: float
    """Of the sound up to the start with the sound up to the end: 1 where they are the same but for their level."""


def find_loop(samples: Floats, rate: int, fundamental_hz: float, until_s: float) -> Loop | None:
    """Return the best loop of a sound of shape (frames, 2) before a moment; None where it settles into no period.

    The loop is as many whole periods of the fundamental as lie nearest to whole samples and repeat best, its end as
    late as there is sound. What is compared is the normalised cross-correlation of a window before both ends of it.

    >>> t = np.arange(48_000) / 48_000
    >>> tone = np.sin(2 * np.pi * 480 * t)[:, None] * np.ones((1, 2))
    >>> loop = find_loop(tone, 48_000, 480.0, 1.0)
    >>> (loop.end - loop.start) % 100, round(loop.correlation, 6)
    (0, 1.0)
    """
    mono = samples.mean(axis=1) if samples.ndim == 2 else samples
    window = max(round(WINDOW_S * rate), round(2 * rate / fundamental_hz))
    end = min(round(until_s * rate), len(mono)) - 1
    most = min(round(MOST_LOOP_S * rate), end - 2 * window)
    least = max(round(LEAST_LOOP_S * rate), round(rate / fundamental_hz))
    if most < least or not np.any(mono[end - window : end]):
        return None
    lengths = _candidates(rate / fundamental_hz, least, most)
    if len(lengths) == 0:
        return None
    scores = np.array([_correlation(mono, end, int(length), window) for length in lengths])
    best = float(scores.max())
    if best < SEAMLESS:
        return None
    # Of those that are as good the longest: its repetition is heard least.
    length = int(lengths[np.flatnonzero(scores >= best - (1.0 - best) * 0.5 - 1e-9)[-1]])
    start = end - length
    return Loop(start, end, best) if _is_steady(mono[start:end], rate / fundamental_hz) else None


def _candidates(period: float, least: int, most: int) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Return lengths in samples of whole periods, two samples to either side of each."""
    first = int(np.ceil(least / period))
    counts = np.arange(first, max(int(most / period), first) + 1)
    # Of very many periods a share is enough.
    counts = counts[:: max(1, len(counts) // 200)]
    around = np.round(counts[:, None] * period).astype(np.int64) + np.arange(-2, 3)
    found = np.unique(around)
    return found[(found >= least) & (found <= most)]


def _correlation(mono: Floats, end: int, length: int, window: int) -> float:
    before, after = mono[end - length - window : end - length], mono[end - window : end]
    power = float(np.dot(before, before)) * float(np.dot(after, after))
    return float(np.dot(before, after)) / np.sqrt(power) if power > 0.0 else 0.0


def _is_steady(stretch: Floats, period: float) -> bool:
    """Tell whether the level of a stretch stays as it is, over pieces of whole periods."""
    size = max(round(period * max(1.0, np.ceil(0.02 * len(stretch) / period))), 1)
    pieces = len(stretch) // size
    if pieces < 2:
        return True
    rms = np.sqrt((stretch[: pieces * size].reshape(pieces, size) ** 2).mean(axis=1))
    return bool(rms.min() > 0.0 and 20.0 * np.log10(rms.max() / rms.min()) <= _SETTLED_DB)
