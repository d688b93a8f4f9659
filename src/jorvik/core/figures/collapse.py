"""How near a pulse comes to collapse: at a width of 0 or 1 nothing of it is left; and the depth that keeps clear."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from jorvik.core.document.destinations import PULSE_WIDTHS
from jorvik.core.document.patch import Patch
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.measure.pulse import kept_clear
from jorvik.core.problems import Problem


def find(context: Context) -> Iterator[Figure]:
    """Yield the least and greatest width, and how far the nearer stays from the end."""
    for name in PULSE_WIDTHS.values():
        lane = context.lane(name)
        if lane is None:
            continue
        raw = lane.raw
        clear = float(np.minimum(raw, 1.0 - raw).min())
        yield Figure(name, "least width", float(raw.min()), "ratio", "Before the clamp at 1 %.")
        yield Figure(name, "greatest width", float(raw.max()), "ratio", "Before the clamp at 99 %.")
        yield Figure(
            name,
            "clear of collapse by",
            clear,
            "ratio",
            "The least distance from a width of 0 or 100 % of the cycle, where the pulse is gone; type another, and "
            "the depths that keep it are set.",
            words="" if clear > 0.0 else "it collapses",
            with_value=partial(_kept, context, name),
        )


def _kept(context: Context, name: str, clear: float) -> Patch:
    if not 0.0 <= clear < 0.5:
        raise Problem("how far it stays clear", f"{clear:g}", "0 to 50 % of the cycle")
    found = kept_clear(context, name, clear)
    if found is None:
        title = context.trace.lanes[name].lane.destination.title.lower()
        raise Problem(f"the depth on {title}", "nothing that keeps clear", "a set value nearer to 50 %")
    return found[1]
