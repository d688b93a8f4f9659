"""A ring or a synced-looking LFO that drifts against the note rate, with the period of the pattern.

Told where notes come at equal distances and the count of cycles between two is off a whole number by more than a
twentieth, and the pattern is longer than four notes.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.closed_forms import ring
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

OFF = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a note on each ring or free LFO that never lands alike."""
    gap = context.note_gap_s
    if gap is None:
        return
    for module in context.patch.modules:
        if not context.is_read(module.id):
            continue
        if module.rings and context.setting(module, "q") >= 4.0:
            of_ring = ring(context.setting(module, "frequency_hz"), context.setting(module, "q"))
            hz, field = of_ring.frequency_hz, "frequency_hz"
        elif module.repeats and module.runs_free:
            hz, field = context.setting(module, "rate"), "rate"
        else:
            continue
        cycles = hz * gap
        off = cycles - round(cycles)
        if hz > 20.0 or cycles < 0.5 or abs(off) < OFF:
            continue
        pattern = 1.0 / abs(off)
        near = round(cycles) / gap
        yield Finding(
            rule="ring_drift",
            severity="note",
            sentence=f"{module.id} makes {cycles:.3g} cycles between notes: it lands alike every {pattern:.3g} notes, {time_text(pattern * gap)}.",
            why="A whole number of cycles lands alike on every note; else the pattern drifts, which may be wanted.",
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.end_s,
            fix=Fix(
                f"{near:.3g} Hz, {round(cycles)} cycles a note",
                edited(context.patch, modules={module.id: {field: context.set_to(module, field, near)}}),
            )
            if near > 0
            else None,
        )
