"""A sound over time, every 5 ms: its level, its brightness, and its pitch where there is one."""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.analysis.bands import Spectrum
from jorvik.core.dsp.kernels import Floats
from jorvik.core.units.levels import SILENCE_DB

HOP_S: Final = 0.005
LEVEL_S: Final = 0.010
"""Over which the level is the root of the mean square."""

_PITCH_RATE: Final = 22_000
"""So that 110 samples are 5 ms."""
_LOWEST_HZ: Final = 40.0
_HIGHEST_HZ: Final = 2_000.0
_COARSE: Final = 2048
_FINE_ST, _COARSE_ST = 0.1, 0.15
"""Semitones between pitches: of a recording, and where the pitch is expected.

The phase refines the chosen pitch. The time of the search grows with the square of their number.
"""
_PERIODS: Final = 4
"""How many periods a look at the pitch holds once it is known roughly: fewer hide less of a vibrato."""
_FOLLOWS_HZ: Final = 35.0
"""As fast as the pitch is followed."""


@dataclass(frozen=True)
class SoundLanes:
    """What is heard over time; all of one length, a value each 5 ms from the first sample on."""

    level_db: Floats
    brightness_hz: Floats
    """The spectral centroid; not a number where it is silent."""
    pitch_hz: Floats
    """Not a number where none is heard."""
    voiced: Floats
    """How sure it is that there is a pitch, 0 to 1."""

    @property
    def times(self) -> Floats:
        """In seconds."""
        return np.asarray(np.arange(self.level_db.size) * HOP_S, dtype=np.float64)


def sound_lanes(samples: Floats, rate: int, expected_hz: float | None = None) -> SoundLanes:
    """Return the lanes of a sound of shape (frames, 2). ``expected_hz`` spares the first look for its pitch."""
    mono = mono_of(samples)
    count = max(1, math.ceil(len(mono) / rate / HOP_S))
    level = _level(samples, rate, count)
    pitch, voiced = _pitch(mono, rate, count, expected_hz)
    return SoundLanes(level, _brightness(mono, rate, level), pitch, voiced)


def mono_of(samples: Floats) -> Floats:
    """Return the mean of both sides, or the left one where they cancel each other."""
    mean = samples.mean(axis=1)
    power, each = float(np.mean(mean**2)), float(np.mean(samples**2))
    return np.ascontiguousarray(mean if power > 0.25 * each else samples[:, 0])


def _level(samples: Floats, rate: int, count: int) -> Floats:
    """Return the root of the mean square of both sides over 10 ms about each moment, in dB."""
    sums = np.concatenate([[0.0], np.cumsum((samples**2).mean(axis=1))])
    middles = np.arange(count) * HOP_S * rate
    half = 0.5 * LEVEL_S * rate
    first = np.clip(np.round(middles - half).astype(int), 0, len(samples))
    last = np.clip(np.round(middles + half).astype(int), 0, len(samples))
    power = (sums[last] - sums[first]) / np.maximum(last - first, 1)
    return np.asarray(10.0 * np.log10(np.maximum(power, 10.0 ** (SILENCE_DB / 10.0))))


def _brightness(mono: Floats, rate: int, level: Floats) -> Floats:
    """Return the spectral centroid about each moment, of power."""
    hz, power = _spectra(mono, rate, level.size)
    total = power.sum(axis=0)
    found = (hz[:, None] * power).sum(axis=0) / np.maximum(total, 1e-30)
    return np.where(level > level.max() - 60.0, found, np.nan)


def bands_over_time(samples: Floats, rate: int, hop_s: float) -> Floats:
    """Return the level of each band of hearing in dB about moments so far apart; shape (moments, 40)."""
    mono = mono_of(samples)
    hz, power = _spectra(mono, rate, max(1, math.ceil(len(mono) / rate / hop_s)), hop_s)
    return np.stack([Spectrum(hz, at).bands_db for at in power.T])


def _spectra(mono: Floats, rate: int, count: int, hop_s: float = HOP_S) -> tuple[Floats, Floats]:
    """Return frequencies and the power at each about each moment, over windows of 43 ms; shape (bins, moments)."""
    from scipy.signal import ShortTimeFFT
    from scipy.signal.windows import hann

    size = 2 ** round(math.log2(0.043 * rate))
    padded = np.pad(mono, (0, max(0, size - len(mono))))
    short = ShortTimeFFT(hann(size, sym=False), round(hop_s * rate), rate).stft(padded, p0=0, p1=count)
    return np.asarray(np.fft.rfftfreq(size, 1.0 / rate)), np.asarray(np.abs(short) ** 2, dtype=np.float64)


