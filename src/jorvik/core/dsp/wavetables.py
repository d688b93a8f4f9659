"""Wavetables built from formulas, and of the patch's own: for each frame, the level and phase of every harmonic."""

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats

Spectra = NDArray[np.complex128]
"""Frames of harmonics: an imaginary number is a cosine, a real one a sine."""

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


def pulse() -> Floats:
    """A pulse whose width is the pulse width, at every position: the higher, the duller."""
    position, h = _grid()
    return h**-1.0 / (1.0 + (position * h / 12.0) ** 2)


def octaves() -> Floats:
    """Harmonics 1, 2, 4, 8 and so on: an organ of octaves, its ranks drawn one by one."""
    position, h = _grid()
    rank = np.log2(h)
    drawn = np.clip(8.0 * position - rank + 1.0, 0.0, 1.0)
    return (rank == np.round(rank)) * drawn * 0.8**rank


def fifths() -> Floats:
    """Harmonics 1, 3, 9, 27 and 81 with their octaves: hollow fifths stacked upward."""
    position, h = _grid()
    rest = h.copy()
    for factor in (2.0, 3.0):
        for _ in range(9):
            rest = np.where(rest % factor == 0.0, rest / factor, rest)
    return (rest == 1.0) * h ** (-2.2 + 1.4 * position)


def primes() -> Floats:
    """The first harmonic and the prime ones only, so that few of them agree with each other."""
    position, h = _grid()
    numbers = np.arange(HARMONICS + 1)
    sieve = np.ones(HARMONICS + 1, dtype=bool)
    for n in range(2, int(HARMONICS**0.5) + 1):
        sieve[n * n :: n] = False
    kept = sieve[numbers[1:]][None, :]
    return np.asarray(kept * h ** (-1.8 + 1.2 * position))


def comb() -> Floats:
    """The first harmonic, and every n-th one above it, n growing from 2 to 9 with the position."""
    position, h = _grid()
    step = np.round(2.0 + 7.0 * position)
    return np.where((h == 1.0) | (h % step == 0.0), h**-0.7, 0.0)


def pleat() -> Floats:
    """A sine folded ever further: sin(b sin x), whose odd harmonics are Bessel functions of b."""
    from scipy.special import jv

    position, h = _grid()
    depth = 0.3 + 9.0 * position
    return np.asarray(np.where(h % 2.0 == 1.0, jv(h, depth), 0.0))


def crease() -> Floats:
    """A sine folded to one side: cos(b sin x) beside sin x; even harmonics come and go."""
    from scipy.special import jv

    position, h = _grid()
    depth = 8.0 * position
    return np.asarray(np.where(h % 2.0 == 0.0, jv(h, depth), np.where(h == 1.0, 0.5, 0.0)))


def throat() -> Floats:
    """Three resonant humps over a 1/h series that close from an open to a narrow sound."""
    position, h = _grid()
    humps = np.zeros((FRAMES, HARMONICS))
    for centre, width, level in (
        (7.0 - 4.5 * position, 1.2, 1.0),
        (11.0 + 9.0 * position, 2.0, 0.7),
        (26.0 + 3.0 * position, 3.0, 0.4),
    ):
        humps += level * np.exp(-(((h - centre) / width) ** 2))
    return (0.05 + humps) * h**-0.4 * (h < 160.0)


def nasal() -> Floats:
    """One narrow hump that climbs from harmonic 2 to 24: a formant swept by hand."""
    position, h = _grid()
    centre = 2.0 * 12.0**position
    return 1.0 / (1.0 + ((h - centre) / (0.5 + 0.12 * centre)) ** 4) + 0.1 / h


def bowl() -> Floats:
    """A few partials of a struck bowl, each with a close neighbour, so that it beats at low keys."""
    position, h = _grid()
    levels = np.zeros((FRAMES, HARMONICS))
    for number, level in ((4, 1.0), (11, 0.7), (21, 0.5), (33, 0.35), (48, 0.25), (65, 0.2)):
        levels[:, number - 1] += level
        levels[:, number] += 0.6 * level
    return levels * np.exp(-h * (0.09 - 0.085 * position))


def plank() -> Floats:
    """Partials of a struck free bar, near harmonics 1, 2.76, 5.40, 8.93 of a low one, dull to bright."""
    position, h = _grid()
    levels = np.zeros((FRAMES, HARMONICS))
    for k, ratio in enumerate((1.0, 2.76, 5.40, 8.93, 13.34)):
        levels[:, round(8 * ratio) - 1] = 0.75**k
    return levels * np.exp(-(h / 8.0 - 1.0) * (0.5 - 0.48 * position))


def gravel() -> Spectra:
    """Every harmonic at a level and phase from one throw of dice: noise that stands still, dull to harsh."""
    position, h = _grid()
    levels, phases = np.random.default_rng(11).random((2, 1, HARMONICS))
    return np.asarray((0.2 + levels) * np.exp(2j * np.pi * phases) * h ** (-1.4 + 1.1 * position))


