"""How much of what moves lies outside of the range that is kept as useful: of steps, or of the time.

Below its useful range a control is not heard yet, or leaves the note silent; beyond it nothing more is heard, or the
sound is thin or harsh. The range is what a sweep found, or what was set by ear, and is kept with the patch.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, share_text


def find(context: Context) -> Iterator[Figure]:
    """Yield the share of each moving lane that lies under its useful range, and over it."""
    for name, kept in context.patch.useful_ranges.items():
        lane = context.lane(name)
        if lane is None:
            continue
        held = context.held(lane.value)
        if float(np.ptp(held)) <= 0.0:
            continue
        steps = np.concatenate([[0], np.flatnonzero(np.diff(held)) + 1])
        stepped = steps.size <= held.size // 100
        values = held[steps] if stepped else held
        low, high = float((values < kept.low).mean()), float((values > kept.high).mean())
        what = "steps" if stepped else "the time"
        unit = lane.lane.destination.unit
        yield Figure(
            name,
            f"{'steps' if stepped else 'time'} outside of what is useful",
            low + high,
            "ratio",
            f"Useful is {in_words(kept.low, unit)} to {in_words(kept.high, unit)}, as it is kept with the patch.",
            words=f"{share_text(low + high)}: {share_text(low)} of {what} under it, {share_text(high)} over it",
        )
