"""An amount that is meant to take another away at full velocity, and misses.

Meant: a route moves another's amount the other way, from velocity or a macro, and at its end leaves less than a third
of it, or passes zero. Missed: what is left is over a hundredth.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context

MEANT = 1.0 / 3.0
MISSED = 0.01


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each amount that does not come to zero where its source is full."""
    for route in context.patch.live_routes:
        onto = context.routes_to(f"route:{route.id}.amount")
        if len(onto) != 1 or route.amount == 0.0:
            continue
        moving = onto[0]
        module = context.patch.modules_by_id.get(moving.source)
        if moving.source != "velocity" and (module is None or not module.is_control):
            continue
        if not moving.adds or moving.via or moving.polarity != "as_is" or moving.amount * route.amount >= 0.0:
            continue
        left = route.amount + moving.amount
        share = left / route.amount
        if not MISSED < abs(share) < MEANT:
            continue
        full = "at full velocity" if moving.source == "velocity" else f"with {moving.source} full"
        word = "passes zero by" if share < 0.0 else "leaves"
        yield Finding(
            rule="missed_cancel",
            severity="caution",
            sentence=f"{moving.source} {word} {abs(left):.3g} of {route.source}'s amount {full}.",
            why=f"What is meant to vanish does not; the amount that just cancels is {-route.amount:g}.",
            about=f"route.{moving.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=Fix(
                f"{moving.source} takes away exactly {-route.amount:g}",
                edited(context.patch, routes={moving.id: {"amount": -route.amount}}),
            ),
        )
