"""Figures of a sound: levels, loudness, harmonics at a moment, and what moves in which part of the spectrum."""

import math
import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.units.levels import SILENCE_DB, decibels, levels_db
from jorvik.core.units.pitch import key_at

BANDS: Final = ((20.0, 200.0), (200.0, 2_000.0), (2_000.0, 20_000.0))
"""Low, middle and high, in hertz."""

WINDOW_S: Final = 0.17
"""How much sound is looked at for a spectrum: partials 24 Hz apart can be told apart."""

PARTIALS: Final = 32


@dataclass(frozen=True)
class Levels:
    """How loud a sound is, by every usual figure."""

    peak_db: float
    """Highest sample, dBFS."""
    true_peak_db: float
    """Highest point between samples, at four times the rate (ITU-R BS.1770, annex 2), dBTP."""
    loudness_lufs: float
    """Integrated loudness, ITU-R BS.1770-4."""
    rms_db: float
    crest_db: float
    """Peak over rms."""
    dc: float
    """Mean, as a share of full scale, of the side where it is greater."""


def levels(samples: Floats, rate: int) -> Levels:
    """Return the levels of a sound of shape (frames, 2).

    >>> t = np.arange(48_000) / 48_000
    >>> tone = np.stack([np.sin(2 * np.pi * 997 * t)] * 2, axis=1)
    >>> round(levels(tone, 48_000).crest_db, 2)
    3.01
    """
    from scipy.signal import resample_poly

    if samples.size == 0:
        return Levels(SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB, 0.0, 0.0)
    peak = float(np.abs(samples).max())
    fine = float(np.abs(resample_poly(samples, 4, 1, axis=0)).max()) if peak > 0.0 else 0.0
    rms = float(np.sqrt((samples**2).mean()))
    means = samples.mean(axis=0)
    return Levels(
        peak_db=decibels(peak),
        true_peak_db=decibels(max(fine, peak)),
        loudness_lufs=loudness(samples, rate),
        rms_db=decibels(rms),
        crest_db=decibels(peak) - decibels(rms),
        dc=float(means[np.abs(means).argmax()]),
    )


def loudness(samples: Floats, rate: int) -> float:
    """Return integrated loudness in LUFS (ITU-R BS.1770-4); a sound under 0.4 s is one block as long as itself."""
    import pyloudnorm  # type: ignore[import-untyped]

    seconds = samples.shape[0] / rate
    if seconds < 0.02 or not samples.any():
        return SILENCE_DB
    meter = pyloudnorm.Meter(rate, block_size=min(0.4, 0.99 * seconds))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = float(meter.integrated_loudness(samples))
    return found if math.isfinite(found) else SILENCE_DB


def level_gains(loudnesses: Sequence[float]) -> list[float]:
    """Return the gains in dB, none above 0, that make sounds as loud as the quietest of them that is no silence.

    >>> level_gains([-10.0, -16.0, SILENCE_DB])
    [-6.0, 0.0, 0.0]
    """
    quietest = min((lufs for lufs in loudnesses if lufs > SILENCE_DB), default=SILENCE_DB)
    return [min(0.0, quietest - lufs) for lufs in loudnesses]


@dataclass(frozen=True)
class Partial:
    """A harmonic of the note as it sounds at a moment."""

    number: int
    hz: float
    key: float
    """MIDI note number, with its fraction."""
    db: float
    """Level of a sine as loud as this, dBFS."""


