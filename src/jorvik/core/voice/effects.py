"""What the sends feed: chorus, delay and reverb, on the sum of all voices."""

import math
from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.cores import cores
from jorvik.core.document.voice_settings import ChorusSettings, DelaySettings, Effects, ReverbSettings
from jorvik.core.dsp.kernels import Floats, kernel, summing_kernel
from jorvik.core.dsp.svf import TOP, corner
from jorvik.core.units.tempo import Tempo

SENDS = ("send_delay", "send_chorus", "send_reverb")

_LONG: Final = 8
"""Of how many blocks the longer parts of a room's answer are."""


def effects(sends: Mapping[str, Floats], settings: Effects, tempo: Tempo, rate: int) -> Iterator[Floats]:
    """Yield what each effect makes of its send, of shape (frames, 2)."""
    if "send_delay" in sends:
        yield delay(sends["send_delay"], settings.delay, tempo, rate)
    if "send_chorus" in sends:
        yield chorus(sends["send_chorus"], settings.chorus, rate)
    if "send_reverb" in sends:
        yield reverb(sends["send_reverb"], settings.reverb, rate)


def delay(sound: Floats, settings: DelaySettings, tempo: Tempo, rate: int) -> Floats:
    """Return the echoes, without the sound itself; each is damped and crosses to the other side."""
    return Echoes(settings, tempo, rate).block(sound)


class Echoes:
    """The echoes of a sound that comes in pieces."""

    def __init__(self, settings: DelaySettings, tempo: Tempo, rate: int) -> None:
        g = corner(settings.damp_hz / rate, TOP)
        self._damping, self._feedback = g / (1.0 + g), settings.feedback
        self._ring = np.zeros((max(1, round(tempo.seconds(settings.time) * rate)), 2))
        self._states, self._at = np.zeros(2), 0

    def block(self, sound: Floats) -> Floats:
        """Return as many frames as come in, shape (frames, 2)."""
        made = np.empty((len(sound), 2))
        self._at = _echoes(
            np.ascontiguousarray(sound), self._ring, self._at, self._feedback, self._damping, self._states, made
        )
        return made


@kernel
def _echoes(sound: Floats, ring: Floats, at: int, feedback: float, damping: float, states: Floats, out: Floats) -> int:
    """Write what comes again as late as the ring is long: through a trapezoidal one-pole, and across."""
    left, right = states[0], states[1]
    for n in range(sound.shape[0]):
        v = (ring[at, 1] - left) * damping
        out[n, 0] = v + left
        left = out[n, 0] + v
        v = (ring[at, 0] - right) * damping
        out[n, 1] = v + right
        right = out[n, 1] + v
        ring[at, 0] = sound[n, 0] + feedback * out[n, 0]
        ring[at, 1] = sound[n, 1] + feedback * out[n, 1]
        at += 1
        if at == ring.shape[0]:
            at = 0
    states[0], states[1] = left, right
    return at


@kernel
def _swung(
    sound: Floats, past: int, first: int, side: float, middle: float, depth: float, cycles: float, out: Floats
) -> None:
    """Write one channel read ``middle`` +- ``depth`` samples late, swinging ``cycles`` a sample.

    ``out`` begins with sample ``first``, before which ``sound`` holds ``past`` more.
    """
    # The swing is turned on by a rotation at each sample, which a sine every so often sets right again.
    turn_x, turn_y = math.cos(2.0 * math.pi * cycles), math.sin(2.0 * math.pi * cycles)
    x = y = 0.0
    for k in range(out.size):
        n = first + k
        if k == 0 or n % 1024 == 0:
            angle = 2.0 * math.pi * (cycles * n + side)
            x, y = math.cos(angle), math.sin(angle)
        late = middle + depth * y
        x, y = x * turn_x - y * turn_y, x * turn_y + y * turn_x
        place = n - late
        i = math.floor(place)
        share = place - i
        at = i - first + past
        if at >= 0:
            out[k] += sound[at] + share * (sound[min(at + 1, k + past)] - sound[at])


def chorus(sound: Floats, settings: ChorusSettings, rate: int) -> Floats:
    """Return two swinging copies for each side, a quarter of a swing apart, without the sound itself."""
    return Swung(settings, rate, keeps=False).block(sound)


