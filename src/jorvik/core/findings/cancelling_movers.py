"""Two movers that cancel each other.

Correlation under -0.9, and together less than a quarter of the movement that the greater makes alone.
"""

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from jorvik.core.findings.base import Finding, Mend
from jorvik.core.measure.context import Context
from jorvik.core.measure.lane import correlation
from jorvik.core.measure.patch import effects
from jorvik.core.patch import edited

AGAINST = -0.9
LEFT = 0.25


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each pair of routes that undo each other's work."""
    note = of.trace.run.notes[0]
    for name, lane in of.trace.lanes.items():
        given = effects(lane, note.on, max(note.off, note.on + 2))
        for a, b in combinations(lane.lane.routes, 2):
            r = correlation(given[a.id], given[b.id])
            greater = max(float(np.ptp(given[a.id])), float(np.ptp(given[b.id])))
            together = float(np.ptp(given[a.id] + given[b.id]))
            if r is None or r > AGAINST or together > LEFT * greater:
                continue
            title = lane.lane.destination.title.lower()
            lesser = min((a, b), key=lambda route: float(np.ptp(given[route.id])))
            yield Finding(
                rule="cancelling_movers",
                severity="caution",
                sentence=f"{a.source} and {b.source} cancel each other on {title}: {together / greater:.0%} of the movement is left.",
                why="Each is set far, and little is heard of either.",
                about=name,
                from_s=of.on_s,
                to_s=of.off_s,
                mend=Mend(f"remove {lesser.source} from {title}", edited(of.patch, without_routes=(lesser.id,))),
            )
