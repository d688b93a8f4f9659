"""The width of a pulse that moves."""

from functools import reduce

import numpy as np

from jorvik.core.document.patch import Patch, edited
from jorvik.core.measure.context import Context


def kept_clear(context: Context, name: str, clear: float) -> tuple[float, Patch] | None:
    """Return the factor on all depths with which a width just stays clear of collapse, and the patch with it.

    None where something else than adding moves it, where it stands too near without moving, or any depth is clear.
    """
    lane = context.trace.lanes[name]
    adds = [route for route in lane.lane.routes if route.adds]
    if not adds or len(adds) < len(lane.lane.routes):
        return None
    total = reduce(np.add, (lane.contributions[route.id] for route in adds))
    base = float(lane.base[0])
    ends = [(float(total.max()), 1.0 - clear - base), (float(-total.min()), base - clear)]
    factors = [room / reach for reach, room in ends if reach > 0.0]
    if not factors or min(factors) <= 0.0:
        return None
    factor = min(factors)
    changed = {route.id: {"amount": float(f"{route.amount * factor:.4g}")} for route in adds}
    return factor, edited(context.patch, routes=changed)
