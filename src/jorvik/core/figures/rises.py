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


def find(of: Context) -> Iterator[Figure]:
    """Yield the peaks and dips of what envelopes and curves make, where there are two to five of them."""
    for name in of.measures.lanes:
        lane = of.lane(name)
        if lane is not None and all(is_drawn(of.patch, route.source) for route in lane.lane.routes):
            yield from _peaks(of, name, lane.value, lane.lane.destination.unit)
    for name in of.measures.signals:
        if is_drawn(of.patch, name):
            yield from _peaks(of, f"signal.{name}", of.trace.signals[name], "")


def _peaks(of: Context, about: str, values: Floats, unit: str) -> Iterator[Figure]:
    from scipy.signal import find_peaks

    begin = of.trace.run.held.start
    row = values[begin : max(of.note_end, begin + 1)]
    span = float(np.ptp(row))
    if span <= 1e-9:
        return
    # Its least on both sides, so that a peak at either end counts.
    padded = np.concatenate([[row.min()], row, [row.min()]])
    found = find_peaks(padded, prominence=STANDS_OUT * span)[0] - 1
    if not 2 <= found.size <= MOST:
        return
    for number, at in enumerate(found, 1):
        words = f"{in_words(float(row[at]), unit)} after {time_text(at / of.rate)}"
        yield Figure(about, f"rise {number}", at / of.rate, "s", "A peak, and when, from note-on.", "Rises", words)
    for number, (a, b) in enumerate(pairwise(found), 1):
        low = a + int(row[a:b].argmin())
        words = f"{in_words(float(row[low]), unit)} after {time_text(low / of.rate)}"
        help_ = "The least value between two peaks, and when."
        yield Figure(about, f"dip {number}", float(row[low]), unit, help_, "Rises", words)
