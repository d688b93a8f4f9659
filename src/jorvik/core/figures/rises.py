"""When a movement rises, and how far it dips between: peaks that stand out by a twentieth of the whole way."""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.figures.base import Figure
from jorvik.core.measure.chance import is_drawn
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, time_text

STANDS_OUT = 0.05
MOST = 5


def find(context: Context) -> Iterator[Figure]:
    """Yield the peaks and dips of what envelopes and curves make, where there are two to five of them."""
    for name in context.measures.lanes:
        lane = context.lane(name)
        if lane is not None and all(is_drawn(context.patch, route.source) for route in lane.lane.routes):
            yield from _peaks(context, name, lane.value, lane.lane.destination.unit)
    for name in context.measures.signals:
        if is_drawn(context.patch, name):
            yield from _peaks(context, f"signal.{name}", context.trace.signals[name], "")


def _peaks(context: Context, about: str, values: Floats, unit: str) -> Iterator[Figure]:
    from scipy.signal import find_peaks

    begin = context.trace.run.held.start
    row = values[begin : max(context.note_end, begin + 1)]
    span = float(np.ptp(row))
    if span <= 1e-9:
        return
    # Its least on both sides, so that a peak at either end counts.
    padded = np.concatenate([[row.min()], row, [row.min()]])
    found = find_peaks(padded, prominence=STANDS_OUT * span)[0] - 1
    if not 2 <= found.size <= MOST:
        return
    for number, at in enumerate(found, 1):
        words = f"{in_words(float(row[at]), unit)} after {time_text(at / context.rate)}"
        yield Figure(about, f"rise {number}", at / context.rate, "s", "A peak, and when, from note-on.", "Rises", words)
    for number, (a, b) in enumerate(pairwise(found), 1):
        low = a + int(row[a:b].argmin())
        words = f"{in_words(float(row[low]), unit)} after {time_text(low / context.rate)}"
        help_ = "The least value between two peaks, and when."
        yield Figure(about, f"dip {number}", float(row[low]), unit, help_, "Rises", words)
