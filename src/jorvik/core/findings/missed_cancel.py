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
        sources = context.routes_to(f"route:{route.id}.amount")
        if len(sources) != 1 or route.amount == 0.0:
            continue
        source = sources[0]
        module = context.patch.modules_by_id.get(source.source)
        if source.source != "velocity" and (module is None or not module.is_control):
            continue
        if source.mode != "add" or source.via or source.polarity != "as_is" or source.amount * route.amount >= 0.0:
            continue
        left = route.amount + source.amount
        share = left / route.amount
        if not MISSED < abs(share) < MEANT:
            continue
        full = "at full velocity" if source.source == "velocity" else f"with {source.source} full"
        word = "passes zero by" if share < 0.0 else "leaves"
        yield Finding(
            rule="missed_cancel",
            severity="caution",
            sentence=f"{source.source} {word} {abs(left):.3g} of {route.source}'s amount {full}.",
            why=f"What is meant to vanish does not; the amount that just cancels is {-route.amount:g}.",
            about=f"route.{source.id}",
            from_s=context.on_s,
            to_s=context.off_s,
            fix=Fix(
                f"{source.source} takes away exactly {-route.amount:g}",
                edited(context.patch, routes={source.id: {"amount": -route.amount}}),
            ),
        )
