"""Figures in closed form: of rings, beats, sidebands, bends and loops."""

import math
from dataclasses import dataclass
from fractions import Fraction

from scipy.optimize import brentq
from scipy.special import jv

from jorvik.core.curve import bend


@dataclass(frozen=True)
class Ring:
    """How a control filter rings."""

    frequency_hz: float
    time_s: float
    """Until it is 60 dB down."""
    bounces: float
    """Swings of more than 5 %."""


def ring(frequency_hz: float, q: float) -> Ring:
    """Return how a resonant filter rings: at f sqrt(1 - 1/4q^2), for ln(1000) q / (pi f), with q ln(20) / pi bounces.

    >>> round(ring(7.5, 7.0).bounces, 2)
    6.68
    """
    inside = max(0.0, 1.0 - 1.0 / (4.0 * q * q))
    time_s = math.log(1000.0) * q / (math.pi * frequency_hz) if frequency_hz > 0.0 else 0.0
    return Ring(frequency_hz * math.sqrt(inside), time_s, q * math.log(20.0) / math.pi)


def ring_from(rings_at_hz: float, time_s: float) -> tuple[float, float]:
    """Return the frequency and Q of a filter that rings at a frequency for a time: the wish the other way round."""
    q = math.sqrt((math.pi * rings_at_hz * time_s / math.log(1000.0)) ** 2 + 0.25)
    return rings_at_hz / math.sqrt(max(1e-12, 1.0 - 1.0 / (4.0 * q * q))), q


def beat_hz(hz: float, cents: float) -> float:
    """Return how often a pair detuned by so many cents beats: f (2^(c/1200) - 1).

    >>> round(beat_hz(440.0, 10.0), 3)
    2.549
    """
    return hz * (2.0 ** (cents / 1200.0) - 1.0)


def sidebands(carrier_hz: float, modulator_hz: float, index: float, most: int = 12) -> list[tuple[int, float, float]]:
    """Return FM sidebands: order, frequency f_c + n f_m (reflected at 0) and level J_n(index)."""
    return [(n, abs(carrier_hz + n * modulator_hz), abs(float(jv(n, index)))) for n in range(-most, most + 1)]


def scale_and_offset(least: float, greatest: float, wanted_least: float, wanted_greatest: float) -> tuple[float, float]:
    """Return gain and offset that bring a signal from its own least and greatest to the wanted ones.

    >>> scale_and_offset(-1.0, 1.0, 0.12, 1.0)
    (0.44, 0.56)
    """
    gain = (wanted_greatest - wanted_least) / (greatest - least) if greatest > least else 0.0
    return round(gain, 12), round(wanted_least - gain * least, 12)


def bend_for(half_share: float) -> float:
    """Return the bend with which a fall is half done after a share of its time, within -12 to 12.

    Solves B(share, k) = 1/2.

    >>> round(bend_for(0.5), 9)
    0.0
    """
    least = bend_half(12.0)
    share = min(max(half_share, least), 1.0 - least)
    if abs(share - 0.5) < 1e-9:
        return 0.0
    return float(brentq(lambda k: bend(share, k) - 0.5, -12.0, 12.0))


def bend_half(k: float) -> float:
    """Return the share of its time after which a bend k is half done: ln(2 / (1 + e^-k)) / k."""
    return 0.5 if abs(k) < 1e-6 else math.log(2.0 / (1.0 + math.exp(-k))) / k


def meeting(lengths: list[Fraction]) -> Fraction:
    """Return after how long loops of these lengths meet again: their least common multiple.

    >>> meeting([Fraction(3), Fraction(4), Fraction(5, 2)])
    Fraction(60, 1)
    """
    numerator = math.lcm(*(length.numerator for length in lengths))
    return Fraction(numerator, math.gcd(*(length.denominator for length in lengths)))
