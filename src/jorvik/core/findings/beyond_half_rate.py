"""Sidebands or images above half the sample rate.

FM of index I at f_m puts sidebands J_n(I) at f_c +- n f_m; sampling at fs' puts images at n fs' +- f. Told where a
sideband of more than a hundredth lies over 20 kHz, or where a sampled tone lies over half its sampling rate.
"""

from collections.abc import Iterator

from jorvik.core.destinations import VOICE
from jorvik.core.findings.base import Context, Finding
from jorvik.core.measure.closed_forms import sidebands
from jorvik.core.pitch import key_hz

LEAST = 0.01
HEARD_HZ = 20_000.0


def find(of: Context) -> Iterator[Finding]:
    """Yield a note on FM that reaches beyond hearing, and on tones sampled too slowly."""
    key = of.patch.performance.notes[0].key
    index = (
        float(of.trace.lanes["fm_index"].value.max())
        if "fm_index" in of.trace.lanes
        else of.patch.base(VOICE["fm_index"])
    )
    if index > 0.0:
        ratio = of.patch.base(VOICE["fm_ratio"])
        carrier = key_hz(key)
        top = max(hz for _, hz, level in sidebands(carrier, carrier * ratio, index, most=64) if level > LEAST)
        if top > HEARD_HZ:
            yield Finding(
                rule="beyond_half_rate",
                severity="note",
                sentence=f"FM of index {index:.3g} puts sidebands up to {top / 1000:.3g} kHz, beyond what is heard.",
                why="They are kept out by running faster inside, and what is above 20 kHz is lost.",
                about="fm_index",
                from_s=of.on_s,
                to_s=of.off_s,
            )
    for module in of.modules("sample_hold"):
        source = of.patch.modules_by_id.get(str(module.input))
        swing, clock = of.measures.signals.get(str(module.input)), of.measures.signals.get(str(module.clock))
        if (
            source is None
            or source.kind not in ("oscillator", "lfo")
            or not (swing and swing.periodic and clock and clock.periodic)
        ):
            continue
        tone, rate = swing.periodic.rate_hz, clock.periodic.rate_hz
        if tone <= rate / 2.0 or rate < 20.0:
            continue
        image = abs(tone - rate * round(tone / rate))
        yield Finding(
            rule="beyond_half_rate",
            severity="note",
            sentence=f"{module.id} samples {tone:.4g} Hz at {rate:.4g} Hz: its nearest image sounds at {image:.4g} Hz.",
            why="Images lie at n times the sampling rate, plus and minus the tone; under half the rate there is none in its way.",
            about=f"signal.{module.id}",
            from_s=of.on_s,
            to_s=of.off_s,
        )
