"""A pulse near its collapse: under 4 % of the cycle little but its highest harmonics is left, and at the end silence."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.destinations import PULSE_WIDTHS
from jorvik.core.dsp.wavetables import PULSED
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.measure.pulse import kept_clear

NEAR = 0.04
CLEAR = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each pulse width that comes near an end."""
    oscillators = context.patch.voice.oscillators
    for oscillator, name in PULSE_WIDTHS.items():
        table = getattr(oscillators, oscillator).table
        lane = context.lane(name)
        if lane is None or table not in PULSED:
            continue
        margin = np.minimum(lane.raw, 1.0 - lane.raw)
        nearest = float(margin.min())
        if nearest >= NEAR:
            continue
        at = int(margin.argmin())
        yield Finding(
            rule="thin_pulse",
            severity="caution",
            sentence=f"{lane.lane.destination.title} comes within {max(nearest, 0.0) * 100:.1f} % of collapse.",
            why="The tone thins to its highest harmonics and drops out; a depth that stays clear keeps it whole.",
            about=name,
            from_s=max(0.0, at / context.rate - 0.01),
            to_s=at / context.rate + 0.01,
            fix=_fix(context, name),
        )


def _fix(context: Context, name: str) -> Fix | None:
    """Shrink what adds so that the nearest moment stays clear."""
    found = kept_clear(context, name, CLEAR)
    if found is None:
        return None
    factor, patch = found
    return Fix(f"depth x {factor:.2g}, which keeps {CLEAR * 100:g} % clear", patch)
