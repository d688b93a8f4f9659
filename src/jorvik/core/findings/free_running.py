"""A free-running source: how much two equal notes differ.

Told from 3 cents of pitch or a hundredth of another range between a note and the same note a second and a bit later.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.engine.run import trace
from jorvik.core.findings.base import Context, Finding
from jorvik.core.measure.patch import in_modulation_unit, musical_unit
from jorvik.core.patch import Patch, check_patch

LATER_S = 1.37
LEAST = {"st": 0.03, "semitones": 0.1}


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each lane that a free source makes unlike from note to note."""
    free = [m.id for m in of.patch.modules if getattr(m, "start", "") == "free"]
    if not any(of.is_read(name) for name in free):
        return
    later = trace(_moved(of.patch), of.rate, cancelled=of.cancelled)
    note, other = of.trace.run.notes[0], later.run.notes[0]
    length = max(2, note.off - note.on)
    for name, lane in of.trace.lanes.items():
        if "." in name or ":" in name or not lane.lane.routes or name not in later.lanes:
            continue
        a = in_modulation_unit(lane)[note.on : note.on + length]
        b = in_modulation_unit(later.lanes[name])[other.on : other.on + length]
        size = min(a.size, b.size)
        apart = float(np.abs(a[:size] - b[:size]).max())
        at = lane.lane.destination
        least = (
            LEAST["st"] if name == "pitch" else LEAST["semitones"] if at.steps_per_octave else 0.01 * (at.high - at.low)
        )
        if apart < least:
            continue
        shown = (
            f"{100 * apart:.3g} cents"
            if name == "pitch"
            else f"{apart:.3g} {musical_unit(at) if at.steps_per_octave else at.unit}"
        )
        yield Finding(
            rule="free_running",
            severity="note",
            sentence=f"Two equal notes differ by up to {shown} on {at.title.lower()}: {', '.join(free)} runs free.",
            why="Free sources make each note a little unlike; started with the note, every note is the same.",
            about=name,
            from_s=of.on_s,
            to_s=of.off_s,
        )


def _moved(patch: Patch) -> Patch:
    """Return the patch with its first note alone, a little later."""
    document = patch.document()
    first = dict((document.get("performance", {}).get("notes") or [{}])[0])
    length = min(float(first.get("length_s", 1.0)), 20.0)
    performance = {**document.get("performance", {}), "controls": {}}
    performance["notes"] = [{**first, "start_s": float(first.get("start_s", 0.0)) + LATER_S, "length_s": length}]
    performance["tail_s"] = 0.0
    return check_patch({**document, "performance": performance})
