"""What follows the tone: two state-variable filters in series, in parallel or between, then two peaking bands.

Everything is moved at every sample.
"""

from typing import Final, NamedTuple

from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel
from jorvik.core.dsp.svf import TOP, advance, bell, corner, damping, feedback, passed
from jorvik.core.voice.tones import ROWS

_CUTOFF, _RESONANCE = ROWS["cutoff"], ROWS["resonance"]
_CUTOFF2, _RESONANCE2, _MIX = ROWS["filter2_cutoff"], ROWS["filter2_resonance"], ROWS["filter_mix"]

_S1, _, _S3, _, _LAST_HZ, _LAST_R, _G, _K, _A1 = range(9)
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
    """Keep the coefficients for a cutoff and a resonance, unless they stand already."""
    if hz != s[at + _LAST_HZ] or resonance != s[at + _LAST_R]:
        s[at + _LAST_HZ], s[at + _LAST_R] = hz, resonance
        s[at + _G], s[at + _K] = corner(hz / rate, TOP), damping(resonance)
        s[at + _A1] = feedback(s[at + _G], s[at + _K])


@inline_kernel
def _stage(s: Floats, at: int, states: int, x: float, response: int) -> float:
    """Return one stage whose states stand at ``states`` and the place after it."""
    v1, v2 = advance(s, states, s[at + _G], s[at + _A1], x)
    return passed(response, s[at + _K], x, v1, v2)


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
