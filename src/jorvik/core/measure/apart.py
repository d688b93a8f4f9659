"""How far two runs lie apart."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.engine.notes import VoiceNote
from jorvik.core.engine.trace import Trace
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import in_modulation_unit


def lanes_apart(context: Context, other: Trace, theirs: VoiceNote) -> Iterator[tuple[str, float]]:
    """Yield how far each moved voice lane of the first note lies from that of a note of another trace, at most."""
    mine = context.trace.run.note
    length = max(2, min(mine.off - mine.on, theirs.off - theirs.on))
    for name, lane in context.trace.lanes.items():
        if "." in name or ":" in name or not lane.lane.routes or name not in other.lanes:
            continue
        a = in_modulation_unit(lane, slice(mine.on, mine.on + length))
        b = in_modulation_unit(other.lanes[name], slice(theirs.on, theirs.on + length))
        yield name, float(np.abs(a[: b.size] - b[: a.size]).max(initial=0.0))


def musical_difference(context: Context, name: str, apart: float) -> tuple[float, str]:
    """Return a difference in a lane's modulation unit, pitch in cents."""
    at = context.trace.lanes[name].lane.destination
    return (100.0 * apart, "cents") if at.reads_as == "note" else (apart, at.amount_unit)
