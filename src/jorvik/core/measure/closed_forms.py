"""Figures in closed form: of rings, beats, sidebands, bends and loops."""

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import Final

from jorvik.core.dsp.bend import bend

_MOST_ORDERS: Final = 64


@dataclass(frozen=True)
class Ring:
    """How a control filter rings."""

    frequency_hz: float
    time_s: float
    """Until it is 60 dB down."""
    audible_cycles: float
    """Swings of more than 5 %."""


def ring(frequency_hz: float, q: float) -> Ring:
    """Return how a filter rings: at f sqrt(1 - 1/4q^2), for ln(1000) q / (pi f), for q ln(20) / pi cycles over 5 %.

    >>> round(ring(7.5, 7.0).audible_cycles, 2)
    6.68
    """
    inside = max(0.0, 1.0 - 1.0 / (4.0 * q * q))
    time_s = math.log(1000.0) * q / (math.pi * frequency_hz) if frequency_hz > 0.0 else 0.0
    return Ring(frequency_hz * math.sqrt(inside), time_s, q * math.log(20.0) / math.pi)


def ring_from(rings_at_hz: float, time_s: float) -> tuple[float, float]:
    """Return the frequency and Q of a filter that rings at a frequency for a time: the ring the other way round."""
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
    from scipy.special import jv

    return [(n, abs(carrier_hz + n * modulator_hz), abs(float(jv(n, index)))) for n in range(-most, most + 1)]


def heard_sidebands(carrier_hz: float, modulator_hz: float, index: float) -> list[tuple[int, float, float]]:
    """Return FM sidebands as they are heard: those that fall on one frequency added, both waves in sine phase.

    What would lie under 0 is turned back with its sign changed, since sin(-x) = -sin x. The order told is that of the
    strongest part.
    """
    from scipy.special import jv

    parts: dict[float, list[tuple[float, int]]] = {}
    for n in range(-_MOST_ORDERS, _MOST_ORDERS + 1):
        hz = carrier_hz + n * modulator_hz
        parts.setdefault(round(abs(hz), 6), []).append((math.copysign(1.0, hz) * float(jv(n, index)), n))
    strongest = {hz: max(found, key=lambda part: abs(part[0]))[1] for hz, found in parts.items()}
    return [(strongest[hz], hz, abs(sum(level for level, _ in found))) for hz, found in sorted(parts.items())]


def scale_and_offset(least: float, greatest: float, wanted_least: float, wanted_greatest: float) -> tuple[float, float]:
    """Return gain and offset that bring a signal from its own least and greatest to the wanted ones.

    >>> scale_and_offset(-1.0, 1.0, 0.12, 1.0)
    (0.44, 0.56)
    """
    gain = (wanted_greatest - wanted_least) / (greatest - least) if greatest > least else 0.0
    return round(gain, 12), round(wanted_least - gain * least, 12)


def bend_for(share: float, done: float = 0.5) -> float:
    """Return the bend with which a stage is done to a degree after a share of its time, within -12 to 12.

    Solves B(share, k) = done.

    >>> round(bend_for(0.5), 9)
    0.0
    """
    from scipy.optimize import brentq

    least, most = done_after(12.0, done), done_after(-12.0, done)
    wanted = min(max(share, least), most)
    return float(brentq(lambda k: bend(wanted, k) - done, -12.0, 12.0))


def done_after(k: float, done: float = 0.5) -> float:
    """Return the share of its time after which a stage with a bend is done to a degree: -ln(1 - d (1 - e^-k)) / k.

    >>> done_after(0.0, 0.9)
    0.9
    """
    return done if abs(k) < 1e-6 else -math.log(1.0 - done * (1.0 - math.exp(-k))) / k


def meeting(lengths: list[Fraction]) -> Fraction:
    """Return after how long loops of these lengths meet again: their least common multiple.

    >>> meeting([Fraction(3), Fraction(4), Fraction(5, 2)])
    Fraction(60, 1)
    """
    numerator = math.lcm(*(length.numerator for length in lengths))
    return Fraction(numerator, math.gcd(*(length.denominator for length in lengths)))


def images(tone_hz: float, rate_hz: float, fs: float, most: int = 4) -> list[tuple[int, str, float, float]]:
    """Return what becomes of a sine held at a rate: order n, side, frequency |n r + f| or |n r - f|, and its level.

    A value held for fs / r samples weighs each by |sin(pi f / r) / ((fs / r) sin(pi f / fs))|.

    >>> [round(hz) for _, _, hz, _ in images(300.0, 1000.0, 48_000.0, most=1)]
    [300, 700, 1300]
    """
    found = [(0, "+", tone_hz)]
    for n in range(1, most + 1):
        found += [(n, "-", abs(n * rate_hz - tone_hz)), (n, "+", n * rate_hz + tone_hz)]
    return [(n, side, hz, _held(hz, rate_hz, fs)) for n, side, hz in found if 0.0 < hz < fs / 2.0]


def _held(hz: float, rate_hz: float, fs: float) -> float:
    return abs(math.sin(math.pi * hz / rate_hz) * rate_hz / fs / math.sin(math.pi * hz / fs))
