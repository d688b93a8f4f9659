"""A source that its own output resets: it never gets past one half, where it begins again."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context

RISES_THROUGH = 0.5
"""A reset takes effect where what it reads rises through this."""


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each module that reads itself as its reset."""
    for module in context.patch.modules:
        if getattr(module, "reset", None) != module.id:
            continue
        over = context.row(module.id)[: context.note_end] > RISES_THROUGH
        rises = np.flatnonzero(over[1:] & ~over[:-1]) + 1
        often = f"{rises.size} times in this note" if rises.size != 1 else "once in this note"
        from_s = float(rises[0]) / context.rate if rises.size else context.on_s
        yield Finding(
            rule="resets_itself",
            severity="caution",
            sentence=f"{module.id} resets itself, {often}.",
            why="Each rise of its own through one half begins it again a sample later, so that its shape is cut there.",
            about=f"signal.{module.id}",
            from_s=from_s,
            to_s=context.off_s,
            fix=Fix(f"{module.id} reset by nothing", edited(context.patch, modules={module.id: {"reset": 0}})),
        )
