"""A ring or a synced-looking LFO that drifts against the note rate, with the period of the pattern.

Told where notes come at equal distances and the count of cycles between two is off a whole number by more than a
twentieth, and the pattern is longer than four notes.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.measure.closed_forms import ring
from jorvik.core.modules.base import time_text

OFF = 0.05
EVEN = 0.02


def find(of: Context) -> Iterator[Finding]:
    """Yield a note on each ring or free LFO that never lands alike."""
    starts = sorted(note.start_s for note in of.patch.performance.notes)
    if len(starts) < 3:
        return
    gaps = np.diff(starts)
    gap = float(gaps.mean())
    if gap <= 0.0 or float(np.ptp(gaps)) > EVEN * gap:
        return
    tempo = of.patch.performance.tempo
    for module in of.patch.modules:
        if not of.is_read(module.id):
            continue
        if module.kind == "filter" and module.slot_value("q", tempo) >= 4.0:
            of_ring = ring(module.slot_value("frequency_hz", tempo), module.slot_value("q", tempo))
            hz, field = of_ring.frequency_hz, "frequency_hz"
        elif module.kind == "lfo" and module.start == "free":  # type: ignore[attr-defined]
            hz, field = module.slot_value("rate", tempo), "rate"
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
            from_s=of.on_s,
            to_s=of.end_s,
            mend=Mend(
                f"{near:.3g} Hz, {round(cycles)} cycles a note", edited(of.patch, modules={module.id: {field: near}})
            )
            if near > 0
            else None,
        )
