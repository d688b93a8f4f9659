"""A lane held at its clamp: movement that was set and is not there.

From 4 % of the note on: under that it is the tip of one peak, which some want.
"""

from collections.abc import Iterator
from functools import reduce

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words

SHARE = 0.04


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each lane that stands at an end of its range for long."""
    for name, measured in context.measures.lanes.items():
        lane = context.trace.lanes[name]
        share = measured.measures.clamped
        if share < SHARE or not lane.lane.routes:
            continue
        at = lane.lane.destination
        over = lane.raw > at.high + 1e-12
        under = lane.raw < at.low - 1e-12
        high = bool(over.sum() >= under.sum())
        where = np.flatnonzero(over if high else under)
        end = at.high if high else at.low
        yield Finding(
            rule="clamped_lane",
            severity="caution",
            sentence=f"{at.title} is held at {in_words(end, at.unit)} for {share * 100:.0f} % of the note.",
            why="What the routes ask for beyond the end of the range is not heard, and the curve's shape is lost there.",
            about=name,
            from_s=float(where[0]) / context.rate,
            to_s=float(where[-1] + 1) / context.rate,
            fix=_fix(context, name, high),
        )


def _fix(context: Context, name: str, high: bool) -> Fix | None:
    """Lower what adds by one factor, so that the farthest moment just reaches the end."""
    lane = context.trace.lanes[name]
    at = lane.lane.destination
    adds = [route for route in lane.lane.routes if route.adds]
    if not adds or len(adds) < len(lane.lane.routes):
        return None
    total = reduce(np.add, (lane.contributions[route.id] for route in adds))
    farthest = float(total.max() if high else total.min())
    base = lane.base
    end = at.high if high else at.low
    moment = int(total.argmax() if high else total.argmin())
    room = at.distance(float(base[moment]), end)
    if farthest == 0.0 or room / farthest <= 0.0 or room / farthest >= 1.0:
        return None
    factor = float(room / farthest)
    changed = {route.id: {"amount": float(f"{route.amount * factor:.4g}")} for route in adds}
    said = ", ".join(f"{route.source} {in_words(changed[route.id]['amount'], at.amount_unit)}" for route in adds)
    return Fix(f"amounts that just reach it: {said}", edited(context.patch, routes=changed))
