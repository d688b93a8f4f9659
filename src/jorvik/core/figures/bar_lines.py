"""Where a ramp over bars stands: a lane's value at each bar line of the phrase."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.figures.base import Figure
from jorvik.core.measure.beat import against_beat
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words

MOST = 33


def find(context: Context) -> Iterator[Figure]:
    """Yield the value of each lane that moves from bar to bar, at the bar lines that its voice sounds at."""
    for name, values in against_beat(context).bars.items():
        heard = [(bar, value) for bar, value in enumerate(values) if value is not None][:MOST]
        if len(heard) < 2 or np.ptp([value for _, value in heard]) == 0.0:
            continue
        unit = context.trace.lanes[name].lane.destination.unit
        for bar, value in heard:
            yield Figure(
                name,
                f"bar {bar + 1}",
                value,
                unit,
                "Its value at that bar line, as it is heard there.",
                "At each bar line",
                words=in_words(value, unit),
            )
