"""Two sources that cancel each other.

Correlation under -0.9, and together less than a quarter of the movement that the greater makes alone.
"""

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.lane import correlation
from jorvik.core.measure.patch import effects
from jorvik.core.units.words import share_text

AGAINST = -0.9
LEFT = 0.25

_GLANCE = 512
"""Samples at which a pair is looked at first: with every pair of 250 routes in full, a judgement takes half a minute."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each pair of routes that undo each other's work."""
    held = context.trace.run.held
    for name, lane in context.trace.lanes.items():
        given = effects(lane, held.start, held.stop)
        reach = {name: float(np.ptp(values)) for name, values in given.items()}
        glance = {name: values[:: max(1, values.size // _GLANCE)] for name, values in given.items()}
        for a, b in combinations(lane.lane.routes, 2):
            most = LEFT * max(reach[a.id], reach[b.id])
            if most <= 0.0:
                continue
            # Of some samples the movement is never greater than of all.
            if np.ptp(glance[a.id] + glance[b.id]) > most:
                continue
            together = float(np.ptp(given[a.id] + given[b.id]))
            r = correlation(given[a.id], given[b.id])
            if together > most or r is None or r > AGAINST:
                continue
            title = lane.lane.destination.title.lower()
            lesser = min((a, b), key=lambda route: reach[route.id])
            yield Finding(
                rule="cancelling_routes",
                severity="caution",
                sentence=f"{a.source} and {b.source} cancel each other on {title}: {share_text(LEFT * together / most)} of the movement is left.",
                why="Each is set far, and little is heard of either.",
                about=name,
                from_s=context.on_s,
                to_s=context.off_s,
                fix=Fix(f"remove {lesser.source} from {title}", edited(context.patch, without_routes=(lesser.id,))),
            )