class Swung:
    """The chorus of a sound that comes in pieces."""

    def __init__(self, settings: ChorusSettings, rate: int, first: int = 0, keeps: bool = True) -> None:
        """Begin with a sample; ``keeps`` off: it comes in one piece, and nothing of it is kept for the next."""
        self._depth = settings.depth_ms / 1000.0 * rate / 2.0
        self._middle, self._cycles = self._depth + 0.012 * rate, settings.rate / rate
        self._past = np.zeros((math.ceil(self._middle + self._depth) + 2 if keeps else 0, 2))
        self._first = first

    def block(self, sound: Floats) -> Floats:
        """Return as many frames as come in, shape (frames, 2)."""
        past = len(self._past)
        whole = np.concatenate([self._past, sound]) if past else sound
        made = np.zeros_like(sound)
        for channel in range(2):
            out = np.zeros(len(sound))
            heard = np.ascontiguousarray(whole[:, channel])
            for side in (0.25 * channel, 0.25 * channel + 0.5):
                _swung(heard, past, self._first, side, self._middle, self._depth, self._cycles, out)
            made[:, channel] = 0.5 * out
        self._first += len(sound)
        self._past = whole[len(whole) - past :] if past else self._past
        return made


def reverb(sound: Floats, settings: ReverbSettings, rate: int) -> Floats:
    """Return the sound in a room made of falling noise: -60 dB after the decay, twice as fast above the damping."""
    from scipy import fft

    frames = len(sound)
    answer = _spectrum(settings.decay_s, settings.damp_hz, rate, frames)
    size = 2 * (answer.shape[1] - 1)
    # Single precision lies 140 dB under the sound, and takes half the time.
    spectrum = fft.rfft(np.ascontiguousarray(sound.T, dtype=np.float32), size, workers=cores()) * answer
    return np.asarray(fft.irfft(spectrum, size, workers=cores())[:, :frames].T, dtype=np.float64)


class Room:
    """The room around a sound that comes in blocks: partitioned convolution, its later answer in longer parts.

    Source: Gardner, "Efficient convolution without input-output delay" (1995), with parts of two lengths. What is heard
    within :data:`_LONG` blocks is worked out block by block; what comes later can wait until so many are there, which
    takes a sixth of the time.
    """

    def __init__(self, settings: ReverbSettings, rate: int, block: int) -> None:
        """Begin in silence, for blocks of a multiple of ``block`` samples."""
        answer = room(settings.decay_s, settings.damp_hz, rate).astype(np.float32)
        self._block, long = block, _LONG * block
        self._soon = _Convolution(answer[:long], block)
        self._later = _Convolution(answer[long:], long) if len(answer) > long else None
        self._gathered = np.zeros((long, 2), dtype=np.float32)
        self._due = np.zeros((long, 2))
        """What is heard of all that was gathered before."""
        self._at = 0

    def block(self, sound: Floats) -> Floats:
        """Return as many frames as come in, shape (frames, 2): a multiple of a part."""
        return np.concatenate([self._part(part) for part in sound.reshape(-1, self._block, 2)])

    def _part(self, sound: Floats) -> Floats:
        now = sound.astype(np.float32)
        made = self._soon.part(now)
        if self._later is None:
            return made
        here = slice(self._at, self._at + self._block)
        made += self._due[here]
        self._gathered[here] = now
        self._at = here.stop % len(self._gathered)
        if self._at == 0:
            self._due = self._later.part(self._gathered)
        return made


class _Convolution:
    """Sound that comes in parts of one length, through an answer cut into parts of that length.

    Each part of the answer is transformed once; a part of sound too, and heard through every one of them.
    """

    def __init__(self, answer: NDArray[np.float32], length: int) -> None:
        from scipy import fft

        parts = -(-len(answer) // length)
        padded = np.zeros((parts * length, 2), dtype=np.float32)
        padded[: len(answer)] = answer
        self._length = length
        self._parts = fft.rfft(padded.reshape(parts, length, 2), 2 * length, axis=1)
        self._heard = np.zeros_like(self._parts)
        self._at = 0
        self._last = np.zeros((length, 2), dtype=np.float32)

    def part(self, now: NDArray[np.float32]) -> Floats:
        """Return what is heard during the next part of sound, shape (length, 2) as it."""
        from scipy import fft

        self._at = (self._at - 1) % len(self._parts)
        self._heard[self._at] = fft.rfft(np.concatenate([self._last, now]), axis=0)
        self._last = now.copy()
        split = len(self._parts) - self._at
        found = np.zeros(self._parts.shape[1:], dtype=self._parts.dtype)
        _heard_through(self._heard[self._at :], self._parts[:split], found)
        _heard_through(self._heard[: self._at], self._parts[split:], found)
        return np.asarray(fft.irfft(found, 2 * self._length, axis=0)[self._length :], dtype=np.float64)


@summing_kernel
def _heard_through(heard: NDArray[np.complex64], parts: NDArray[np.complex64], out: NDArray[np.complex64]) -> None:
    """Add to ``out`` what each of some transformed blocks is through its part of the answer."""
    for k in range(parts.shape[0]):
        for b in range(parts.shape[1]):
            for c in range(parts.shape[2]):
                out[b, c] += heard[k, b, c] * parts[k, b, c]


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
