"""Figures of a lane or a signal over a note.

Each function takes values at every sample and says one thing. ``on`` and ``off`` are the samples at which the note
begins and its gate falls; times are in seconds after note-on unless said otherwise.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import reduce
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.measure.scan import comoments, crossings, extent, periods, rest_after, share_apart

SETTLED: Final = 0.02
"""A value has settled where the last fifth before note-off spreads over less than this share of the range."""

AT_REST: Final = 0.01
"""Movement is over where what is left of it is less than this share of the range."""

REGULAR: Final = 0.12
"""A movement is periodic where its periods differ by less than this share of their mean."""


_STILL: Final = 1e-20
"""A variance under this is what rounding leaves of a value that stands still."""


@dataclass(frozen=True)
class Periodic:
    """A movement that repeats."""

    rate_hz: float
    depth: float
    """Half the way from its least to its greatest, in the unit of the values."""


_RING_GONE: Final = 1e-3
"""60 dB down."""

_NO_RING: Final = 1e-6


@dataclass(frozen=True)
class Measures:
    """What there is to say of a lane or signal over a note, in its own unit."""

    start: float
    """Value at note-on."""
    at_off: float
    """Value at the last sample before the gate falls."""
    peak: float
    peak_s: float
    least: float
    least_s: float
    settle: float | None
    """Median of the last fifth before note-off; None while it is still moving."""
    rise_s: tuple[float, float, float] | None
    """When it has come 10, 50 and 90 % of the way from start to peak; None where it never rises."""
    fall_s: tuple[float | None, float | None, float | None] | None
    """How long after the peak a half, a tenth and a hundredth of the fall are left (-6, -20, -40 dB of it)."""
    peak_above_sustain: float | None
    """Peak over settle; None while it is still moving."""
    overshoot: float | None
    """The way by which a filter or slew passes its input while the note is held.

    A share of the input's range; None of other sources, and where the input has no range.
    """
    ring_after_off_s: float | None
    """Time from note-off until a ring stays 60 dB under its peak after it.

    None of other sources, and where the run ends before that.
    """
    after_off: float
    """From least to greatest after note-off."""
    rest_after_off_s: float
    """How long after note-off it stays within 1 % of the range of where it ends."""
    clamped: float
    """Share of the time at an end of its range."""
    greatest_step: float
    """Greatest difference between two samples."""
    periodic: Periodic | None


def measure(
    values: Floats,
    on: int,
    off: int,
    rate: int,
    raw: Floats | None = None,
    source: Floats | None = None,
    steady: Floats | None = None,
) -> Measures:
    """Return the figures of a lane or signal.

    Parameters
    ----------
    values
        The lane or signal, one value a sample.
    on, off
        The samples of note-on and note-off.
    rate
        Samples a second.
    raw
        The lane before it was clamped, where it was.
    source
        The input of what is filtered or slewed.
    steady
        What a filter would give if its input had always been what it is now: the ring swings about that.

    Examples
    --------
    >>> ramp = np.linspace(0.0, 1.0, 1001)
    >>> measure(ramp, 0, 1000, 1000).rise_s
    (0.1, 0.5, 0.9)
    """
    # A note that another takes over at once has one sample.
    first = min(on, values.size - 1)
    note = values[first:]
    held = note[: max(1, off - on)]
    least, bottom, peak, top, step = extent(note)
    span = peak - least
    settled = settle(held, span)
    tail = note[min(held.size - 1, note.size - 1) :]
    return Measures(
        start=float(note[0]),
        at_off=float(held[-1]),
        peak=peak,
        peak_s=top / rate,
        least=least,
        least_s=bottom / rate,
        settle=settled,
        rise_s=rise(note, top, rate),
        fall_s=fall(note, top, rate),
        peak_above_sustain=None if settled is None else peak - settled,
        overshoot=None if source is None else overshoot(held, source[first:][: held.size]),
        ring_after_off_s=None if steady is None else ring_after(tail - steady[values.size - tail.size :], rate, peak),
        after_off=float(tail.max() - tail.min()),
        rest_after_off_s=rest_after(tail, AT_REST * span) / rate,
        clamped=0.0 if raw is None else share_apart(raw[first:], note),
        greatest_step=step,
        periodic=periodic(held, rate),
    )


def overshoot(held: Floats, source: Floats) -> float | None:
    """Return how far a row passes its input, as a share of the input's range.

    >>> overshoot(np.array([0.0, 1.2, 0.9]), np.array([0.0, 1.0, 1.0]))
    0.2
    """
    low, high = float(source.min()), float(source.max())
    if high - low <= 1e-12:
        return None
    passed = max(float(held.max()) - high, low - float(held.min()), 0.0)
    return round(passed / (high - low), 12)


def ring_after(ring: Floats, rate: int, greatest: float) -> float | None:
    """Return how long a ring takes to stay 60 dB under its own peak, in seconds.

    Parameters
    ----------
    ring
        The ring from note-off to the end of the run, one value a sample, swinging about 0.
    rate
        Samples a second.
    greatest
        The peak of the whole note. A ring a millionth of that counts as over.

    Returns
    -------
    float | None
        The time from the first sample; None where the run ends before.

    Examples
    --------
    >>> ring_after(np.exp(-np.arange(1000) / 10), 1000, 1.0)
    0.07
    >>> ring_after(np.exp(-np.arange(50) / 10), 1000, 1.0) is None
    True
    """
    size = np.abs(ring)
    peak = float(size.max())
    if peak <= _NO_RING * abs(greatest):
        return 0.0
    last = int(np.flatnonzero(size > _RING_GONE * peak)[-1])
    return (last + 1) / rate if last + 1 < ring.size else None


def settle(held: Floats, span: float) -> float | None:
    """Return the median of the last fifth of a held note, or None where it spreads over 2 % of the range or more."""
    last = held[held.size - max(1, held.size // 5) :]
    spread = float(last.max() - last.min())
    return float(np.median(last)) if spread <= SETTLED * span or span == 0.0 else None


def rise(note: Floats, top: int, rate: int) -> tuple[float, float, float] | None:
    """Return when 10, 50 and 90 % of the way from the first value to the peak were first reached."""
    first, way = float(note[0]), float(note[top] - note[0])
    if way <= 1e-12:
        return None
    ten, half, ninety = crossings(note[: top + 1], first + way * np.array([0.1, 0.5, 0.9]), 1.0) / rate
    return float(ten), float(half), float(ninety)


def fall(note: Floats, top: int, rate: int) -> tuple[float | None, float | None, float | None] | None:
    """Return how long after the peak a half, a tenth and a hundredth of the fall to the least are left."""
    downward = note[top:]
    least = float(downward.min())
    way = float(note[top]) - least
    if way <= 1e-12:
        return None
    half, tenth, hundredth = crossings(downward, least + way * np.array([0.5, 0.1, 0.01]), -1.0) / rate
    return float(half), float(tenth), float(hundredth)


def periodic(held: Floats, rate: int) -> Periodic | None:
    """Return rate and depth of a movement that repeats at least three times in the later half of a held note.

    The rate is counted from upward crossings of the mean, each placed between samples by a straight line.
    """
    later = held[held.size // 3 :]
    if later.size < 16:
        return None
    least, greatest = float(later.min()), float(later.max())
    depth = 0.5 * (greatest - least)
    if depth <= 1e-9:
        return None
    count, mean, deviation = periods(later, 0.5 * (greatest + least), 0.2 * depth)
    if count < 2 or deviation > REGULAR * mean:
        return None
    return Periodic(rate_hz=rate / mean, depth=depth)


def correlation(a: Floats, b: Floats) -> float | None:
    """Return Pearson's correlation of two movements, or None where one of them stands still."""
    aa, bb, ab = comoments(a, b)
    if min(aa, bb) <= _STILL * a.size:
        return None
    return ab / math.sqrt(aa * bb)


def shares(parts: Mapping[str, Floats]) -> dict[str, float]:
    """Return each part's share of the variance of their sum: cov(part, sum) / var(sum). They add up to 1.

    A part that works against the others has a share below 0.
    """
    if not parts:
        return {}
    total = reduce(np.add, parts.values())
    found = {name: comoments(part, total) for name, part in parts.items()}
    still = all(bb <= _STILL * total.size for _, bb, _ in found.values())
    return {name: 0.0 if still else ab / bb for name, (_, bb, ab) in found.items()}
