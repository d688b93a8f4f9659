"""A macro whose first or last part does nothing, because what it moves stands at its clamp there.

A part is a fifth of its way; nothing is less than a thousandth of the way that the lane goes over the whole of it.
"""

import math
from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import Route, edited
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.trace import trace
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.limits import COARSE_RATE, MAX_SIDE_TRACE_BYTES
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import in_modulation_unit
from jorvik.core.units.words import in_words

PART = 0.2
NOTHING = 1e-3


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each macro and destination with a dead end."""
    cache = RowCache()
    for module in context.having("is_control"):
        routes = context.routes_from(module.id)
        if not routes or f"macro:{module.id}" in context.patch.performance.controls:
            continue
        names = tuple(dict.fromkeys(route.destination for route in routes))
        steps = [_lanes_at(context, module.id, value, names, cache) for value in (0.0, PART, 1.0 - PART, 1.0)]
        for name in names:
            lanes = np.array([step[name] for step in steps])
            moved = np.abs(np.diff(lanes, axis=0)).max(axis=1)
            whole = float(np.abs(lanes[-1] - lanes[0]).max())
            if whole <= 1e-9:
                continue
            for dead, where in ((moved[0] < NOTHING * whole, "first"), (moved[-1] < NOTHING * whole, "last")):
                if dead and name in context.trace.lanes:
                    title = context.trace.lanes[name].lane.destination.title.lower()
                    yield Finding(
                        rule="dead_macro",
                        severity="caution",
                        sentence=f"The {where} fifth of {module.name or module.id} does nothing on {title}.",
                        why=f"There {title} stands at the end of its range whatever the macro does.",
                        about=f"signal.{module.id}",
                        from_s=context.on_s,
                        to_s=context.off_s,
                        which=f"{where}, {title}",
                        fix=_fix(context, name, routes) if where == "last" else None,
                    )


def _fix(context: Context, name: str, routes: list[Route]) -> Fix | None:
    """Let the macro's one route end where the range ends."""
    mine = [route for route in routes if route.destination == name]
    lane = context.trace.lanes[name]
    at, base = lane.lane.destination, float(lane.base[0])
    if len(mine) != 1 or not mine[0].adds or mine[0].bend or len(lane.lane.routes) != 1 or base <= 0.0:
        return None
    whole = at.distance(base, at.high if mine[0].amount > 0.0 else at.low)
    amount = math.copysign(math.floor(1000.0 * abs(whole)) / 1000.0, mine[0].amount)
    if abs(amount) >= abs(mine[0].amount):
        return None
    return Fix(
        f"amount {in_words(amount, at.amount_unit)}", edited(context.patch, routes={mine[0].id: {"amount": amount}})
    )


def _lanes_at(context: Context, macro: str, value: float, names: tuple[str, ...], cache: RowCache) -> dict[str, Floats]:
    """Return lanes with a macro at a value."""
    patch = edited(context.patch, modules={macro: {"value": value}})
    lanes = trace(patch, COARSE_RATE, cancelled=context.cancelled, cache=cache, most_bytes=MAX_SIDE_TRACE_BYTES).lanes
    return {name: in_modulation_unit(lanes[name]).copy() for name in names}
