"""Sidebands or images above half the sample rate.

FM of index I at f_m puts sidebands J_n(I) at f_c +- n f_m; sampling at fs' puts images at n fs' +- f. Told where a
sideband of more than a hundredth lies over 20 kHz, or where a sampled tone lies over half its sampling rate.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.closed_forms import sidebands
from jorvik.core.measure.context import Context
from jorvik.core.measure.modulation import strongest_index
from jorvik.core.units.noticed import HIGHEST_HZ
from jorvik.core.units.words import rate_text

LEAST = 0.01


def find(context: Context) -> Iterator[Finding]:
    """Yield a note on FM that reaches beyond hearing, and on tones sampled too slowly."""
    index, carrier, modulator = strongest_index(context)
    if index > 0.0:
        top = _top(carrier, modulator, index)
        if top > HIGHEST_HZ:
            yield Finding(
                rule="beyond_half_rate",
                severity="note",
                sentence=f"FM of index {index:.3g} puts sidebands up to {top / 1000:.3g} kHz, beyond what is heard.",
                why="They are kept out by running faster inside, and what is above 20 kHz is lost.",
                about="fm_index",
                from_s=context.on_s,
                to_s=context.off_s,
                fix=_lower_index(context, carrier, modulator, index),
            )
    for module in context.having("is_sampled"):
        source = context.patch.modules_by_id.get(str(module.input))
        swing, clock = context.measures.signals.get(str(module.input)), context.measures.signals.get(str(module.clock))
        if (
            source is None
            or not (source.is_tone or source.repeats)
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
            from_s=context.on_s,
            to_s=context.off_s,
            fix=_faster_clock(context, str(module.clock), tone),
        )


def _top(carrier: float, modulator: float, index: float) -> float:
    found = sidebands(carrier, modulator, index, most=64)
    return max((hz for _, hz, level in found if level > LEAST), default=0.0)


def _lower_index(context: Context, carrier: float, modulator: float, index: float) -> Fix | None:
    """Bring the set index, where nothing moves it, down to what stays within hearing."""
    if context.routes_to("fm_index"):
        return None
    fits = next(
        (i / 10.0 for i in range(int(10.0 * index), 0, -1) if _top(carrier, modulator, i / 10.0) <= HIGHEST_HZ), None
    )
    return Fix(f"FM index {fits:g}", edited(context.patch, base={"fm_index": fits})) if fits else None


def _faster_clock(context: Context, clock: str, tone: float) -> Fix | None:
    """Sample more than twice a cycle."""
    module = context.patch.modules_by_id.get(clock)
    if module is None or not module.rate_field or getattr(module, "tracks", "none") != "none":
        return None
    field = module.rate_field
    wanted = float(f"{2.1 * tone:.3g}")
    # A clock counts each of its pulses so many times, and lets one in so many through.
    own = wanted * getattr(module, "divide", 1) / getattr(module, "multiply", 1)
    at = context.patch.destination(f"{clock}.{field}")
    if at is None or own > at.high:
        return None
    base = context.set_to(module, field, own)
    return Fix(f"{clock} at {rate_text(base)}", edited(context.patch, modules={clock: {field: base}}))
