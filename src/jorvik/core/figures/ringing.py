"""Ringing of a control filter: pitch, decay, time after note-off, note rate.

In closed form: at f sqrt(1 - 1/4q^2), 60 dB down after ln(1000) q / (pi f), q ln(20) / pi audible cycles of over 5 %.
"""

from collections.abc import Iterator
from functools import partial

from jorvik.core.document.patch import Patch, edited
from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import ring, ring_from
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Module
from jorvik.core.units.words import rounded, time_text

RINGS_FROM_Q = 0.5


def find(context: Context) -> Iterator[Figure]:
    """Yield what each ring does at the end of the note and at the next one."""
    for module in context.having("rings"):
        hz, q = context.setting(module, "frequency_hz"), context.setting(module, "q")
        if hz <= 0.0 or q <= RINGS_FROM_Q:
            continue
        about, rings = f"signal.{module.id}", ring(hz, q)
        yield Figure(
            about,
            "rings at",
            rings.frequency_hz,
            "Hz",
            "f √(1 − 1/4q²).",
            with_value=partial(_tuned, context, module, lasts=rings.time_s),
        )
        yield Figure(
            about,
            "gone after",
            rings.time_s,
            "s",
            "Time to −60 dB: ln(1000) q / π f.",
            with_value=lambda s, filter=module, hz=rings.frequency_hz: _tuned(context, filter, hz, s),  # type: ignore[misc]
        )
        yield Figure(
            about, "audible cycles", rings.audible_cycles, "over 5 %", "Swings of more than 5 %: q ln(20) / π."
        )
        if isinstance(module.input, str):
            outlives, seen = context.measures.signals[module.id].ring_after_off_s, context.end_s - context.off_s
            words = {None: f"more than {time_text(seen)}, when the run ends", 0.0: "not at all"}
            yield Figure(
                about,
                "outlives the note by",
                seen if outlives is None else outlives,
                "s",
                "From note-off until the ring stays 60 dB under its peak after note-off.",
                words=words.get(outlives, ""),
            )
        gap = context.note_gap_s
        if gap is not None:
            cycles = rings.frequency_hz * gap
            yield Figure(
                about,
                "ring against note rate",
                cycles,
                "cycles a note",
                "Ring frequency times the time from note to note; a whole number lands alike on each.",
            )


def _tuned(context: Context, module: Module, rings_at: float, lasts: float) -> Patch:
    """Return the patch whose filter rings at a frequency for a time."""
    hz, q = ring_from(max(rings_at, 1e-3), lasts)
    wanted = {"frequency_hz": hz, "q": max(q, 0.5)}
    return edited(
        context.patch, modules={module.id: {k: rounded(context.set_to(module, k, x)) for k, x in wanted.items()}}
    )
