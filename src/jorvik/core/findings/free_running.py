"""A free-running source: how much two equal notes differ.

The note is traced with the source a quarter, a half and three quarters of its cycle further on: what chance draws stays
the same, so that the difference is that source's alone. Told from 3 cents of pitch, a tenth of a semitone of a cutoff
or half of what is noticed of anything else when it moves; an audio-rate wave is heard as a tone, not as a place in its cycle.
"""

from collections.abc import Iterator
from typing import Final

from jorvik.core.document.patch import edited
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.trace import trace
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.limits import COARSE_RATE, MAX_SIDE_TRACE_BYTES
from jorvik.core.measure.apart import lanes_apart, musical_difference
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Module
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.units.words import in_words

FURTHER_ON: Final = (0.25, 0.5, 0.75)


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each free source that makes lanes unlike from note to note."""
    for module in context.having("repeats"):
        if not module.runs_free or not context.is_read(module.id) or (context.rate_of(module.id) or 0.0) >= AUDIO_HZ:
            continue
        told = [
            f"{in_words(*musical_difference(context, name, apart))} on {context.trace.lanes[name].lane.destination.title.lower()}"
            for name, apart in _apart(context, module).items()
            if apart >= _least(context, name)
        ]
        if not told:
            continue
        yield Finding(
            rule="free_running",
            severity="note",
            sentence=f"{module.id} runs free: two equal notes differ by up to {', '.join(told)}.",
            why="Free sources make each note a little unlike; started with the note, every note is the same.",
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=Fix("start with the note", edited(context.patch, modules={module.id: {"start": "note"}})),
        )


def _apart(context: Context, module: Module) -> dict[str, float]:
    """Return how far each lane comes to lie from where it is, at most, when a source stands elsewhere in its cycle."""
    draft = context.once("draft", lambda: Context(context.patch, COARSE_RATE, context.cancelled))
    begins = module.slot_value("phase", context.patch.performance.tempo)
    found: dict[str, float] = {}
    cache = RowCache()
    for further in FURTHER_ON:
        turned = edited(context.patch, modules={module.id: {"phase": (begins + further) % 1.0}})
        other = trace(turned, COARSE_RATE, cancelled=context.cancelled, cache=cache, most_bytes=MAX_SIDE_TRACE_BYTES)
        for name, apart in lanes_apart(draft, other, other.run.note):
            found[name] = max(apart, found.get(name, 0.0))
    return found


def _least(context: Context, name: str) -> float:
    at = context.trace.lanes[name].lane.destination
    if at.part == "pitch" and at.amount_unit == "st":
        return context.ear.steady_pitch_st
    return context.ear.cutoff_st if at.steps_per_octave else 0.5 * at.noticed
