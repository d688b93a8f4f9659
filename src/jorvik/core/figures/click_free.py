"""The shortest attack and release of an amplifier's envelope that do not click.

An edge clicks where the level goes a third of full scale within a millisecond, as the finding on clicks has it. A stage
of time T with bend k that moves the level by L goes L B(1 ms / T, |k|) in its steepest millisecond, the first where
k > 0 and the last where k < 0; solved for T.
"""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import done_after
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import CLICK_JUMP, CLICK_WITHIN_S
from jorvik.core.units.words import share_text, time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield the least attack and release of each envelope that moves the amplitude as it is."""
    lane = context.lane("amplitude")
    if lane is None:
        return
    note = context.trace.run.note
    held = context.held(lane.value)
    moved = {"attack": float(held.max()), "release": float(lane.value[max(note.off - 1, note.on)])}
    straight = {r.source for r in context.routes_to("amplitude") if r.mode != "range" and r.bend == 0.0}
    for module in context.having("is_staged"):
        if module.id not in straight:
            continue
        for stage, level in moved.items():
            least = shortest(level, context.setting(module, f"{stage}_bend"))
            yield Figure(
                f"signal.{module.id}",
                f"least {stage} without a click",
                least,
                "s",
                f"Shorter, the level goes {share_text(CLICK_JUMP)} of full scale within {time_text(CLICK_WITHIN_S)}.",
                words=time_text(least) if least > 0.0 else "none: too quiet to click",
            )


def shortest(level: float, bend: float) -> float:
    """Return the time of the shortest stage that moves the level so far with that bend and does not click.

    >>> round(shortest(1.0, 0.0), 6)
    0.002941
    """
    return CLICK_WITHIN_S / done_after(abs(bend), CLICK_JUMP / level) if level > CLICK_JUMP else 0.0
