"""A dip that misses its hit: it lies more than 10 ms from the stroke.

10 ms is about where two onsets are told apart in time (Hirsh, JASA 31, 1959: 2 ms for separate, 17 ms for order).
"""

from collections.abc import Iterator, Mapping, Sequence
from functools import partial

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.beat import AtStrike, at_hits, followed_tracks
from jorvik.core.measure.context import Context
from jorvik.core.signals import hit_of
from jorvik.core.units.words import time_text

MISSES_S = 0.010
LEAST_DB = 3.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a caution for each track and level of which most dips are early or late."""
    levels: dict[str, dict[str, list[AtStrike]]] = {}
    for track, name, strikes in at_hits(context, "level"):
        dips = [s for s in strikes if s.dip_db is not None and s.dip_db >= LEAST_DB]
        if dips:
            levels.setdefault(name, {})[track] = dips
    for name, track, dips in ((name, track, dips) for name, of in levels.items() for track, dips in of.items()):
        # Dips that are drawn are meant for the track that they lie nearest to; of the others, only a track that
        # something of the patch listens to is expected to have its dips.
        if track not in followed_tracks(context) and track != min(levels[name], key=partial(_apart, levels[name])):
            continue
        off = [s for s in dips if abs(s.dip_offset_s or 0.0) > MISSES_S]
        if len(off) < 1 or len(off) < 0.5 * len(dips):
            continue
        worst = max(off, key=lambda s: abs(s.dip_offset_s or 0.0))
        away = worst.dip_offset_s or 0.0
        yield Finding(
            rule="missed_hit",
            severity="caution",
            sentence=f"The dip of {VOICE[name].title.lower()} at {time_text(worst.at_s)} lies {time_text(abs(away))} {'after' if away > 0 else 'before'} its stroke of {track}.",
            why="Room that is made beside a stroke is not there where the stroke needs it.",
            about=name,
            from_s=context.in_window(worst.at_s),
            to_s=context.off_s,
            fix=_followed(context, name, track),
            which=track,
        )


def _apart(of: Mapping[str, Sequence[AtStrike]], track: str) -> float:
    return float(np.median([abs(strike.dip_offset_s or 0.0) for strike in of[track]]))


def _followed(context: Context, name: str, track: str) -> Fix | None:
    """Let the hit itself make the dip, in the place of what moves the level most."""
    if any(hit_of(route.source) == track and route.amount < 0.0 for route in context.routes_to(name)):
        # It dips it already.
        return None
    given = context.trace.lanes[name].contributions
    moving = [route for route in context.routes_to(name) if route.source in context.patch.modules_by_id]
    if not moving:
        return None
    first = max(moving, key=lambda route: float(np.ptp(given[route.id])))
    changed = {first.id: {"source": f"hit:{track}", "mode": "add", "amount": -0.9, "bend": 0.0, "polarity": "as_is"}}
    return Fix(f"{track} itself dips it", edited(context.patch, routes=changed))
