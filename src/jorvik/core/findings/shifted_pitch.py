"""An audio-rate wave on pitch whose mean is not zero: it shifts the note.

From 5 cents, about the least difference between successive tones that is heard (Moore, JASA 54, 1973).
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.modulation import fast_on_pitch


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each fast source that moves the average pitch."""
    for route, mean in fast_on_pitch(context):
        if abs(mean) < context.ear.pitch_st:
            continue
        whole = (
            float(context.held(context.trace.signals[route.source]).mean())
            if route.source in context.trace.signals
            else 0.0
        )
        fix = None
        if route.polarity == "as_is" and 0.2 < whole < 0.8:
            half = {"polarity": "bipolar", "amount": route.amount / 2.0}
            fix = Fix(f"{route.source} swings both ways", edited(context.patch, routes={route.id: half}))
        yield Finding(
            rule="shifted_pitch",
            severity="caution",
            sentence=f"{route.source} shifts the average pitch by {100 * mean:+.0f} cents.",
            why="At audio rate the swing is heard as timbre and its mean as pitch; a wave that swings evenly leaves the note in tune.",
            about=f"route.{route.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=fix,
        )
