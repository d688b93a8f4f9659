"""Vibrato outside the usual rates, or heard from the first moment.

Singers and string players keep to 4 to 8 Hz and let it come in after the onset (Prame, JASA 96, 1994: 6 Hz on average).
Told for swings of 3 to 150 cents.
"""

from collections.abc import Iterator

from jorvik.core.findings.base import Context, Finding, Mend, edited
from jorvik.core.modules.base import time_text

SLOWEST, FASTEST = 4.0, 8.0
AUDIO_HZ = 20.0
DELAY_S = 0.12


def find(of: Context) -> Iterator[Finding]:
    """Yield a note on each vibrato that a listener may find odd."""
    tempo = of.patch.performance.tempo
    lane = of.lane("pitch")
    for route in lane.lane.routes if lane else []:
        module = of.patch.modules_by_id.get(route.source)
        if module is None or module.kind != "lfo" or getattr(module, "shape", "") not in ("sine", "triangle"):
            continue
        rate = module.slot_value("rate", tempo)
        if rate >= AUDIO_HZ or not 0.03 <= abs(route.amount) <= 1.5 or rate < 1.0:
            continue
        waits = module.slot_value("delay_s", tempo) + 0.5 * module.slot_value("fade_in_s", tempo)
        if not SLOWEST <= rate <= FASTEST:
            wanted = SLOWEST if rate < SLOWEST else FASTEST
            patch = edited(of.patch, modules={module.id: {"rate": wanted}})
            yield _said(
                of,
                route.id,
                f"{module.id} is a vibrato of {rate:.3g} Hz; the usual ones lie between 4 and 8 Hz.",
                "Slower it is heard as pitch going up and down, faster as roughness.",
                Mend(f"{wanted:g} Hz", patch),
            )
        if waits < DELAY_S and of.off_s - of.on_s > 0.5:
            patch = edited(of.patch, modules={module.id: {"delay_s": 0.2, "fade_in_s": 0.4}})
            yield _said(
                of,
                route.id,
                f"{module.id} is heard {time_text(waits)} after the onset.",
                "A vibrato that comes in late leaves the onset in tune.",
                Mend("let it fade in", patch),
            )


def _said(of: Context, route: str, sentence: str, why: str, mend: Mend) -> Finding:
    return Finding("vibrato", "note", sentence, why, f"route.{route}", of.on_s, of.off_s, mend)