def _pitch(mono: Floats, rate: int, count: int, expected_hz: float | None) -> tuple[Floats, Floats]:
    """Return the pitch and how sure it is: pYIN (Mauch and Dixon, ICASSP 2014, by librosa), then refined by phase."""
    import librosa
    from scipy.signal import resample_poly

    common = math.gcd(rate, _PITCH_RATE)
    sound = resample_poly(mono, _PITCH_RATE // common, rate // common)
    nothing = np.full(count, np.nan), np.zeros(count)
    if sound.size < _COARSE or float(np.abs(sound).max()) < 1e-4:
        return nothing
    hop = round(HOP_S * _PITCH_RATE)
    low, high, frame = _LOWEST_HZ, _HIGHEST_HZ, _COARSE
    bins = _COARSE_ST
    if expected_hz is None:
        bins = _FINE_ST
        hz, _, sure = librosa.pyin(
            sound, fmin=low, fmax=high, sr=_PITCH_RATE, frame_length=frame, hop_length=8 * hop, resolution=0.2
        )
        if not np.isfinite(hz).any():
            return nothing
        expected_hz = float(np.nanmedian(hz[sure >= np.median(sure[np.isfinite(hz)])]))
    low, high = max(low, expected_hz / 2.2), min(high, expected_hz * 2.2)
    frame = int(min(_COARSE, max(128, 2 ** math.ceil(math.log2(_PERIODS * _PITCH_RATE / expected_hz)))))
    low = max(low, 2.05 * _PITCH_RATE / frame)
    high = max(high, 1.5 * low)
    hz, _, sure = librosa.pyin(
        sound, fmin=low, fmax=high, sr=_PITCH_RATE, frame_length=frame, hop_length=hop, resolution=bins
    )
    hz, sure = _of_length(hz, count, np.nan), _of_length(sure, count, 0.0)
    return _refined(sound, hz), sure


def _of_length(values: Floats, count: int, rest: float) -> Floats:
    return np.asarray(np.concatenate([values[:count], np.full(max(0, count - values.size), rest)]))


def _refined(sound: Floats, hz: Floats) -> Floats:
    """Return a pitch as exact as the phase of the fundamental tells it, from one that is known by 10 cents.

    The sound is turned back by the phase that the known pitch would have; what is left turns by the difference.
    """
    from scipy.signal import firwin, oaconvolve

    known = np.isfinite(hz)
    if known.sum() < 4:
        return hz
    at = np.flatnonzero(known)
    smooth = np.convolve(np.pad(np.interp(np.arange(hz.size), at, hz[at]), 4, mode="edge"), np.full(9, 1 / 9), "valid")
    fine = np.interp(np.arange(sound.size) / _PITCH_RATE, np.arange(hz.size) * HOP_S, smooth)
    phase = 2.0 * np.pi * np.cumsum(fine) / _PITCH_RATE
    width = max(int(3.3 * _PITCH_RATE / min(_FOLLOWS_HZ, 0.35 * float(np.median(hz[at])))) | 1, 3)
    band = firwin(width, min(_FOLLOWS_HZ, 0.35 * float(np.median(hz[at]))), fs=_PITCH_RATE)
    best, strength = hz, 0.0
    # Where the fundamental is weak a low partial tells as much.
    for partial in (1, 2, 3):
        turned = oaconvolve(sound * np.exp(-1j * partial * phase), band, mode="same")
        power = float(np.mean(np.abs(turned) ** 2))
        if power <= 2.0 * strength:
            continue
        drift = np.gradient(np.unwrap(np.angle(turned))) * _PITCH_RATE / (2.0 * np.pi * partial)
        places = np.minimum((np.arange(hz.size) * HOP_S * _PITCH_RATE).astype(int), sound.size - 1)
        found = (fine + drift)[places]
        best, strength = (
            np.where(known & (np.abs(12 * np.log2(np.maximum(found, 1.0) / smooth)) < 2.0), found, np.nan),
            power,
        )
    return np.asarray(best)
