"""Folding and driving, at a multiple of the sample rate, and the way back down."""

import math
from functools import cache
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats, inline_kernel, kernel, summing_kernel, unowned
from jorvik.core.dsp.svf import TOP, advance, corner, feedback
from jorvik.core.voice.tones import ROWS, SINE_PEAK

CROSSOVER_K: Final = 2.0
"""Damping of the drive's crossover: a Q of one half, so that both sides fall without a peak."""

FOLD_REACH: Final = 12.0
"""Quarter turns of the fold's sine that a sine of full level goes through at full fold."""

_FOLD, _DRIVE = ROWS["fold"], ROWS["drive"]
_LAST_FOLD, _LAST_DRIVE, _LAST_U, _LAST_AREA, _GAIN, _LEVEL, _MIX, _LOW1, _LOW2 = range(9)
SHAPE_STATES: Final = _LOW2 + 1


@inline_kernel
def fold(x: float, amount: float) -> float:
    """Return a sample folded: itself at 0, and from 1/8 on a sine of the input, turned through ever further."""
    if amount <= 0.0:
        return x
    turns = 0.5 * math.pi * (1.0 + (FOLD_REACH - 1.0) * amount) / SINE_PEAK
    return x + min(8.0 * amount, 1.0) * (SINE_PEAK * math.sin(turns * x) - x)


@inline_kernel
def _log_cosh(u: float) -> float:
    return abs(u) + math.log1p(math.exp(-2.0 * abs(u))) - math.log(2.0)


@inline_kernel
def drive(x: float, gain: float, s: Floats) -> float:
    """Return tanh(gain x) without its aliases.

    Between two samples the straight line between them is driven and averaged (first-order antiderivative antialiasing,
    Parker, Zavalishin and Le Bivic, DAFx 2016): log cosh is the antiderivative of tanh.
    """
    u = gain * x
    area = _log_cosh(u)
    gap = u - s[_LAST_U]
    y = math.tanh(0.5 * (u + s[_LAST_U])) if abs(gap) < 1e-4 else (area - s[_LAST_AREA]) / gap
    s[_LAST_U], s[_LAST_AREA] = u, area
    return y


@inline_kernel
def compensation(decibels: float) -> float:
    """Return the factor with which a driven sine of full level stays at full level: L / tanh(g L)."""
    return SINE_PEAK / math.tanh(10.0 ** (decibels / 20.0) * SINE_PEAK)


@inline_kernel
def _set_drive(decibels: float, compensated: bool, s: Floats) -> tuple[float, float, float]:
    """Keep, and return, gain, level and share of the drive."""
    s[_LAST_DRIVE] = decibels
    s[_GAIN] = 10.0 ** (decibels / 20.0)
    s[_LEVEL] = compensation(decibels) if compensated else 1.0
    s[_MIX] = min(decibels / 3.0, 1.0)
    return s[_GAIN], s[_LEVEL], s[_MIX]


@kernel
def shape(
    lanes: Floats, s: Floats, crossover_hz: float, compensated: bool, factor: int, rate: float, tones: Floats
) -> None:
    """Fold and drive one channel of tones in place; what lies under the crossover passes by the drive.

    Depths go straight from one sample's to the next one's. The drive fades in over its first 3 dB, so that 0 dB is
    the tone itself.
    """
    g = corner(crossover_hz / (rate * factor), TOP)
    split = feedback(g, CROSSOVER_K)
    for n in range(lanes.shape[1]):
        folded, driven = lanes[_FOLD, n], lanes[_DRIVE, n]
        gain, level, mix = s[_GAIN], s[_LEVEL], s[_MIX]
        new_gain, new_level, new_mix = gain, level, mix
        if driven != s[_LAST_DRIVE]:
            new_gain, new_level, new_mix = _set_drive(driven, compensated, s)
        for k in range(factor):
            at = (k + 1) / factor
            place = n * factor + k
            x = tones[place]
            if folded > 0.0 or s[_LAST_FOLD] > 0.0:
                x = fold(x, s[_LAST_FOLD] + (folded - s[_LAST_FOLD]) * at)
            if mix > 0.0 or new_mix > 0.0:
                high = x
                if crossover_hz > 0.0:
                    v1, v2 = advance(s, _LOW1, g, split, x)
                    high = x - CROSSOVER_K * v1 - v2
                y = (level + (new_level - level) * at) * drive(high, gain + (new_gain - gain) * at, s)
                x += (mix + (new_mix - mix) * at) * (y - high)
            tones[place] = x
        s[_LAST_FOLD] = folded


@cache
def decimator(factor: int) -> Floats:
    """Return the taps of the low-pass that leads back to the sample rate: flat to 0.42 of it, 90 dB down from 0.58."""
    from scipy.signal import firwin, kaiserord

    if factor == 1:
        return np.ones(1)
    count, beta = kaiserord(90.0, 0.16 / (0.5 * factor))
    count = 2 * factor * math.ceil(count / (2 * factor)) + 1
    return np.asarray(firwin(count, 0.5, window=("kaiser", beta), fs=float(factor)))


@summing_kernel
def decimate(tones: Floats, taps: Floats, factor: int, out: Floats) -> None:
    """Filter and thin one channel; ``tones`` begins with the ``taps.size - 1`` samples before the block."""
    tones, taps = unowned(tones), unowned(taps)
    for n in range(out.size):
        part = tones[n * factor : n * factor + taps.size]
        total = 0.0
        for i in range(part.size):
            total += taps[i] * part[i]
        out[n] = total
