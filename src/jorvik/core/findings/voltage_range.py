"""A signal beyond what a control-voltage file or input takes: over 10 V where 1.0 is 5 V."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.values import VOLTS_PER_UNIT

MOST = 2.0
_PAST_ALL = 1e300


def find(context: Context) -> Iterator[Finding]:
    """Yield a note on each signal that goes beyond 2.0."""
    for name, values in context.trace.signals.items():
        most = float(np.abs(values).max(initial=0.0))
        volts = min(VOLTS_PER_UNIT * most, _PAST_ALL)
        if most > MOST:
            yield Finding(
                rule="voltage_range",
                severity="note",
                sentence=f"{name} reaches {most:.3g}, which is {volts:.3g} V: beyond the ±10 V of a control-voltage file.",
                why="Exported as 16 or 24 bit it would be refused; most inputs take ±5 or ±10 V.",
                about=f"signal.{name}",
                from_s=context.on_s,
                to_s=context.end_s,
                fix=_fix(context, name, most),
            )


def _fix(context: Context, name: str, most: float) -> Fix | None:
    """Turn down what has a gain of its own."""
    gain = getattr(context.patch.modules_by_id[name], "gain", None)
    if gain is None:
        return None
    fits = float(f"{gain * MOST / most * 0.999:.3g}")
    return Fix(f"gain {fits:g}", edited(context.patch, modules={name: {"gain": fits}}))
