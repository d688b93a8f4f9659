"""What the sends feed: chorus, delay and reverb, on the sum of all voices."""

import math
import os
from collections.abc import Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.voice_settings import ChorusSettings, DelaySettings, Effects, ReverbSettings
from jorvik.core.dsp.kernels import Floats, kernel
from jorvik.core.dsp.svf import TOP, corner
from jorvik.core.units.tempo import Tempo

SENDS = ("send_delay", "send_chorus", "send_reverb")


def effects(sends: Mapping[str, Floats], settings: Effects, tempo: Tempo, rate: int) -> Floats:
    """Return the sum of what the effects make of their sends, each of shape (frames, 2)."""
    made = np.zeros_like(next(iter(sends.values()))) if sends else np.zeros((0, 2))
    if "send_delay" in sends:
        made += delay(sends["send_delay"], settings.delay, tempo, rate)
    if "send_chorus" in sends:
        made += chorus(sends["send_chorus"], settings.chorus, rate)
    if "send_reverb" in sends:
        made += reverb(sends["send_reverb"], settings.reverb, rate)
    return made


def delay(sound: Floats, settings: DelaySettings, tempo: Tempo, rate: int) -> Floats:
    """Return the echoes, without the sound itself; each is damped and crosses to the other side."""
    steps = max(1, round(tempo.seconds(settings.time) * rate))
    made = np.zeros_like(sound)
    g = corner(settings.damp_hz / rate, TOP)
    _echoes(np.ascontiguousarray(sound), steps, settings.feedback, g / (1.0 + g), made)
    return made


@kernel
def _echoes(sound: Floats, steps: int, feedback: float, damping: float, out: Floats) -> None:
    """Write what comes ``steps`` samples later, again and again: through a trapezoidal one-pole, and across."""
    left = right = 0.0
    for n in range(steps, sound.shape[0]):
        v = (sound[n - steps, 1] + feedback * out[n - steps, 1] - left) * damping
        out[n, 0] = v + left
        left = out[n, 0] + v
        v = (sound[n - steps, 0] + feedback * out[n - steps, 0] - right) * damping
        out[n, 1] = v + right
        right = out[n, 1] + v


@kernel
def _swung(sound: Floats, side: float, middle: float, depth: float, cycles: float, out: Floats) -> None:
    """Write one channel read ``middle`` +- ``depth`` samples late, swinging ``cycles`` a sample."""
    # The swing is turned on by a rotation at each sample, which a sine every so often sets right again.
    turn_x, turn_y = math.cos(2.0 * math.pi * cycles), math.sin(2.0 * math.pi * cycles)
    x = y = 0.0
    for n in range(out.size):
        if n % 1024 == 0:
            angle = 2.0 * math.pi * (cycles * n + side)
            x, y = math.cos(angle), math.sin(angle)
        late = middle + depth * y
        x, y = x * turn_x - y * turn_y, x * turn_y + y * turn_x
        place = n - late
        i = math.floor(place)
        if i >= 0:
            share = place - i
            out[n] += sound[i] + share * (sound[min(i + 1, n)] - sound[i])


def chorus(sound: Floats, settings: ChorusSettings, rate: int) -> Floats:
    """Return two swinging copies for each side, a quarter of a swing apart, without the sound itself."""
    made = np.zeros_like(sound)
    depth = settings.depth_ms / 1000.0 * rate / 2.0
    for channel in range(2):
        out = np.zeros(sound.shape[0])
        for side in (0.25 * channel, 0.25 * channel + 0.5):
            _swung(
                np.ascontiguousarray(sound[:, channel]), side, depth + 0.012 * rate, depth, settings.rate / rate, out
            )
        made[:, channel] = 0.5 * out
    return made


def reverb(sound: Floats, settings: ReverbSettings, rate: int) -> Floats:
    """Return the sound in a room made of falling noise: -60 dB after the decay, twice as fast above the damping."""
    from scipy import fft

    frames, cores = len(sound), os.cpu_count() or 1
    answer = _spectrum(settings.decay_s, settings.damp_hz, rate, frames)
    size = 2 * (answer.shape[1] - 1)
    # Single precision lies 140 dB under the sound, and takes half the time.
    spectrum = fft.rfft(np.ascontiguousarray(sound.T, dtype=np.float32), size, workers=cores) * answer
    return np.asarray(fft.irfft(spectrum, size, workers=cores)[:, :frames].T, dtype=np.float64)


@lru_cache(maxsize=4)
def _spectrum(decay_s: float, damp_hz: float, rate: int, frames: int) -> NDArray[np.complex64]:
    """Return the spectrum of the room, a row for each channel, as long as so many frames in it need."""
    from scipy import fft

    answer = room(decay_s, damp_hz, rate)[:frames]
    size = 2 * fft.next_fast_len((frames + len(answer)) // 2, real=True)
    return np.asarray(fft.rfft(answer.T.astype(np.float32), size))


@lru_cache(maxsize=8)
def room(decay_s: float, damp_hz: float, rate: int) -> Floats:
    """Return the answer of the room to an impulse, shape (frames, 2), as loud as the impulse."""
    from scipy.signal import butter, sosfilt

    frames = max(1, round(1.2 * decay_s * rate))
    noise = np.random.default_rng(5).standard_normal((frames, 2))
    fall = 10.0 ** (-3.0 * np.arange(frames)[:, None] / (decay_s * rate))
    low = np.asarray(sosfilt(butter(2, min(damp_hz / rate, TOP), fs=1.0, output="sos"), noise, axis=0))
    made = low * fall + (noise - low) * fall**2
    made *= np.clip(np.arange(frames) / (0.012 * rate), 0.0, 1.0)[:, None]
    return np.asarray(made / max(float(np.sqrt((made**2).sum(axis=0).mean())), 1e-9))
