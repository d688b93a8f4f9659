"""A pulse near its collapse: under 4 % of the cycle little but its highest harmonics is left, and at the end silence."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.findings.base import Context, Finding, Mend, edited

NEAR = 0.04
CLEAR = 0.05


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each pulse width that comes near an end."""
    for name in ("pulse_width", "osc2_pulse_width"):
        lane = of.lane(name)
        if lane is None:
            continue
        margin = np.minimum(lane.raw, 1.0 - lane.raw)
        nearest = float(margin.min())
        if nearest >= NEAR:
            continue
        at = int(margin.argmin())
        yield Finding(
            rule="thin_pulse",
            severity="caution",
            sentence=f"{lane.lane.destination.title} comes within {max(nearest, 0.0) * 100:.1f} % of collapse.",
            why="The tone thins to its highest harmonics and drops out; a depth that stays clear keeps it whole.",
            about=name,
            from_s=max(0.0, at / of.rate - 0.01),
            to_s=at / of.rate + 0.01,
            mend=_mend(of, name),
        )


def _mend(of: Context, name: str) -> Mend | None:
    """Shrink what adds so that the nearest moment stays clear."""
    lane = of.trace.lanes[name]
    adds = [route for route in lane.lane.routes if route.mode == "add"]
    if not adds or len(adds) < len(lane.lane.routes):
        return None
    total = np.sum([lane.contributions[route.id] for route in adds], axis=0)
    base = float(lane.base[0])
    ends = [(float(total.max()), 1.0 - CLEAR - base), (float(-total.min()), base - CLEAR)]
    factors = [room / reach for reach, room in ends if reach > room]
    if not factors or min(factors) <= 0.0:
        return None
    factor = min(factors)
    changed = {route.id: {"amount": float(f"{route.amount * factor:.3g}")} for route in adds}
    return Mend(f"depth x {factor:.2g}, which keeps {CLEAR * 100:g} % clear", edited(of.patch, routes=changed))
