"""What follows the tone: two state-variable filters in series, in parallel or between, then two peaking bands.

Everything is moved at every sample.
"""

from typing import Final, NamedTuple

import numpy as np

from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel
from jorvik.core.dsp.svf import (
    TOP,
    advance,
    bell,
    bound,
    corner,
    damping,
    feedback,
    following_damping,
    passed,
    singing_damping,
)
from jorvik.core.voice.tones import ROWS

_CUTOFF, _RESONANCE = ROWS["cutoff"], ROWS["resonance"]
_CUTOFF2, _RESONANCE2, _MIX = ROWS["filter2_cutoff"], ROWS["filter2_resonance"], ROWS["filter_mix"]

_S1, _, _S3, _, _LAST_HZ, _LAST_R, _G, _K, _A1, _SUNG_K, _BOUND, _SWING = range(12)
ONE_FILTER: Final = _SWING + 1
FILTER_STATES: Final = 2 * ONE_FILTER


class Filters(NamedTuple):
    """What the filters read and nothing moves."""

    response1: int
    steep1: bool
    response2: int
    steep2: bool
    second: bool
    """Whether the second filter is in the path at all."""
    sings1: bool
    sings2: bool


KICK: Final = 1e-4
"""What a filter that may sing begins from: 80 dB down, for from rest it would stay there."""


def begun(of: Filters, channels: int) -> Floats:
    """Return the states of the filters at the start of a note, a row for each channel."""
    states = np.zeros((channels, FILTER_STATES))
    states[:, _S1] = KICK if of.sings1 else 0.0
    states[:, ONE_FILTER + _S1] = KICK if of.sings2 else 0.0
    return states


@inline_kernel
def _tune(s: Floats, at: int, hz: float, resonance: float, sings: bool, rate: float) -> None:
    """Keep the coefficients for a cutoff and a resonance, unless they stand already."""
    if hz != s[at + _LAST_HZ] or resonance != s[at + _LAST_R]:
        s[at + _LAST_HZ], s[at + _LAST_R] = hz, resonance
        s[at + _G] = corner(hz / rate, TOP)
        s[at + _K] = following_damping(resonance) if sings else damping(resonance)
        s[at + _SUNG_K], s[at + _BOUND] = singing_damping(resonance), bound(resonance)
        s[at + _A1] = feedback(s[at + _G], s[at + _K])


@inline_kernel
def _stage(s: Floats, at: int, states: int, x: float, response: int) -> float:
    """Return one stage whose states stand at ``states`` and the place after it."""
    v1, v2 = advance(s, states, s[at + _G], s[at + _A1], x)
    return passed(response, s[at + _K], x, v1, v2)


@inline_kernel
def _singing(s: Floats, at: int, x: float, response: int) -> float:
    """Return one stage whose damping rises with what it swings by, so that it may have less than none.

    Of a swing at the corner v1 and v2 are sine and cosine: the sum of their squares stands still over a cycle, so that
    neither harmonics nor a shift of its pitch come of it.
    """
    k = s[at + _SUNG_K] + s[at + _BOUND] * s[at + _SWING]
    v1, v2 = advance(s, at + _S1, s[at + _G], feedback(s[at + _G], k), x)
    s[at + _SWING] = v1 * v1 + v2 * v2
    return passed(response, k, x, v1, v2)


@inline_kernel
def _filter(s: Floats, at: int, x: float, response: int, steep: bool, sings: bool) -> float:
    y = _singing(s, at, x, response) if sings else _stage(s, at, at + _S1, x, response)
    return _stage(s, at, at + _S3, y, response) if steep else y


@kernel
def filter_block(lanes: Floats, of: Filters, s: Floats, rate: float, samples: Floats) -> None:
    """Filter one channel of a block in place.

    With a mix m the second filter is fed (1 - m) x the first one's output + m x the tone, and m x the first one's
    output goes past it: 0 is series, 1 is parallel.
    """
    for n in range(samples.size):
        x = samples[n]
        _tune(s, 0, lanes[_CUTOFF, n], lanes[_RESONANCE, n], of.sings1, rate)
        y = _filter(s, 0, x, of.response1, of.steep1, of.sings1)
        if of.second:
            m = lanes[_MIX, n]
            _tune(s, ONE_FILTER, lanes[_CUTOFF2, n], lanes[_RESONANCE2, n], of.sings2, rate)
            y = m * y + _filter(s, ONE_FILTER, (1.0 - m) * y + m * x, of.response2, of.steep2, of.sings2)
        samples[n] = y


PEAKS: Final = ("peak1", "peak2")
"""The peaking bands, in the order in which they follow each other; each is out of the path where its gain is 0."""

_LAST, _BAND_G, _BAND_M, _BAND_A = 2, 5, 6, 7
PEAK_STATES: Final = _BAND_A + 1


@kernel
def peak_block(hz: Floats, gain_db: Floats, q: Floats, s: Floats, rate: float, samples: Floats) -> None:
    """Raise or cut one channel of a block in place about a frequency, by a gain, over a width."""
    for n in range(samples.size):
        if hz[n] != s[_LAST] or gain_db[n] != s[_LAST + 1] or q[n] != s[_LAST + 2]:
            s[_LAST], s[_LAST + 1], s[_LAST + 2] = hz[n], gain_db[n], q[n]
            k, s[_BAND_M] = bell(gain_db[n], q[n])
            s[_BAND_G] = corner(hz[n] / rate, TOP)
            s[_BAND_A] = feedback(s[_BAND_G], k)
        x = samples[n]
        v1, _ = advance(s, 0, s[_BAND_G], s[_BAND_A], x)
        samples[n] = x + s[_BAND_M] * v1
