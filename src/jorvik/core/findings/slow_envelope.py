"""An envelope too slow for its note: note-off comes before it gets to the top.

From under 90 % of its top; how far it gets is told.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

REACHED = 0.9


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each envelope that note-off cuts off on its way up."""
    length = context.off_s - context.on_s
    for module in context.having("is_staged"):
        if module.mode == "trigger" or not context.is_read(module.id):
            continue
        rises = context.setting(module, "delay_s") + context.setting(module, "attack_s")
        top = float(context.held(context.trace.signals[module.id]).max())
        full = 1.0 - module.velocity_depth + module.velocity_depth * float(context.trace.performance["velocity"][-1])
        if rises <= length or full <= 0.0 or top >= REACHED * full:
            continue
        delay = context.setting(module, "delay_s")
        fits = float(f"{max(0.001, 0.5 * (length - delay)):.3g}")
        fix = (
            Fix(
                f"attack {time_text(fits)}",
                edited(context.patch, modules={module.id: {"attack_s": context.set_to(module, "attack_s", fits)}}),
            )
            if length > delay
            else None
        )
        yield Finding(
            rule="slow_envelope",
            severity="caution",
            sentence=f"{module.id} gets to {top / full * 100:.0f} % only: it needs {time_text(rises)}, the note lasts {time_text(length)}.",
            why="What it moves never goes as far as its amount says on notes this short.",
            about=f"signal.{module.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=fix,
        )
