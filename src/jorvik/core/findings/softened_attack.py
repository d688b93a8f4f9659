"""An attack that a control filter in series slows down.

From 5 ms later at 90 % of the rise: about where two onsets are first told apart (Hirsh, JASA 31, 1959: 2 ms for
separate, 17 ms for order; 5 ms for a change of character).
"""

from collections.abc import Iterator
from functools import partial
from typing import Any

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.findings.base import Finding, Fix, fix
from jorvik.core.measure.context import Context
from jorvik.core.modules.filter import Filter
from jorvik.core.units.words import rounded, time_text

LATER_S = 0.005
_NO_RING = 0.01
"""A filter that passes its input by less than this share has no ring to keep."""
_MOST_GAIN = 1000.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each low-pass between an envelope and what it moves that costs the attack."""
    for module in context.having("rings"):
        source = context.patch.modules_by_id.get(str(module.input))
        if module.response != "low" or source is None or not source.single_shape:
            continue
        raw, soft = context.measures.signals[source.id].rise_s, context.measures.signals[module.id].rise_s
        routes = context.routes_from(module.id)
        if raw is None or soft is None or not routes or soft[2] - raw[2] < LATER_S:
            continue
        yield Finding(
            rule="softened_attack",
            severity="caution",
            sentence=f"{module.id} in series makes {source.id}'s attack {time_text(soft[2] - raw[2])} later.",
            why="A filter in the way of an envelope slows its edge. Beside the envelope it adds its ring, and the edge stays.",
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.on_s + soft[2],
            fix=_fix(context, module, source.id),
        )


def _fix(context: Context, module: Filter, source: str) -> Fix | None:
    """Route the source straight and add only the filter's ring, as strong as before."""
    gain = module.slot_value("gain", context.patch.performance.tempo)
    read = any(value == module.id for other in context.patch.modules for _, value in other.input_signals())
    moved = f"{module.id}.gain" in context.trace.lanes
    if (
        read
        or moved
        or module.coupling == "ac"
        or (gain != 1.0 and any(not r.adds for r in context.routes_from(module.id)))
    ):
        return None
    straight = context.row(source)
    ringing, edge = context.trace.signals[module.id] / (gain or 1.0), float(straight.max())
    passes = float(ringing.max()) > edge * (1.0 + _NO_RING)
    if not passes:
        return fix(f"{source} straight, without {module.id}", partial(_straight, context, module, source, gain))
    as_band = edited(context.patch, modules={module.id: {"response": "band", "gain": 1.0}})
    rings = context.beside(as_band).signals[module.id]
    # The top of both together grows with the ring's gain, so that one gain gives the top that the series had.
    from scipy.optimize import brentq

    def missing(of_ring: float) -> float:
        return float((straight + of_ring * rings).max()) - float(ringing.max())

    if missing(_MOST_GAIN) <= 0.0:
        return None
    most = brentq(missing, 0.0, _MOST_GAIN)
    parallel = partial(_straight, context, module, source, gain, ring=rounded(gain * most))
    return fix(f"ring {module.id} in parallel, {source} straight", parallel)


def _straight(context: Context, module: Filter, source: str, gain: float, ring: float | None = None) -> Patch:
    """Return the patch with routes straight from the source.

    ``ring`` is the gain of the filter beside it, as a band-pass; without it no route comes from the filter.
    """
    if ring is None:
        changed = {r.id: {"source": source, "amount": r.amount * gain} for r in context.routes_from(module.id)}
        return edited(context.patch, routes=changed)
    more: list[dict[str, Any]] = []
    for route in context.routes_from(module.id):
        fields = route.model_dump(mode="json", exclude_unset=True)
        taken = [*context.patch.routes_by_id, *(other["id"] for other in more)]
        name = fresh_id(f"{route.id} straight", taken)
        more.append({**fields, "id": name, "source": source, "amount": route.amount * gain})
    settings = {module.id: {"response": "band", "gain": ring}}
    return edited(context.patch, modules=settings, more_routes=tuple(more))
