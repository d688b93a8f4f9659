"""What a signal that repeats does in each turn: how often, how long it is up, how it rises and falls, in what steps.

A turn goes from one rise through the middle between least and greatest to the next; a rise that falls back by less than
a tenth of the whole way counts once.
"""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, rate_text, time_text

LEAST_TURNS = 3
UNEVEN = 0.02
"""Turns are alike where the longest and the shortest differ by less than this share of their mean."""
RETURN = 0.1
SPARSE = 20
"""What stands still for so many samples between two changes, on average, goes in steps."""

Indices = NDArray[np.int64]


@dataclass(frozen=True)
class Turns:
    """A repeating signal, from one rise through its middle to the next."""

    samples: float
    """Of one turn, on average."""
    up: float
    """Share of a turn above the middle."""
    rise: float
    fall: float
    """Samples from a tenth to nine tenths of the way, and back, on average; 0 for a jump."""
    steps: float
    """Changes in a turn; 0 where it does not go in steps."""
    step: float
    """Their usual size."""


def turns(values: Floats) -> Turns | None:
    """Return what a signal does in each turn, or None where it does not repeat evenly three times.

    >>> turns(np.tile([0.0] * 70 + [1.0] * 30, 5)).up
    0.3
    """
    least, greatest = float(values.min()), float(values.max())
    rises = _rises(values, 0.5 * (least + greatest), RETURN * (greatest - least))
    if greatest - least <= 1e-9 or rises.size <= LEAST_TURNS:
        return None
    # What it does before it repeats, as a start from 0, is no part of a turn.
    within = values[rises[0] : rises[-1]]
    least, greatest = float(within.min()), float(within.max())
    whole = greatest - least
    middle = least + 0.5 * whole
    rises = _rises(values, middle, RETURN * whole)
    if rises.size <= LEAST_TURNS:
        return None
    lengths = np.diff(rises)
    if float(np.ptp(lengths)) > max(UNEVEN * float(lengths.mean()), 1.0):
        return None
    part = values[rises[0] : rises[-1]]
    count = rises.size - 1
    # The change that is the first rise counts, the one that is the last does not: whole turns.
    whole_turns = values[rises[0] - 1 : rises[-1]]
    changes = np.flatnonzero(np.diff(whole_turns))
    stepped = 0 < changes.size <= part.size // SPARSE
    low, high = least + 0.1 * whole, least + 0.9 * whole
    return Turns(
        samples=float(rises[-1] - rises[0]) / count,
        up=float((part > middle).mean()),
        rise=_way(values, rises, low, high),
        fall=_way(-values, _rises(-values, -middle, RETURN * whole), -high, -low),
        steps=changes.size / count if stepped else 0.0,
        step=float(np.median(np.abs(np.diff(whole_turns)[changes]))) if stepped else 0.0,
    )


def _rises(values: Floats, middle: float, back: float) -> Indices:
    """Return the samples at which a signal rises through a value, having been well under it before."""
    state = (values > middle).astype(np.int8) - (values < middle - back)
    known = np.flatnonzero(state)
    return np.asarray(known[1:][(state[known][1:] == 1) & (state[known][:-1] == -1)], dtype=np.int64)


def _way(values: Floats, rises: Indices, low: float, high: float) -> float:
    """Return the mean number of samples from the last one at ``low`` or under to the first at ``high`` or over."""
    under, over = np.flatnonzero(values <= low), np.flatnonzero(values >= high)
    before = np.searchsorted(under, rises, side="left") - 1
    after = np.searchsorted(over, rises, side="left")
    found = (before >= 0) & (after < over.size)
    if not found.any():
        return 0.0
    gaps = over[after[found]] - under[before[found]]
    # From one sample to the next is a jump, which takes no time.
    return float(np.where(gaps > 1, gaps, 0).mean())


def find(context: Context) -> Iterator[Figure]:
    """Yield the figures of each source that repeats while the note is held."""
    for name, values in context.trace.signals.items():
        found = turns(context.held(values))
        if found is None:
            continue
        about, group, rate = f"signal.{name}", "Each turn", context.rate
        hz = rate / found.samples
        yield Figure(about, "repeats at", hz, "Hz", "Rises through its middle a second.", group, rate_text(hz))
        yield Figure(about, "duty", found.up, "ratio", "Share of a turn for which it is over its middle.", group)
        for what, samples in (("rises in", found.rise), ("falls in", found.fall)):
            words = time_text(samples / rate) if samples else "one sample"
            yield Figure(about, what, samples / rate, "s", "Between a tenth and nine tenths of the way.", group, words)
        if found.steps:
            words = f"{found.steps:.4g}, {in_words(found.step, 'signal')} each"
            yield Figure(about, "steps", found.steps, "steps", "Changes in a turn, and their usual size.", group, words)
