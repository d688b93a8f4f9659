"""A recording as the tone of a voice: played at the pitch of the note, once or in a loop, free of aliases."""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np

from jorvik.core.document.voice_settings import Recording
from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel, unowned

LEVELS: Final = 6
"""Copies of a recording, each with half of the partials of the one before: it is played up to five octaves up."""

_TAPS: Final = 16
_PHASES: Final = 512
_FADE: Final = 0.1
"""Share of an octave over which the next copy takes over."""


@dataclass(frozen=True)
class Recorded:
    """A recording, ready to be played."""

    levels: Floats
    """Shape (LEVELS, samples + 1): each low-passed by an octave more; the last sample is nothing."""
    rate: float
    octaves: float
    """How far over key 60 it was recorded."""
    loop_from: int
    loop_to: int
    """The stretch that repeats, in samples; nothing where both are 0."""


@lru_cache(maxsize=2)
def recorded(document: str) -> Recorded:
    """Return a recording, given as JSON, ready to be played.

    The longest takes some 70 MB, so that two are kept: the one before an edit and the one after it.
    """
    of = Recording.model_validate_json(document)
    samples = of.decoded()
    loop = (0, 0)
    if of.loop is not None:
        loop = round(of.loop[0] * of.rate), min(round(of.loop[1] * of.rate), samples.size)
        samples = _faded(samples, *loop, round(of.fade_s * of.rate))
    spectrum = np.fft.rfft(samples)
    levels = np.zeros((LEVELS, samples.size + 1))
    levels[0, :-1] = samples
    for level in range(1, LEVELS):
        kept = spectrum.copy()
        kept[max(1, spectrum.size >> level) :] = 0.0
        levels[level, :-1] = np.fft.irfft(kept, samples.size)
    return Recorded(levels, float(of.rate), (of.key - 60.0) / 12.0, *loop)


def _faded(samples: Floats, begin: int, end: int, fade: int) -> Floats:
    """Return a recording whose loop ends as what lies before its beginning does: it goes round without a jump."""
    fade = min(fade, begin, end - begin)
    made = samples.copy()
    share = (np.arange(1, fade + 1) / (fade + 1)) if fade > 0 else np.zeros(0)
    made[end - fade : end] += share * (samples[begin - fade : begin] - samples[end - fade : end])
    return made


def _sinc_table() -> Floats:
    """Return windowed sincs for places between two samples, shape (_PHASES + 1, _TAPS): Kaiser with beta 9."""
    at = np.arange(_TAPS)[None, :] - (_TAPS // 2 - 1) - np.linspace(0.0, 1.0, _PHASES + 1)[:, None]
    window = np.i0(9.0 * np.sqrt(np.clip(1.0 - (2.0 * at / _TAPS) ** 2, 0.0, 1.0))) / np.i0(9.0)
    table = np.sinc(at) * window
    return np.asarray(table / table.sum(axis=1, keepdims=True))


_SINCS: Final = _sinc_table()


@inline_kernel
def _read(samples: Floats, sincs: Floats, place: float, loop_from: int, loop_to: int) -> float:
    """Return a recording between its samples; nothing lies beyond its ends, unless it goes round."""
    whole = math.floor(place)
    phase = (place - whole) * _PHASES
    row = min(int(phase), _PHASES - 1)
    share = phase - row
    count = samples.size - 1
    total = 0.0
    for tap in range(_TAPS):
        index = whole + tap - (_TAPS // 2 - 1)
        if loop_to > 0 and index >= loop_to:
            index -= loop_to - loop_from
        if 0 <= index < count:
            weight = sincs[row, tap] + share * (sincs[row + 1, tap] - sincs[row, tap])
            total += weight * samples[index]
    return total


@kernel
def replay(
    levels: Floats, sincs: Floats, ratio: Floats, loop_from: int, loop_to: int, fade: float, at: Floats, out: Floats
) -> None:
    """Write a recording from ``at[0]`` on; ``ratio`` says for each of the lanes' samples how many go to one of out's.

    Where it goes faster than it was recorded, what would lie over half the rate is left out: a copy with fewer
    partials takes over within a tenth of an octave.
    """
    levels, sincs, ratio, out = unowned(levels), unowned(sincs), unowned(ratio), unowned(out)
    factor = out.size // ratio.size
    place, count = at[0], levels.shape[1] - 1
    for n in range(ratio.size):
        above = math.log2(ratio[n]) if ratio[n] > 1.0 else 0.0
        upper = min(math.ceil(above), levels.shape[0] - 1)
        part = min((above - (upper - 1)) / fade, 1.0) if upper > 0 else 1.0
        for i in range(n * factor, (n + 1) * factor):
            out[i] = 0.0
            if place < count + _TAPS:
                out[i] = part * _read(levels[upper], sincs, place, loop_from, loop_to)
                if part < 1.0:
                    out[i] += (1.0 - part) * _read(levels[upper - 1], sincs, place, loop_from, loop_to)
            place += ratio[n]
            if loop_to > 0 and place >= loop_to:
                place = loop_from + (place - loop_to) % (loop_to - loop_from)
    at[0] = place


class Replay:
    """A recording under one voice, from block to block."""

    def __init__(self, of: Recorded, rate: float) -> None:
        """Begin at its first sample, to be made at a rate."""
        self.of = of
        self.per_sample = math.log2(of.rate / rate)
        self.at = np.zeros(1)

    def block(self, octaves: Floats, factor: int) -> Floats:
        """Return a block of it, for octaves over key 60, at so many samples for each of them."""
        of, out = self.of, np.empty(octaves.size * factor)
        ratio = np.exp2(octaves - of.octaves + self.per_sample)
        replay(of.levels, _SINCS, ratio, of.loop_from, of.loop_to, _FADE, self.at, out)
        return out
