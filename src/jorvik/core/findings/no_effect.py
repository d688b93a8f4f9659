"""A route that changes nothing that can be seen or heard.

Less than 1 cent of pitch, 0.2 semitones of cutoff, 0.1 dB of level, a hundredth of any other range: a fifth or less of
what listeners notice at best (Moore, An Introduction to the Psychology of Hearing, chapters 4 and 6).
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.destinations import UNBOUNDED
from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.measure.patch import effects

LEAST = {"st": 0.01, "oct": 0.02, "dB": 0.1, "cents": 0.2, "rad": 0.01, "s": 0.0005}


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each route whose effect stays under the least that could be noticed."""
    played = of.patch.performance.controls
    for name, lane in of.trace.lanes.items():
        at = lane.lane.destination
        given = effects(lane, 0, lane.value.size)
        for route in lane.lane.routes:
            if f"route:{route.id}.amount" in of.trace.lanes or _waits(of, route.source, played):
                continue
            limit = 0.2 if at.law == "semitones" and name != "pitch" else LEAST.get(at.amount_unit)
            if limit is None:
                limit = 0.01 * (at.high - at.low) if at.high - at.low < UNBOUNDED else 1e-6
            moved = given[route.id]
            reach = float(np.abs(moved).max()) if route.mode == "add" else float(np.ptp(moved))
            if reach < limit:
                yield Finding(
                    rule="no_effect",
                    severity="note",
                    sentence=f"{route.source} on {at.title.lower()} does nothing: {reach:.2g} {at.amount_unit} at most.",
                    why="A route that nobody notices costs the next reader of the patch a look.",
                    about=f"route.{route.id}",
                    from_s=of.on_s,
                    to_s=of.end_s,
                    mend=Mend(
                        f"remove {route.source} from {at.title.lower()}", edited(of.patch, without_routes=(route.id,))
                    ),
                )


def _waits(of: Context, source: str, played: object) -> bool:
    """Tell whether a source rests only because the player does: a wheel, or a macro at its end."""
    if source in ("mod_wheel", "pressure", "pitch_bend", "key"):
        return True
    module = of.patch.modules_by_id.get(source)
    return module is not None and module.kind == "macro"
