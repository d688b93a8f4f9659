"""Vibrato outside the usual rates, heard from the first moment, or never, since the amplifier closes before it begins.

Singers and string players keep to 4 to 8 Hz and let it come in after the onset (Prame, JASA 96, 1994: 6 Hz on average).
Told for swings of 3 to 150 cents.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.figures.vibrato_heard import heard_after_s
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.units.words import time_text

SLOWEST, FASTEST = 4.0, 8.0
DELAY_S = 0.12


def find(context: Context) -> Iterator[Finding]:
    """Yield a note on each vibrato that a listener may find odd."""
    lane = context.lane("pitch")
    for route in lane.lane.routes if lane else []:
        module = context.patch.modules_by_id.get(route.source)
        if module is None or not module.repeats or getattr(module, "shape", "") not in ("sine", "triangle"):
            continue
        rate = context.setting(module, "rate")
        if rate >= AUDIO_HZ or not 0.03 <= abs(route.amount) <= 1.5 or rate < 1.0:
            continue
        heard = max(context.shut_s - context.on_s, 0.0)
        begins = context.on_s + context.setting(module, "delay_s")
        if begins >= context.shut_s:
            sooner = {"delay_s": float(f"{0.4 * heard:.3g}"), "fade_in_s": float(f"{0.3 * heard:.3g}")}
            yield _said(
                context,
                route.id,
                f"{module.id} begins {time_text(context.setting(module, 'delay_s'))} after the onset, when nothing has been heard for {time_text(begins - context.shut_s)}.",
                "The amplifier closes before the vibrato begins, so that no note of this length has any.",
                Fix("begin within the note", edited(context.patch, modules={module.id: sooner})),
                "silent",
            )
            continue
        waits = heard_after_s(context, route)
        if not SLOWEST <= rate <= FASTEST:
            wanted = SLOWEST if rate < SLOWEST else FASTEST
            patch = edited(context.patch, modules={module.id: {"rate": context.set_to(module, "rate", wanted)}})
            yield _said(
                context,
                route.id,
                f"{module.id} is a vibrato of {rate:.3g} Hz; the usual ones lie between 4 and 8 Hz.",
                "Slower it is heard as pitch going up and down, faster as roughness.",
                Fix(f"{wanted:g} Hz", patch),
                "rate",
            )
        if waits is not None and waits < DELAY_S and min(heard, context.off_s - context.on_s) > 0.5:
            patch = edited(context.patch, modules={module.id: {"delay_s": 0.2, "fade_in_s": 0.4}})
            yield _said(
                context,
                route.id,
                f"{module.id} is heard {time_text(waits)} after the onset.",
                "A vibrato that comes in late leaves the onset in tune.",
                Fix("let it fade in", patch),
                "onset",
            )


def _said(context: Context, route: str, sentence: str, why: str, fix: Fix, which: str) -> Finding:
    return Finding("vibrato", "note", sentence, why, f"route.{route}", context.on_s, context.off_s, fix, which)