def frost() -> Spectra:
    """High harmonics only, thrown like gravel, over a faint first one: hiss that keeps a pitch."""
    position, h = _grid()
    levels, phases = np.random.default_rng(23).random((2, 1, HARMONICS))
    low = 24.0 + 60.0 * position
    return np.asarray(levels**2 * np.exp(2j * np.pi * phases) / (1.0 + (low / h) ** 6) + 1.5 * (h == 1.0))


def overrun() -> Spectra:
    """A cycle that starts a sine again before it has ended: from 1 to 6 sines in a cycle, the last cut off."""
    position, _ = _grid()
    x = np.arange(SAMPLES) / SAMPLES
    waves = np.sin(2.0 * np.pi * (1.0 + 5.0 * position) * x)
    return np.asarray(np.fft.rfft(waves, axis=1)[:, 1 : HARMONICS + 1] * 2j / SAMPLES)


def stairs() -> Spectra:
    """A sine in 2 to 24 steps: the fewer, the more of its images sound as high harmonics."""
    position, _ = _grid()
    steps = np.round(2.0 * 12.0 ** (1.0 - position))
    x = np.arange(SAMPLES) / SAMPLES
    waves = np.sin(2.0 * np.pi * (np.floor(x * steps) + 0.5) / steps)
    return np.asarray(np.fft.rfft(waves, axis=1)[:, 1 : HARMONICS + 1] * 2j / SAMPLES)


FORMULAS: Final[Mapping[str, Callable[[], Floats | Spectra]]] = {
    formula.__name__: formula
    for formula in (
        *(ladder, reed, pulse, hollow, octaves, fifths, primes, comb, pleat, crease, overrun, stairs),
        *(vowel, throat, nasal, bell, bowl, plank, gravel, frost),
    )
}
"""Every table of the bank: harmonics of shape (FRAMES, HARMONICS); real ones are all in sine phase."""

PULSED: Final = frozenset({"pulse"})
"""Tables that sound as the difference of themselves and themselves a pulse width later."""

SAMPLES: Final = 4096
"""Samples in a cycle: eight for the highest harmonic, so that a cubic between them stays clean."""

LEVELS: Final = 10
"""Mip levels: each holds half as many harmonics as the one before, the last one harmonic."""


OWN_HARMONICS: Final = 32
"""Harmonics that can be set by hand."""


@cache
def mip_levels(name: str) -> Floats:
    """Return a table of the bank ready to be read, see :func:`leveled`."""
    return leveled(FORMULAS[name]())


def leveled(spectra: Floats | Spectra) -> Floats:
    """Return a table ready to be read: shape (LEVELS, frames, SAMPLES), every full frame equally loud (rms 0.3).

    ``spectra`` has shape (frames, up to HARMONICS). Level k holds the harmonics up to ``HARMONICS >> k``. A silent
    frame stays silent. A table of one frame is given twice, so that there are always two to fade between.
    """
    given = spectra if spectra.shape[0] > 1 else np.repeat(spectra, 2, axis=0)
    frames, count = given.shape
    h = np.arange(1, count + 1)
    bins = np.zeros((LEVELS, frames, SAMPLES // 2 + 1), dtype=np.complex128)
    for level in range(LEVELS):
        bins[level, :, 1 : count + 1] = -0.5j * SAMPLES * np.where(h <= HARMONICS >> level, given, 0.0)
    waves = np.fft.irfft(bins, n=SAMPLES, axis=2)
    rms = np.sqrt((waves[0] ** 2).mean(axis=1, keepdims=True))
    return np.asarray(waves * np.where(rms > 0.0, 0.3 / np.maximum(rms, 1e-12), 0.0))


def spectra_of(cycles: Floats) -> Spectra:
    """Return the harmonics of single cycles, shape (frames, samples), any length from 16 on; DC is left out.

    >>> cycle = np.sin(2 * np.pi * np.arange(64) / 64)
    >>> np.round(spectra_of(cycle[None, :])[0, :2].real, 9).tolist()
    [1.0, 0.0]
    """
    samples = cycles.shape[1]
    most = min(HARMONICS, (samples - 1) // 2)
    return np.asarray(np.fft.rfft(cycles, axis=1)[:, 1 : most + 1] * 2j / samples)


def own_spectra(frames: list[list[list[float]]]) -> Spectra:
    """Return the harmonics of frames set by hand: for each harmonic its level and its phase in cycles."""
    found: Any = np.zeros((len(frames), OWN_HARMONICS), dtype=np.complex128)
    for row, frame in zip(found, frames, strict=True):
        for number, (level, phase) in enumerate(frame):
            row[number] = level * np.exp(2j * np.pi * phase)
    return np.asarray(found)
