"""A vibrato: how fast, how deep, and after how long it is heard.

It is heard from where it is 5 cents off, which is where a pitch is noticed to be off within a phrase.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import Route
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield rate, depth and onset of each mover of the pitch that repeats below audio rate."""
    lane = context.lane("pitch")
    for route in context.routes_to("pitch") if lane else []:
        hz = context.rate_of(route.source)
        if lane is None or hz is None or not route.adds or hz >= AUDIO_HZ:
            continue
        moved = context.held(lane.contributions[route.id])
        later = moved[moved.size // 2 :]
        group = f"Vibrato by {route.source}"
        depth = 50.0 * float(np.ptp(later))
        yield Figure("pitch", "rate", hz, "Hz", "How often it goes there and back.", group, words=f"{hz:.3g} Hz")
        yield Figure(
            "pitch",
            "depth",
            depth,
            "cents",
            "To each side of its middle, in the later half of the held note.",
            group,
            words=f"±{depth:.3g} cents",
        )
        heard_s = heard_after_s(context, route)
        yield Figure(
            "pitch",
            "heard after",
            heard_s or 0.0,
            "s",
            f"When it is first {100 * context.ear.pitch_st:.2g} cents off, from note-on.",
            group,
            words="not in this note" if heard_s is None else time_text(heard_s),
        )


def heard_after_s(context: Context, route: Route) -> float | None:
    """Return the time from note-on until a route moves the pitch by a noticed step.

    In seconds; None where it never does while the note is held.
    """
    moved = context.held(context.trace.lanes["pitch"].contributions[route.id])
    noticed = np.flatnonzero(np.abs(moved) >= context.ear.pitch_st)
    return float(noticed[0]) / context.rate if noticed.size else None