def spectrum_at(samples: Floats, rate: int, at_s: float) -> tuple[Floats, Floats]:
    """Return frequencies and the amplitudes of the sines that sound around a moment, for sound of shape (frames, 2)."""
    from scipy.signal.windows import blackmanharris

    size = max(256, round(WINDOW_S * rate))
    first = min(max(0, round(at_s * rate) - size // 2), max(0, samples.shape[0] - size))
    mono = samples[first : first + size].mean(axis=1)
    window = blackmanharris(size, sym=False)
    held = np.zeros(size)
    held[: mono.size] = mono
    found = np.abs(np.fft.rfft(held * window, 4 * size)) * 2.0 / window.sum()
    return np.asarray(np.fft.rfftfreq(4 * size, 1.0 / rate)), found


def partials(frequencies: Floats, amplitudes: Floats, fundamental_hz: float, rate: int) -> list[Partial]:
    """Return the harmonics 1 to 32 of a fundamental, each where the spectrum is highest near its place."""
    found = []
    spacing = float(frequencies[1])
    for number in range(1, PARTIALS + 1):
        hz = number * fundamental_hz
        reach = max(0.03 * fundamental_hz, 2.0 * spacing)
        if hz + reach >= rate / 2.0:
            break
        near = slice(int((hz - reach) / spacing), int((hz + reach) / spacing) + 2)
        at = near.start + int(amplitudes[near].argmax())
        hz = spacing * (at + _summit(amplitudes, at))
        found.append(Partial(number, hz, key_at(hz), decibels(float(amplitudes[at]))))
    return found


def _summit(amplitudes: Floats, at: int) -> float:
    """Return how far, in bins, the top of a parabola through a bin and its neighbours in dB lies from it."""
    if not 0 < at < amplitudes.size - 1:
        return 0.0
    a, b, c = (decibels(float(amplitudes[i])) for i in (at - 1, at, at + 1))
    bow = a - 2.0 * b + c
    return float(np.clip(0.5 * (a - c) / bow, -0.5, 0.5)) if bow < 0.0 else 0.0


@dataclass(frozen=True)
class Picture:
    """A spectrogram: levels in dB, shape (rows, columns), rows from low to high, even in pitch."""

    low_hz: float
    high_hz: float
    db: Floats


SPECTRUM_SIZE: Final = 4096
"""Samples that each spectrum over time is made of."""


def _spectra(samples: Floats, columns: int) -> tuple[Floats, Floats]:
    """Return the amplitudes of the spectrum around the middle of each column, shape (columns, bins), and the window."""
    from scipy.signal import ShortTimeFFT
    from scipy.signal.windows import blackmanharris

    window = blackmanharris(SPECTRUM_SIZE, sym=False)
    frames = samples.shape[0]
    # Slice p stands about sample p * hop: of so many the one nearest to the middle of each column is taken.
    hop = max(1, frames // columns)
    middles = (np.arange(columns) + 0.5) * frames / columns
    nearest = np.rint(middles / hop).astype(int)
    mono = np.pad(samples.mean(axis=1), (0, max(0, SPECTRUM_SIZE - frames)))
    slices = ShortTimeFFT(window, hop, 1.0).stft(mono, p0=0, p1=int(nearest[-1]) + 1)
    return np.abs(slices[:, nearest].T), window


def spectrogram(samples: Floats, rate: int, columns: int, rows: int) -> Picture:
    """Return the spectrum over time, in so many columns of equal length and rows even in pitch."""
    low_hz, high_hz = 30.0, min(18_000.0, 0.45 * rate)
    amplitudes, window = _spectra(samples, columns)
    edges = np.geomspace(low_hz, high_hz, rows + 1) * SPECTRUM_SIZE / rate
    picture = np.empty((rows, columns))
    for row, (low, high) in enumerate(pairwise(edges)):
        picture[row] = amplitudes[:, int(low) : max(math.ceil(high), int(low) + 1)].max(axis=1)
    picture *= 2.0 / window.sum()
    return Picture(low_hz, high_hz, levels_db(picture))


def band_levels(samples: Floats, rate: int, columns: int) -> Floats:
    """Return the level of each of BANDS over time, in dBFS of a sine, shape (3, columns)."""
    amplitudes, window = _spectra(samples, columns)
    power = amplitudes**2 * 2.0 / float((window**2).sum() * SPECTRUM_SIZE)
    f = np.fft.rfftfreq(SPECTRUM_SIZE, 1.0 / rate)
    found = np.array([2.0 * power[:, (f >= low) & (f < high)].sum(axis=1) for low, high in BANDS])
    return levels_db(np.sqrt(found))


def level_deviation(band: Floats, quietest_db: float = -70.0) -> float:
    """Return how much a band's level moves while it sounds: the standard deviation of its dB."""
    if not band.size:
        return 0.0
    sounding = band[band > max(quietest_db, float(band.max()) - 40.0)]
    return float(sounding.std()) if sounding.size else 0.0


ONSET_S: Final = 0.05
"""The onset of the note, which is no movement of the tone."""


def while_held(bands: Floats, seconds: float, rate: int, on_s: float, off_s: float) -> Floats:
    """Return the columns of band levels within the held note, without its onset.

    Parameters
    ----------
    bands : Floats
        Levels in dB over a whole sound, shape (bands, columns).
    seconds : float
        Length of the sound.
    rate : int
        Sample rate in Hz.
    on_s, off_s : float
        Note-on and note-off in seconds.
    """
    columns = bands.shape[1]
    middles = (np.arange(columns) + 0.5) * seconds / columns
    half = 0.5 * SPECTRUM_SIZE / rate
    return bands[:, (middles >= on_s + max(ONSET_S, half)) & (middles <= off_s - half)]


def spectral_centroid(samples: Floats, rate: int) -> float:
    """Return the middle of the spectrum's power (its centroid), in hertz, over the loudest half second."""
    size = min(samples.shape[0], rate // 2)
    if size < 16:
        return 0.0
    power = np.cumsum(np.concatenate([[0.0], (samples**2).mean(axis=1)]))
    first = int((power[size:] - power[:-size]).argmax())
    spectrum = np.abs(np.fft.rfft(samples[first : first + size].mean(axis=1) * np.hanning(size))) ** 2
    total = float(spectrum.sum())
    return float((np.fft.rfftfreq(size, 1.0 / rate) * spectrum).sum() / total) if total > 0.0 else 0.0


def thinned(hz: Floats, amplitudes: Floats, points: int) -> tuple[Floats, Floats]:
    """Return a spectrum as points even in pitch from 20 Hz up, in dB; of the bins of each the highest is kept."""
    edges = np.geomspace(20.0, min(20_000.0, float(hz[-1])), points + 1)
    places = np.searchsorted(hz, edges)
    highest = [float(amplitudes[a : max(b, a + 1)].max()) for a, b in pairwise(places)]
    return np.sqrt(edges[:-1] * edges[1:]), levels_db(np.array(highest))


def fundamental(hz: Floats, amplitudes: Floats, expected: float) -> float:
    """Return the strongest frequency within a semitone of the expected one, or that one where none stands out."""
    near = (hz > expected / 2 ** (1 / 12)) & (hz < expected * 2 ** (1 / 12))
    if not near.any() or amplitudes[near].max() < 0.01 * amplitudes.max():
        return expected
    return float(hz[near][amplitudes[near].argmax()])
