"""The sounds of hits: small stand-ins made from formulas, heard with a patch and never measured as part of it.

thud: a sine whose pitch falls from 140 to 48 Hz with a time constant of 30 ms, its level with one of 120 ms.
snap: white noise with a time constant of 70 ms over a sine of 190 Hz with one of 40 ms.
tick: white noise less its mean of two samples (a high-pass), with a time constant of 12 ms.
"""

from collections.abc import Callable
from functools import lru_cache
from typing import Final

import numpy as np

from jorvik.core.document.phrase import Phrase
from jorvik.core.dsp.kernels import Floats

LASTS_S: Final = 0.6
_FADE_S: Final = 0.0005
"""Up from nothing, so that a hit does not begin with a jump."""
_PEAK: Final = 0.5
"""Of a hit of full strength and level: 6 dB under full scale."""


def hits_sound(phrase: Phrase, rate: int, length: int) -> Floats:
    """Return all hits of a phrase as they are heard, shape (length, 2)."""
    heard = np.zeros(length + round(LASTS_S * rate) + 1)
    for hit in phrase.hits:
        if hit.sound not in _SOUNDS:
            continue
        made = _made(hit.sound, rate)
        for strike in hit.strikes:
            first = round(strike.at * phrase.beat_s * rate)
            if first < length:
                heard[first : first + made.size] += hit.level * strike.strength * made
    return np.repeat(heard[:length, None], 2, axis=1)


@lru_cache(maxsize=16)
def _made(sound: str, rate: int) -> Floats:
    at = np.arange(round(LASTS_S * rate)) / rate
    made = _SOUNDS[sound](at, np.random.default_rng(len(sound)).uniform(-1.0, 1.0, at.size))
    # It comes to nothing at its end, and begins from nothing.
    made *= np.minimum(at / _FADE_S, 1.0) * np.linspace(1.0, 0.0, at.size)
    return np.asarray(_PEAK * made / np.abs(made).max())


def _thud(at: Floats, noise: Floats) -> Floats:
    del noise
    cycles = 48.0 * at + (140.0 - 48.0) * 0.03 * (1.0 - np.exp(-at / 0.03))
    return np.asarray(np.sin(2.0 * np.pi * cycles) * np.exp(-at / 0.12))


def _snap(at: Floats, noise: Floats) -> Floats:
    return np.asarray(noise * np.exp(-at / 0.07) + 0.8 * np.sin(2.0 * np.pi * 190.0 * at) * np.exp(-at / 0.04))


def _tick(at: Floats, noise: Floats) -> Floats:
    return np.asarray(np.diff(noise, prepend=0.0) * np.exp(-at / 0.012))


_SOUNDS: Final[dict[str, Callable[[Floats, Floats], Floats]]] = {"thud": _thud, "snap": _snap, "tick": _tick}
