"""A dip that misses its hit: it lies more than 10 ms from the stroke.

10 ms is about where two onsets are told apart in time (Hirsh, JASA 31, 1959: 2 ms for separate, 17 ms for order).
"""

from collections.abc import Iterator, Mapping, Sequence
from functools import partial

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.findings.base import Finding, Fix, fix
from jorvik.core.findings.dips import with_dips
from jorvik.core.measure.beat import AtStrike, at_hits, followed_tracks, listeners
from jorvik.core.measure.context import Context
from jorvik.core.signals import hit_of
from jorvik.core.units.tempo import is_note_value
from jorvik.core.units.words import rounded, time_text

MISSES_S = 0.010
LEAST_DB = 3.0
MOST_DB = 20.0
"""The deepest dip that strokes make without a click."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a caution for each track and level of which most dips are early or late."""
    levels: dict[str, dict[str, list[AtStrike]]] = {}
    for track, name, strikes in at_hits(context, "level"):
        dips = [s for s in strikes if s.dip_db is not None and s.dip_db >= LEAST_DB]
        if dips:
            levels.setdefault(name, {})[track] = dips
    for name, track, dips in ((name, track, dips) for name, of in levels.items() for track, dips in of.items()):
        # A track that nothing listens to has dips only where a source in note values draws them, for the track that
        # they lie nearest to.
        is_drawn = _moves_to_the_beat(context, name) and track == min(levels[name], key=partial(_apart, levels[name]))
        if track not in followed_tracks(context) and not is_drawn:
            continue
        off = [s for s in dips if abs(s.dip_offset_s or 0.0) > MISSES_S]
        if len(off) < 1 or len(off) < 0.5 * len(dips):
            continue
        if _is_raised_by_strokes(context, name):
            # Such a level falls before the next stroke: that is no dip made for it.
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
            fix=_followed(context, name, track, float(np.median([s.dip_db for s in dips]))),
            which=track,
        )


def _apart(of: Mapping[str, Sequence[AtStrike]], track: str) -> float:
    return float(np.median([abs(strike.dip_offset_s or 0.0) for strike in of[track]]))


def _moves_to_the_beat(context: Context, name: str) -> bool:
    """Return True where a source with a rate or a time in note values moves a level."""
    sources = {route.source for route in context.routes_to(name)}
    return any(
        isinstance(value, str) and is_note_value(value)
        for module in context.patch.modules
        if module.id in sources
        for value in (getattr(module, "rate", None), getattr(module, "time", None))
    )


def _is_raised_by_strokes(context: Context, name: str) -> bool:
    raising = [route.source for route in context.routes_to(name) if route.adds and route.amount > 0.0]
    return any(hit_of(source) or source in listeners(context) for source in raising)


def _followed(context: Context, name: str, track: str, depth_db: float) -> Fix | None:
    """Replace the strongest route of the level by dips under the strokes, as deep."""
    if track in followed_tracks(context):
        # What listens to the track is there already; its dips are late or early by its own settings.
        return None
    given = context.trace.lanes[name].contributions
    moving = [
        route
        for route in context.routes_to(name)
        if route.source in context.patch.modules_by_id and route.mode != "range"
    ]
    if not moving:
        return None
    first = max(moving, key=lambda route: float(np.ptp(given[route.id])))
    base, most = context.patch.base(VOICE[name]), float(given[first.id].max())
    depth_db = min(depth_db, MOST_DB)
    top = rounded(min(base + most if first.adds else base * most, VOICE[name].high))
    return fix(
        f"dip it by {depth_db:.3g} dB under {track}",
        lambda: with_dips(context.patch, track, name, depth_db, base={name: top}, without_routes=(first.id,)),
    )
