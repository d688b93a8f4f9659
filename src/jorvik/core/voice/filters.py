"""The two filters after the tone: state-variable, moved at every sample, in series, in parallel or between."""

import math
from typing import Final, NamedTuple

from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel
from jorvik.core.voice.tones import ROWS

RESPONSES: Final = ("low", "high", "band", "notch")
_LOW, _HIGH, _BAND, _NOTCH = range(4)

_CUTOFF, _RESONANCE = ROWS["cutoff"], ROWS["resonance"]
_CUTOFF2, _RESONANCE2, _MIX = ROWS["filter2_cutoff"], ROWS["filter2_resonance"], ROWS["filter_mix"]

_S1, _S2, _S3, _S4, _LAST_HZ, _LAST_R, _G, _K, _A1 = range(9)
ONE_FILTER: Final = _A1 + 1
FILTER_STATES: Final = 2 * ONE_FILTER


class Filters(NamedTuple):
    """What the filters read and nothing moves."""

    response1: int
    steep1: bool
    response2: int
    steep2: bool
    second: bool
    """Whether the second filter is in the path at all."""


@inline_kernel
def _tune(s: Floats, at: int, hz: float, resonance: float, rate: float) -> None:
    """Keep the coefficients for a cutoff and a resonance, Q = 0.5 x 128**r, unless they stand already."""
    if hz != s[at + _LAST_HZ] or resonance != s[at + _LAST_R]:
        s[at + _LAST_HZ], s[at + _LAST_R] = hz, resonance
        s[at + _G] = math.tan(math.pi * min(hz / rate, 0.49))
        s[at + _K] = 2.0 * 128.0**-resonance
        s[at + _A1] = 1.0 / (1.0 + s[at + _G] * (s[at + _G] + s[at + _K]))


@inline_kernel
def _stage(s: Floats, at: int, a: int, x: float, response: int) -> float:
    """Return one trapezoidal state-variable stage whose states stand at ``a`` and ``a + 1``."""
    g, k = s[at + _G], s[at + _K]
    v1 = s[at + _A1] * (s[a] + g * (x - s[a + 1]))
    v2 = s[a + 1] + g * v1
    s[a], s[a + 1] = 2.0 * v1 - s[a], 2.0 * v2 - s[a + 1]
    if response == _LOW:
        return v2
    if response == _HIGH:
        return x - k * v1 - v2
    return k * v1 if response == _BAND else x - k * v1


@inline_kernel
def _filter(s: Floats, at: int, x: float, response: int, steep: bool) -> float:
    y = _stage(s, at, at + _S1, x, response)
    return _stage(s, at, at + _S3, y, response) if steep else y


@kernel
def filter_block(lanes: Floats, of: Filters, s: Floats, rate: float, samples: Floats) -> None:
    """Filter one channel of a block in place.

    With a mix m the second filter is fed (1 - m) x the first one's output + m x the tone, and m x the first one's
    output goes past it: 0 is series, 1 is parallel.
    """
    for n in range(samples.size):
        x = samples[n]
        _tune(s, 0, lanes[_CUTOFF, n], lanes[_RESONANCE, n], rate)
        y = _filter(s, 0, x, of.response1, of.steep1)
        if of.second:
            m = lanes[_MIX, n]
            _tune(s, ONE_FILTER, lanes[_CUTOFF2, n], lanes[_RESONANCE2, n], rate)
            y = m * y + _filter(s, ONE_FILTER, (1.0 - m) * y + m * x, of.response2, of.steep2)
        samples[n] = y
