"""When a bent stage is half done, and done but for a tenth (-6 and -20 dB of a fall).

A stage with bend k is done to a degree d after -ln(1 - d (1 - e^-k)) / k of its time.
"""

from collections.abc import Iterator
from functools import partial
from typing import Final

from jorvik.core.document.patch import Patch, edited
from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import bend_for, done_after
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Module
from jorvik.core.units.words import rounded

STAGES: Final = (("attack", ((0.5, "half"),)), ("decay", ((0.5, "−6 dB"), (0.9, "−20 dB"))))
RELEASE: Final = ("release", ((0.5, "−6 dB"), (0.9, "−20 dB")))


def find(context: Context) -> Iterator[Figure]:
    """Yield the times of each stage of each envelope, as it is moved; typed ones are met by its bend."""
    note = context.trace.run.note
    for module in context.having("is_staged"):
        rises = sum(context.setting(module, name) for name in ("delay_s", "attack_s", "hold_s"))
        begins = {"attack": note.on, "decay": note.on + round(rises * context.rate), "release": note.off}
        for stage, points in (*STAGES, RELEASE):
            at = begins[stage]
            lasts, bent = (context.setting(module, f"{stage}_{what}", at) for what in ("s", "bend"))
            if lasts <= 0.0 or (stage == "decay" and context.setting(module, "sustain") >= 1.0):
                continue
            for done, name in points:
                yield Figure(
                    f"signal.{module.id}",
                    f"{stage}, {name}",
                    lasts * done_after(bent, done),
                    "s",
                    "When so much of the stage is done; type a time, and the bend that meets it is set.",
                    "Bends, by when they are met",
                    with_value=partial(_bent, context, module, f"{stage}_bend", at, lasts, done),
                )


def _bent(context: Context, module: Module, field: str, at: int, lasts: float, done: float, after: float) -> Patch:
    bend = context.set_to(module, field, bend_for(after / lasts, done), at)
    return edited(context.patch, modules={module.id: {field: rounded(bend)}})
