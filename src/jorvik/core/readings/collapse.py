"""How near a pulse comes to collapse: at a width of 0 or 1 nothing of it is left; and the depth that keeps clear."""

from collections.abc import Iterator
from functools import partial, reduce

import numpy as np

from jorvik.core.document.patch import Patch, edited
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.core.readings.base import Reading


def find(of: Context) -> Iterator[Reading]:
    """Yield the least and greatest width, and how far the nearer stays from the end."""
    for name in ("pulse_width", "osc2_pulse_width"):
        lane = of.lane(name)
        if lane is None:
            continue
        raw = lane.raw
        clear = float(np.minimum(raw, 1.0 - raw).min())
        yield Reading(name, "least width", float(raw.min()), "ratio", "Before the clamp at 1 %.")
        yield Reading(name, "greatest width", float(raw.max()), "ratio", "Before the clamp at 99 %.")
        yield Reading(
            name,
            "clear of collapse by",
            clear,
            "ratio",
            "The least distance from a width of 0 or 100 % of the cycle, where the pulse is gone; type another, and "
            "the depths that keep it are set.",
            words="" if clear > 0.0 else "it collapses",
            wished=partial(_kept, of, name),
        )


def kept_clear(of: Context, name: str, clear: float) -> tuple[float, Patch] | None:
    """Return the factor on all depths with which a width just stays clear of collapse, and the patch with it.

    None where something else than adding moves it, where it stands too near without moving, or any depth is clear.
    """
    lane = of.trace.lanes[name]
    adds = [route for route in lane.lane.routes if route.mode == "add"]
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
    return factor, edited(of.patch, routes=changed)


def _kept(of: Context, name: str, clear: float) -> Patch:
    if not 0.0 <= clear < 0.5:
        raise Problem("how far it stays clear", f"{clear:g}", "0 to 50 % of the cycle")
    found = kept_clear(of, name, clear)
    if found is None:
        title = of.trace.lanes[name].lane.destination.title.lower()
        raise Problem(f"the depth on {title}", "nothing that keeps clear", "a set value nearer to 50 %")
    return found[1]
