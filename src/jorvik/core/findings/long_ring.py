"""A control filter whose ringing outlives the note.

The ring has gone when it is 60 dB down, after ln(1000) q / (pi f) from when its input last struck it: at note-off where
that moves the input, else before. Told where it goes on for more than 50 ms after the amplifier has closed or the run
has ended.
"""

import math
from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.closed_forms import ring
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

LEAST_S = 0.05
LEAST_Q = 2.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each ring that is cut off."""
    for module in context.having("rings"):
        falls = context.trace.run.note.off
        hz, q = context.setting(module, "frequency_hz", falls), context.setting(module, "q", falls)
        if q < LEAST_Q or hz <= 0.0 or not context.is_read(module.id):
            continue
        struck = context.last_struck_s(module, hz)
        if struck is None:
            continue
        lasts = ring(hz, q).time_s
        left = struck + lasts - context.closes_s
        if left < LEAST_S:
            continue
        room = max(context.closes_s - struck, 0.0)
        fits = max(0.5, math.floor(10.0 * room * math.pi * hz / math.log(1000.0)) / 10.0)
        since = (
            "note-off"
            if abs(struck - context.off_s) < LEAST_S
            else f"it was last struck, {time_text(struck)} into the run"
        )
        yield Finding(
            rule="long_ring",
            severity="caution",
            sentence=f"{module.id} rings for {time_text(lasts)} after {since}; {time_text(left)} of it is never heard.",
            why="The next note starts into what is left of the ring.",
            about=f"signal.{module.id}",
            from_s=max(struck, context.on_s),
            to_s=context.end_s,
            fix=Fix(
                f"Q {fits:g}, which fades with the note",
                edited(context.patch, modules={module.id: {"q": context.set_to(module, "q", fits, falls)}}),
            ),
        )
