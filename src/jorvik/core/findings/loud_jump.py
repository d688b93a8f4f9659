"""Resonance with drive, or resonance that sweeps over the harmonics, that makes a dangerous jump in level.

A resonance of Q lifts what it meets by 20 log10 Q: from 24 dB (Q 16) it can jump by as much in a moment when the cutoff
passes a strong harmonic.
"""

import math
from collections.abc import Iterator

from jorvik.core.document.destinations import FILTERS, VOICE
from jorvik.core.document.patch import edited
from jorvik.core.dsp.svf import quality, resonance_of
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import share_text

LIFT_DB = 24.0
SWEEP_ST = 3.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding where a high resonance meets drive or a moving cutoff."""
    for filter_name, peak_name in FILTERS.values():
        resonance = context.values(peak_name)
        lift = decibels(quality(float(resonance.max())))
        cutoff = context.values(filter_name)
        sweep = 12.0 * math.log2(float(cutoff.max()) / max(float(cutoff.min()), 1.0))
        driven = float(context.values("drive").max())
        if lift < LIFT_DB or (sweep < SWEEP_ST and driven < 6.0):
            continue
        fits = resonance_of(10.0 ** (LIFT_DB / 20.0)) - 0.02
        base = context.patch.base(VOICE[peak_name])
        fix = None
        if not context.routes_to(peak_name):
            fix = Fix(f"resonance {share_text(fits)}", edited(context.patch, base={peak_name: round(fits, 2)}))
        yield Finding(
            rule="loud_jump",
            severity="caution",
            sentence=f"Resonance lifts what the cutoff meets by {lift:.0f} dB while it moves over {sweep:.0f} st.",
            why="The level can jump by that much in a moment. Start low; headphones are the greater risk.",
            about=filter_name,
            from_s=context.on_s,
            to_s=context.off_s,
            fix=fix if base > fits else None,
        )
