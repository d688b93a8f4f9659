"""Random notes: how far they reach, and how many of them fall silent.

The range is told from an octave on; silence is an oscillator, fold or amplitude lane within a hundredth of nothing, from
2 % of the values on: exact where one even source moves the lane alone, else counted over 400 values or 32 runs.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Route, edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.chance import random_routes, reach_by_chance, share_under
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import SILENT
from jorvik.core.units.words import in_words, share_text

SHARE = 0.02
OCTAVE_ST = 12.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a note on random pitches that reach far, and a caution on random levels that fall silent."""
    for route in random_routes(context.patch):
        at = VOICE.get(route.destination)
        if at is not None and at.reads_as == "note" and route.adds:
            given = context.held(context.trace.lanes[at.name].contributions[route.id])
            reach = float(np.ptp(given))
            if reach >= OCTAVE_ST:
                yield Finding(
                    rule="random_range",
                    severity="note",
                    sentence=f"{route.source} reaches over {reach / 12:.3g} octaves: {round(reach) + 1} notes.",
                    why="Fast high notes can be far louder to the ear than the low ones beside them.",
                    about=at.name,
                    from_s=context.on_s,
                    to_s=context.off_s,
                )
        elif at is not None and at.bare_at_0:
            yield from _silence(context, route)


def _silence(context: Context, route: Route) -> Iterator[Finding]:
    name = route.destination
    share, _ = share_under(context, name, SILENT)
    if share < SHARE:
        return
    lane = context.trace.lanes[name]
    low, _ = reach_by_chance(context, name)
    offset = float(f"{SILENT + 0.01 - min(low, 0.0):.3g}")
    base = float(lane.base[0])
    higher = in_words(offset, lane.lane.destination.unit)
    fix = None
    if base + offset <= 1.0:
        fix = Fix(
            f"{lane.lane.destination.title.lower()} set {higher} higher",
            edited(context.patch, base={name: base + offset}),
        )
    yield Finding(
        rule="random_range",
        severity="caution",
        sentence=f"{share_text(share)} of {route.source}'s values leave {lane.lane.destination.title.lower()} at nothing.",
        why=f"Those notes fall silent; {higher} more on the set value just removes them.",
        about=name,
        from_s=context.on_s,
        to_s=context.off_s,
        fix=fix,
    )
