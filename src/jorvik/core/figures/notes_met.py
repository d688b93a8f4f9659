"""Which notes a stepped pitch comes to, how often each, how far they reach, and the intervals between them."""

from collections import Counter
from collections.abc import Iterator

import numpy as np

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import note_name

MOST_STEPS = 2000
STANDS = 100
"""A source is stepped where it stands still for so many samples on average."""
MOST_KINDS = 48
LISTED = 12
OFTEN = 0.75
"""Where hardly any note comes twice, how often each comes says nothing."""


def find(context: Context) -> Iterator[Figure]:
    """Yield the notes that stepped sources make; a vibrato or a fall beside them is left out."""
    lane = context.lane("pitch")
    if lane is None:
        return
    rows = [context.held(given) for given in lane.contributions.values()]
    stepped = [row for row in rows if 1 <= np.count_nonzero(np.diff(row)) <= row.size // STANDS]
    if not stepped or any(not route.adds for route in lane.lane.routes):
        return
    held = np.round(context.note.key + context.held(lane.base) + sum(stepped), 3)
    steps = np.concatenate([[0], np.flatnonzero(np.diff(held)) + 1])
    if not 2 <= steps.size <= MOST_STEPS:
        return
    keys = held[steps]
    met = Counter(keys.tolist())
    if not 2 <= len(met) <= MOST_KINDS:
        return
    reach = float(keys.max() - keys.min())
    yield Figure(
        "pitch",
        "range",
        reach,
        "st",
        "From the lowest note met to the highest.",
        "Notes",
        words=f"{note_name(keys.min())} to {note_name(keys.max())}, {reach:.3g} st",
    )
    if len(met) > max(LISTED, OFTEN * keys.size):
        return
    for key, count in met.most_common(LISTED):
        yield Figure(
            "pitch",
            note_name(key),
            count / keys.size,
            "ratio",
            f"Share of the {keys.size} notes met while the note is held.",
            "Notes",
        )
    for interval, count in Counter(np.round(np.diff(keys), 2).tolist()).most_common(6):
        yield Figure(
            "pitch",
            f"{interval:+.4g} st".replace("-", "−"),
            count / (keys.size - 1),
            "ratio",
            "Share of the steps from one note to the next.",
            "Intervals",
        )
