"""A glide that does not arrive: its note ends, or the next takes the voice, before it has come to its key."""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import rounded, time_text


def find(context: Context) -> Iterator[Finding]:
    """Yield one caution for the notes whose glide is cut off."""
    glide_s = context.patch.voice.glide_ms / 1000.0
    notes = context.trace.run.notes
    if glide_s <= 0.0 or len(notes) < 2:
        return
    cut = [n for n in notes if abs(n.glide_from_st) > context.ear.pitch_st and n.off - n.on < glide_s * context.rate]
    if not cut:
        return
    short = min(cut, key=lambda n: n.off - n.on)
    lasts = (short.off - short.on) / context.rate
    left = abs(short.glide_from_st) * (1.0 - lasts / glide_s)
    if left <= context.ear.pitch_st:
        return
    fits = rounded(1000.0 * lasts)
    yield Finding(
        rule="late_glide",
        severity="caution",
        sentence=f"A glide of {time_text(glide_s)} does not arrive in {len(cut)} of {len(notes)} notes; at {time_text(short.on / context.rate)} it is {left:.3g} st short.",
        why="A note that ends before its glide is over never sounds at its key.",
        about="pitch",
        from_s=short.on / context.rate,
        to_s=short.off / context.rate,
        fix=Fix(f"glide {fits:g} ms", edited(context.patch, voice={"glide_ms": fits})),
    )
