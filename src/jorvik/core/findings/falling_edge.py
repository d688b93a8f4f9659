"""A sample-and-hold that seems meant to read at the falling edge, while it reads at the rising one.

At every rising edge its input is the same, at the falling ones it is not: as with an envelope that starts from zero as
the gate rises, and has come somewhere when it falls. Told where the falling values lie more than a twentieth of the
input's range from the rising ones.
"""

from collections.abc import Iterator
from functools import partial

import numpy as np

from jorvik.core.document.patch import Patch, edited, fresh_id
from jorvik.core.findings.base import Finding, fix
from jorvik.core.measure.chance import is_random
from jorvik.core.measure.context import Context

ALIKE = 0.005
APART = 0.05


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each one whose values never differ, and would at the other edge."""
    for module in context.having("is_sampled"):
        if module.track or not isinstance(module.clock, str):
            continue
        given, high = context.row(module.input), context.row(module.clock) > module.threshold
        turns = np.diff(high.astype(np.int8))
        rising, falling = np.flatnonzero(turns == 1) + 1, np.flatnonzero(turns == -1) + 1
        if high[0]:
            rising = np.concatenate([[0], rising])
        span = float(np.ptp(given))
        if rising.size == 0 or falling.size == 0 or span <= 1e-9:
            continue
        if rising.size == 1 and _differs_by_note(context, str(module.input)):
            continue
        at_rise, at_fall = given[rising], given[falling]
        apart = float(np.abs(at_fall - at_rise[0]).max())
        if float(np.ptp(at_rise)) > ALIKE * span or apart < APART * span:
            continue
        yield Finding(
            rule="falling_edge",
            severity="caution",
            sentence=f"{module.id} always takes {at_rise[0]:.3g}; at the falling edge of {module.clock} it would take {at_fall[0]:.3g}.",
            why="It takes a value at a rising edge only. If the end was meant, give it the clock turned over.",
            about=f"signal.{module.id}",
            from_s=float(falling[0]) / context.rate,
            to_s=float(falling[0]) / context.rate + 0.01,
            fix=fix(f"{module.clock} turned over", partial(_turned_over, context.patch, module.id, module.clock)),
        )


def _differs_by_note(context: Context, source: str) -> bool:
    """Return True for a source that differs from note to note."""
    module = context.patch.modules_by_id.get(source)
    return is_random(context.patch, source) or (module is not None and module.runs_free)


def _turned_over(patch: Patch, name: str, clock: str) -> Patch:
    """Return the patch with a shape that turns the clock over in front of the sample-and-hold."""
    turned = fresh_id(f"{clock} over", patch.signal_names)
    over = {"id": turned, "kind": "shape", "input": clock, "gain": -1.0, "offset": 1.0}
    return edited(patch, modules={name: {"clock": turned}}, more_modules=(over,))
