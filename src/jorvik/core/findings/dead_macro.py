"""A macro whose first or last part does nothing, because what it moves stands at its clamp there.

A part is a fifth of its way; nothing is less than a thousandth of the way that the lane goes over the whole of it.
"""

from collections.abc import Iterator

import numpy as np

from jorvik.core.engine.run import trace
from jorvik.core.findings.base import Context, Finding, edited
from jorvik.core.measure.patch import in_modulation_unit
from jorvik.core.patch import Patch

PART = 0.2
NOTHING = 1e-3
_RATE = 4000


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each macro and destination with a dead end."""
    for module in of.modules("macro"):
        routes = of.routes_from(module.id)
        if not routes or f"macro:{module.id}" in of.patch.performance.controls:
            continue
        values = np.linspace(0.0, 1.0, 6)
        traces = [trace(_set(of.patch, module.id, float(value)), _RATE, cancelled=of.cancelled) for value in values]
        for name in dict.fromkeys(route.destination for route in routes):
            lanes = np.array([in_modulation_unit(t.lanes[name]) for t in traces if name in t.lanes])
            moved = np.abs(np.diff(lanes, axis=0)).max(axis=1)
            whole = float(np.abs(lanes[-1] - lanes[0]).max())
            if whole <= 1e-9:
                continue
            for dead, where in ((moved[0] < NOTHING * whole, "first"), (moved[-1] < NOTHING * whole, "last")):
                if dead and name in of.trace.lanes:
                    title = of.trace.lanes[name].lane.destination.title.lower()
                    yield Finding(
                        rule="dead_macro",
                        severity="caution",
                        sentence=f"The {where} fifth of {module.name or module.id} does nothing on {title}.",
                        why=f"There {title} stands at the end of its range whatever the macro does.",
                        about=f"signal.{module.id}",
                        from_s=of.on_s,
                        to_s=of.off_s,
                        which=f"{where}, {title}",
                    )


def _set(patch: Patch, macro: str, value: float) -> Patch:
    return edited(patch, modules={macro: {"value": value}})
