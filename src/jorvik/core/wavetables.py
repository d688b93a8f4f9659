"""Wavetables built from formulas: for each frame, the level of every harmonic."""

from collections.abc import Callable, Mapping
from functools import cache
from typing import Final, Literal

import numpy as np

from jorvik.core.kernels import Floats

TableName = Literal["ladder", "reed", "hollow", "bell", "vowel"]

FRAMES: Final = 16
HARMONICS: Final = 512
"""Harmonics of the fullest level: at 16 Hz they reach 8 kHz, at 40 Hz the end of hearing."""


def _grid() -> tuple[Floats, Floats]:
    """Return the position of each frame, 0..1, as a column, and the harmonic numbers as a row."""
    return np.linspace(0.0, 1.0, FRAMES)[:, None], np.arange(1.0, HARMONICS + 1.0)[None, :]


def ladder() -> Floats:
    """From a sine to a full 1/h series: each frame lets more of the ladder of harmonics in."""
    position, h = _grid()
    reach = HARMONICS**position
    return np.clip(reach - h + 1.0, 0.0, 1.0) / h


def reed() -> Floats:
    """A pulse from half the cycle wide down to 3 %: sin(pi h w) / h."""
    position, h = _grid()
    width = 0.5 * (0.06**position)
    return np.sin(np.pi * h * width) / h


def hollow() -> Floats:
    """Odd harmonics, falling as 1/h**2 at first and as 1/h at last."""
    position, h = _grid()
    return (h % 2.0) * h ** (position - 2.0)


def bell() -> Floats:
    """Few, wide-set partials of a struck bar, moved up through the series frame by frame."""
    position, h = _grid()
    ratios = np.array([1.0, 2.76, 5.40, 8.93, 13.34, 18.64])
    levels = np.array([1.0, 0.7, 0.55, 0.4, 0.3, 0.2])
    centres = 1.0 + (ratios - 1.0) * (0.6 + 2.4 * position)
    near = np.clip(1.0 - np.abs(h[:, :, None] - centres[:, None, :]), 0.0, None)
    return np.asarray((near * levels * np.exp(-0.2 * position[:, :, None])).sum(axis=2))


def vowel() -> Floats:
    """A 1/h series through two resonant humps that move apart."""
    position, h = _grid()
    humps = np.zeros((FRAMES, HARMONICS))
    for centre, width in ((3.0 + 3.0 * position, 1.5), (6.0 + 14.0 * position, 3.0)):
        humps += np.exp(-(((h - centre) / width) ** 2))
    return (0.08 + humps) / np.sqrt(h) * (h < 120.0)


FORMULAS: Final[Mapping[TableName, Callable[[], Floats]]] = {
    "ladder": ladder,
    "reed": reed,
    "hollow": hollow,
    "bell": bell,
    "vowel": vowel,
}
"""Every table: levels of shape (FRAMES, HARMONICS), all harmonics in sine phase."""

SAMPLES: Final = 4096
"""Samples in a cycle: eight for the highest harmonic, so that a cubic between them stays clean."""

LEVELS: Final = 10
"""Mip levels: each holds half as many harmonics as the one before, the last one harmonic."""


@cache
def mip_levels(name: TableName) -> Floats:
    """Return a table ready to be read: shape (LEVELS, FRAMES, SAMPLES), every full frame equally loud (rms 0.3).

    Level k holds the harmonics up to ``HARMONICS >> k``.
    """
    levels = FORMULAS[name]()
    _, h = _grid()
    spectra = np.zeros((LEVELS, FRAMES, SAMPLES // 2 + 1), dtype=np.complex128)
    for level in range(LEVELS):
        kept = np.where(h <= HARMONICS >> level, levels, 0.0)
        spectra[level, :, 1 : HARMONICS + 1] = -0.5j * SAMPLES * kept
    waves = np.fft.irfft(spectra, n=SAMPLES, axis=2)
    rms = np.sqrt((waves[0] ** 2).mean(axis=1, keepdims=True))
    return np.asarray(waves * (0.3 / rms))
