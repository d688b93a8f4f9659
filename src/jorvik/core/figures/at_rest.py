"""Stretches of the held note in which nothing moves: every lane stays within a thousandth of its range for 50 ms."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text

MOST = 4


def find(context: Context) -> Iterator[Figure]:
    """Yield how long nothing moves, and when."""
    stretches = context.measures.still
    if not stretches or not any(context.lane(name) for name in context.measures.lanes):
        return
    when = ", ".join(f"{_from(a - context.on_s)} to {time_text(b - context.on_s)}" for a, b in stretches[:MOST])
    more = f" and {len(stretches) - MOST} more" if len(stretches) > MOST else ""
    yield Figure(
        about="",
        name="nothing moves",
        value=sum(b - a for a, b in stretches),
        unit="s",
        words=f"{when}{more}",
        help="Stretches of the held note, from note-on, in which every lane stays within a thousandth of its range.",
    )


def _from(seconds: float) -> str:
    return time_text(seconds) if seconds > 0.0 else "0"
