"""Quantised notes that do not stay on their scale, because the amount is not an octave an octave.

A quantiser makes octaves: only an amount of 12 st, or a whole number of octaves, leaves its notes on the scale. Told
where a note lies more than 5 cents off (Moore, JASA 54, 1973).
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context

OCTAVE_ST = 12.0


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each quantiser whose notes come out between the keys."""
    for route in context.routes_to("pitch"):
        module = context.patch.modules_by_id.get(route.source)
        if module is None or not module.gives_octaves or not route.adds:
            continue
        given = context.held(context.trace.lanes["pitch"].contributions[route.id])
        meant = OCTAVE_ST * context.held(context.trace.signals[module.id])
        off = float(np.abs(given - np.round(given)).max())
        if off <= context.ear.pitch_st or float(np.abs(meant - np.round(meant)).max()) > context.ear.pitch_st:
            continue
        yield Finding(
            rule="off_scale",
            severity="caution",
            sentence=f"{module.id} puts notes up to {100.0 * off:.0f} cents between the keys: its amount is {route.amount:g} st.",
            why="A quantiser makes octaves, so that 12 st of it keep to the scale; to narrow it, narrow what goes in.",
            about=f"route.{route.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=Fix("amount 12 st", edited(context.patch, routes={route.id: {"amount": OCTAVE_ST}})),
        )
