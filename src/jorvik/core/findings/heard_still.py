"""A signal that is heard and stands still: its DC is taken out at 10 Hz, and nothing is left of it."""

from collections.abc import Iterator
from typing import Final

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

LEAST_MOVED: Final = 1e-4
"""What moves less is 80 dB under full scale."""

SETTLES_S: Final = 0.05
"""What still moves after this is heard as more than a knock."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding where the module named in the voice's signal stands still while it is let through."""
    name = context.patch.voice.signal
    if name is None or float(context.values("signal_level").max()) <= 0.0:
        return
    on, off = context.trace.run.note.on, min(context.trace.run.note.off, context.note_end)
    later = context.row(name)[min(on + round(SETTLES_S * context.rate), off - 1) : off]
    if later.size < 2 or float(np.ptp(later)) > LEAST_MOVED:
        return
    yield Finding(
        rule="heard_still",
        severity="caution",
        sentence=f"{name} is heard, and stands still at {later[-1]:.3g} from {time_text(SETTLES_S)} on.",
        why="What does not move is DC, which is taken out of a signal that is heard: of this one nothing is left.",
        about=f"signal.{name}",
        from_s=context.on_s + SETTLES_S,
        to_s=context.off_s,
        fix=Fix("no signal heard", edited(context.patch, voice={"signal": None})),
    )
