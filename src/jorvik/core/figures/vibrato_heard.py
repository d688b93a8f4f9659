"""A vibrato: how fast, how deep, and after how long it is heard.

It is heard from where it is 5 cents off, which is where a pitch is noticed to be off within a phrase.
"""

from collections.abc import Iterator

import numpy as np

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
        off = np.flatnonzero(np.abs(moved) >= context.ear.pitch_st)
        heard_s = float(off[0]) / context.rate if off.size else 0.0
        yield Figure(
            "pitch",
            "heard after",
            heard_s,
            "s",
            f"When it is first {100 * context.ear.pitch_st:.2g} cents off, from note-on.",
            group,
            words=time_text(heard_s) if off.size else "not in this note",
        )
