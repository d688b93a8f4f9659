"""An envelope too slow for its note: it never gets to the top, or never down to its sustain.

A caution where the attack is cut off before 90 %, a note where the decay is: some sounds are meant to open only on long
notes.
"""

from collections.abc import Iterator

from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.modules.base import time_text

REACHED = 0.9


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each envelope that note-off cuts off on its way up."""
    tempo = of.patch.performance.tempo
    length = of.off_s - of.on_s
    for module in of.modules("envelope"):
        if module.mode == "trigger" or not of.is_read(module.id):
            continue
        rises = module.slot_value("delay_s", tempo) + module.slot_value("attack_s", tempo)
        top = float(of.held(of.trace.signals[module.id]).max())
        full = 1.0 - module.velocity_depth + module.velocity_depth * float(of.trace.performance["velocity"][-1])
        if rises <= length or full <= 0.0 or top >= REACHED * full:
            continue
        delay = module.slot_value("delay_s", tempo)
        fits = float(f"{max(0.001, 0.5 * (length - delay)):.3g}")
        mend = (
            Mend(f"attack {time_text(fits)}", edited(of.patch, modules={module.id: {"attack_s": fits}}))
            if length > delay
            else None
        )
        yield Finding(
            rule="slow_envelope",
            severity="caution",
            sentence=f"{module.id} gets to {top / full * 100:.0f} % only: it needs {time_text(rises)}, the note lasts {time_text(length)}.",
            why="What it moves never goes as far as its amount says on notes this short.",
            about=f"signal.{module.id}",
            from_s=of.on_s,
            to_s=of.off_s,
            mend=mend,
        )
