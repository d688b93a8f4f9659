"""Figures of a lane or a signal over a note.

Each function takes values at every sample and says one thing. ``on`` and ``off`` are the samples at which the note
begins and its gate falls; times are in seconds after note-on unless said otherwise.
"""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.kernels import Floats

SETTLED: Final = 0.02
"""A value has settled where the last fifth before note-off spreads over less than this share of the range."""

AT_REST: Final = 0.01
"""Movement is over where what is left of it is less than this share of the range."""

REGULAR: Final = 0.12
"""A movement is periodic where its periods differ by less than this share of their mean."""


@dataclass(frozen=True)
class Periodic:
    """A movement that repeats."""

    rate_hz: float
    depth: float
    """Half the way from its least to its greatest, in the unit of the values."""


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
    overshoot: float | None
    """Peak over settle."""
    after_off: float
    """From least to greatest after note-off."""
    rest_after_off_s: float
    """How long after note-off it stays within 1 % of the range of where it ends."""
    clamped: float
    """Share of the time at an end of its range."""
    greatest_step: float
    """Greatest difference between two samples."""
    periodic: Periodic | None


def measure(values: Floats, on: int, off: int, rate: int, raw: Floats | None = None) -> Measures:
    """Return the figures of a lane or signal; ``raw`` is what it was before a clamp, where there is one.

    >>> ramp = np.linspace(0.0, 1.0, 1001)
    >>> measure(ramp, 0, 1000, 1000).rise_s
    (0.1, 0.5, 0.9)
    """
    note = values[on:] if on < values.size else values[-1:]
    held = note[: max(1, off - on)]
    span = float(note.max() - note.min())
    top, bottom = int(note.argmax()), int(note.argmin())
    settled = settle(held, span)
    tail = note[min(held.size - 1, note.size - 1) :]
    return Measures(
        start=float(note[0]),
        at_off=float(held[-1]),
        peak=float(note[top]),
        peak_s=top / rate,
        least=float(note[bottom]),
        least_s=bottom / rate,
        settle=settled,
        rise_s=rise(note, top, rate),
        fall_s=fall(note, top, rate),
        overshoot=None if settled is None else float(note[top]) - settled,
        after_off=float(tail.max() - tail.min()),
        rest_after_off_s=rest(tail, span) / rate,
        clamped=0.0 if raw is None else float((np.abs(raw[on:] - note) > 1e-12).mean()),
        greatest_step=float(np.abs(np.diff(note)).max(initial=0.0)),
        periodic=periodic(held, rate),
    )


def settle(held: Floats, span: float) -> float | None:
    """Return the median of the last fifth of a held note, or None where it spreads over 2 % of the range or more."""
    last = held[held.size - max(1, held.size // 5) :]
    spread = float(last.max() - last.min())
    return float(np.median(last)) if spread <= SETTLED * span or span == 0.0 else None


def rise(note: Floats, top: int, rate: int) -> tuple[float, float, float] | None:
    """Return when 10, 50 and 90 % of the way from the first value to the peak were first reached."""
    way = float(note[top] - note[0])
    if way <= 1e-12:
        return None
    upward = note[: top + 1]
    ten, half, ninety = (_crossing(upward, float(note[0]) + share * way) / rate for share in (0.1, 0.5, 0.9))
    return ten, half, ninety


def fall(note: Floats, top: int, rate: int) -> tuple[float | None, float | None, float | None] | None:
    """Return how long after the peak a half, a tenth and a hundredth of the fall to the least are left."""
    downward = note[top:]
    floor = float(downward.min())
    way = float(note[top]) - floor
    if way <= 1e-12:
        return None
    found = [_crossing(-downward, -(floor + share * way)) / rate for share in (0.5, 0.1, 0.01)]
    return found[0], found[1], found[2]


def _crossing(rising: Floats, level: float) -> float:
    """Return the place, between samples, where values first reach a level that they do reach."""
    at = int((rising >= level).argmax())
    if at == 0:
        return 0.0
    before, after = float(rising[at - 1]), float(rising[at])
    return at - (after - level) / (after - before) if after > before else float(at)


def rest(tail: Floats, span: float) -> int:
    """Return the number of samples until values stay within 1 % of the range of where they end."""
    moving = np.flatnonzero(np.abs(tail - tail[-1]) > AT_REST * span)
    return int(moving[-1]) + 1 if moving.size else 0


def periodic(held: Floats, rate: int) -> Periodic | None:
    """Return rate and depth of a movement that repeats at least three times in the later half of a held note.

    The rate is counted from upward crossings of the mean, each placed between samples by a straight line.
    """
    later = held[held.size // 3 :]
    if later.size < 16:
        return None
    middle = 0.5 * float(later.max() + later.min())
    swing = later - middle
    depth = float(swing.max())
    if depth <= 1e-9:
        return None
    ups = _upward(swing, 0.2 * depth)
    if ups.size < 3:
        return None
    periods = np.diff(ups)
    if periods.std() > REGULAR * periods.mean():
        return None
    return Periodic(rate_hz=float(rate / periods.mean()), depth=depth)


def _upward(swing: Floats, margin: float) -> Floats:
    """Return the places of upward crossings of 0, counted only after the values have been under ``-margin``."""
    state = np.where(swing > margin, 1, np.where(swing < -margin, -1, 0))
    known = np.flatnonzero(state)
    turns = known[1:][(state[known[1:]] == 1) & (state[known[:-1]] == -1)]
    before = np.flatnonzero((swing[:-1] < 0.0) & (swing[1:] >= 0.0))
    if before.size == 0 or turns.size == 0:
        return np.zeros(0)
    last = before[np.searchsorted(before, turns, side="left") - 1]
    return last - swing[last] / (swing[last + 1] - swing[last])


def correlation(a: Floats, b: Floats) -> float | None:
    """Return Pearson's correlation of two movements, or None where one of them stands still."""
    a, b = a - a.mean(), b - b.mean()
    size = math.sqrt(float(a @ a) * float(b @ b))
    if size <= 1e-18 or float(np.abs(a).max()) < 1e-12 or float(np.abs(b).max()) < 1e-12:
        return None
    return float(a @ b) / size


def shares(parts: dict[str, Floats]) -> dict[str, float]:
    """Return each part's share of the variance of their sum: cov(part, sum) / var(sum). They add up to 1.

    A part that works against the others has a share below 0.
    """
    if not parts:
        return {}
    total = np.sum(list(parts.values()), axis=0)
    total = total - total.mean()
    variance = float(total @ total)
    if variance <= 1e-18 * total.size:
        return dict.fromkeys(parts, 0.0)
    return {name: float((part - part.mean()) @ total) / variance for name, part in parts.items()}
