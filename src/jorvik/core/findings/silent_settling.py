"""The amplifier has closed while the timbre still moves.

Closed is 60 dB under the peak, where a lone tone is no longer heard in a room; still moving is more than a tenth of the
lane's whole way, left to go.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.limits import MAX_SECONDS
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import in_modulation_unit
from jorvik.core.units.words import time_text

CLOSED = 1e-3
LEFT = 0.1
LEAST_S = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each lane of the timbre that goes on in silence."""
    amplitude = context.lane("amplitude")
    if amplitude is None or float(amplitude.value.max()) <= 0.0:
        return
    heard = np.flatnonzero(amplitude.value > CLOSED * amplitude.value.max())
    closed = int(heard[-1]) + 1
    if closed >= amplitude.value.size - 2:
        return
    for name in (at.name for at in VOICE.values() if at.part == "timbre"):
        lane = context.lane(name)
        if lane is None:
            continue
        value = in_modulation_unit(lane)
        rest = value[closed:]
        whole, left = float(np.ptp(value)), float(np.ptp(rest))
        if whole <= 1e-9 or left <= LEFT * whole:
            continue
        going = np.flatnonzero(np.abs(rest - rest[-1]) > 0.01 * whole)
        lasts = (int(going[-1]) + 1) / context.rate if going.size else 0.0
        if lasts < LEAST_S or _swings(context, lane.lane.routes):
            continue
        title = lane.lane.destination.title
        yield Finding(
            rule="silent_settling",
            severity="caution",
            sentence=f"{title} is still moving when the amplifier has closed: {time_text(lasts)} of it is never heard.",
            why="Either the amplifier closes too early, or the next note starts into what is left.",
            about=name,
            from_s=closed / context.rate,
            to_s=closed / context.rate + lasts,
            fix=_fix(context, lasts),
        )


def _fix(context: Context, lasts: float) -> Fix | None:
    """Let the amplifier's envelope close as much later."""
    tempo = context.patch.performance.tempo
    names = {route.source for route in context.routes_to("amplitude")}
    envelopes = [module for module in context.having("is_staged") if module.id in names]
    longer = {e.id: {"release_s": float(f"{e.slot_value('release_s', tempo) + lasts:.3g}")} for e in envelopes}
    if not longer or any(fields["release_s"] > MAX_SECONDS for fields in longer.values()):
        return None
    label = ", ".join(f"release of {name} {time_text(fields['release_s'])}" for name, fields in longer.items())
    return Fix(label, edited(context.patch, modules=longer))


def _swings(context: Context, routes: object) -> bool:
    """Tell whether nothing that comes to an end moves a lane: no envelope, curve or what follows one."""
    sources = [context.patch.modules_by_id.get(route.source) for route in routes]  # type: ignore[attr-defined]
    return not any(
        module is not None and module.comes_to_end and not getattr(module, "loop", None) for module in sources
    )
