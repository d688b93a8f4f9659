"""The trapezoidal state-variable filter: its coefficients, one sample of it, and its response.

Source of the form: the trapezoidal integration of the state-variable filter (Zavalishin, "The Art of VA Filter
Design", ch. 4): g = tan(pi f / fs), k = 1 / Q.
"""

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats, inline_kernel

RESPONSES: Final = ("low", "high", "band", "notch")
"""What passes; the compiled code knows each by its place."""
_LOW, _HIGH, _BAND, _NOTCH = range(len(RESPONSES))

TOP: Final = 0.49
"""Share of the sample rate under which the voice's corners are kept: at one half the tangent has no value."""

CONTROL_TOP: Final = 0.4999
"""The same for control filters, which may ring up to half the rate."""


def quality(resonance: float) -> float:
    """Return the Q of a resonance from 0 to 1: 0.5 x 128**r.

    >>> quality(0.0), quality(1.0)
    (0.5, 64.0)
    """
    return float(0.5 * 128.0**resonance)


def resonance_of(q: float) -> float:
    """Return the resonance that has a Q.

    >>> resonance_of(64.0)
    1.0
    """
    return math.log(2.0 * q) / math.log(128.0)


@inline_kernel
def damping(resonance: float) -> float:
    """Return k = 1 / Q of a resonance from 0 to 1."""
    return 2.0 * 128.0**-resonance


SINGS_FROM: Final = 0.97
"""The resonance over which a filter that may sing has less and less damping."""

_SINGING_K: Final = -0.1
"""Its damping at a resonance of 1: so much below none that it has begun within some tens of its cycles."""

SINGING_LEVEL: Final = 0.3 * math.sqrt(2.0)
"""The peak at which it then sings: that of a sine from a table."""

BOUND_FROM: Final = 0.9
"""The resonance from which its swing is bounded, ever more up to SINGS_FROM."""


@inline_kernel
def singing_damping(resonance: float) -> float:
    """Return the damping of a filter that may sing: as ever up to SINGS_FROM, from there straight through 0."""
    if resonance <= SINGS_FROM:
        return damping(resonance)
    share = (resonance - SINGS_FROM) / (1.0 - SINGS_FROM)
    least = damping(SINGS_FROM)
    return least + (_SINGING_K - least) * share


@inline_kernel
def _nearness(resonance: float) -> float:
    """Return how near a filter is to singing: 0 up to BOUND_FROM, 1 from SINGS_FROM on."""
    return min(max((resonance - BOUND_FROM) / (SINGS_FROM - BOUND_FROM), 0.0), 1.0)


@inline_kernel
def bound(resonance: float) -> float:
    """Return how much its damping rises with the square of its swing: at full resonance to 0 at SINGING_LEVEL."""
    return _nearness(resonance) * -_SINGING_K / SINGING_LEVEL**2


@inline_kernel
def following_damping(resonance: float) -> float:
    """Return the damping of the stage after one that sings: nothing bounds it, so it must neither sing nor lift."""
    k = damping(resonance)
    return k + _nearness(resonance) * (1.0 - k)


@inline_kernel
def corner(share: float, top: float) -> float:
    """Return g of a corner at a share of the sample rate, kept under ``top``."""
    return math.tan(math.pi * min(share, top))


@inline_kernel
def feedback(g: float, k: float) -> float:
    """Return 1 / (1 + g (g + k)): what solves the loop without delay."""
    return 1.0 / (1.0 + g * (g + k))


@inline_kernel
def advance(s: Floats, at: int, g: float, a: float, x: float) -> tuple[float, float]:
    """Return what the two integrators make of an input, v1 and v2, and move their states ``s[at]`` and ``s[at + 1]``.

    ``a`` is :func:`feedback`. Low is v2, band k v1, high x - k v1 - v2, notch x - k v1.
    """
    v1 = a * (s[at] + g * (x - s[at + 1]))
    v2 = s[at + 1] + g * v1
    s[at], s[at + 1] = 2.0 * v1 - s[at], 2.0 * v2 - s[at + 1]
    return v1, v2


@inline_kernel
def passed(response: int, k: float, x: float, v1: float, v2: float) -> float:
    """Return what a response passes, of the input and what :func:`advance` made of it."""
    if response == _LOW:
        return v2
    if response == _BAND:
        return k * v1
    return x - k * v1 - v2 if response == _HIGH else x - k * v1


@inline_kernel
def bell(gain_db: float, q: float) -> tuple[float, float]:
    """Return the damping of a peaking band, and what of v1 is added to the input: y = x + m v1.

    With A = 10^(gain / 40): k = 1 / (Q A), m = k (A^2 - 1) (Simper, "Solving the continuous SVF equations", 2013).
    """
    a = 10.0 ** (gain_db / 40.0)
    k = 1.0 / (q * a)
    return k, k * (a * a - 1.0)


def transfer(
    response: str, hz: Floats | float, corner_hz: Floats | float, q: float, rate: float, top: float = CONTROL_TOP
) -> NDArray[np.complex128]:
    """Return gain and phase at frequencies as complex numbers, in the shape that both make together.

    The bilinear transform of low = 1 / D, band = (s / q) / D, high = s^2 / D, notch = (s^2 + 1) / D, where
    D = s^2 + s / q + 1, with s = j tan(pi f / fs) / tan(pi f_c / fs).

    >>> round(abs(complex(transfer("low", 1000.0, 1000.0, 0.5, 48_000.0))), 9)
    0.5
    """
    s = 1j * np.tan(np.pi * np.asarray(hz) / rate) / np.tan(np.pi * np.minimum(np.asarray(corner_hz) / rate, top))
    above = {"low": 1.0 + 0.0 * s, "band": s / q, "high": s * s, "notch": s * s + 1.0}[response]
    return np.asarray(above / (s * s + s / q + 1.0))
