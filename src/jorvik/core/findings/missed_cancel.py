"""An amount that is meant to take another away at full velocity, and misses.

Meant: a route moves another's amount the other way, from velocity or a macro, and at its end leaves less than a third
of it, or passes zero. Missed: what is left is over a hundredth.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import edited
from jorvik.core.findings.base import Finding, Mend
from jorvik.core.measure.context import Context

MEANT = 1.0 / 3.0
MISSED = 0.01


def find(of: Context) -> Iterator[Finding]:
    """Yield a finding for each amount that does not come to zero where its mover is full."""
    for route in of.patch.live_routes:
        movers = of.routes_to(f"route:{route.id}.amount")
        if len(movers) != 1 or route.amount == 0.0:
            continue
        mover = movers[0]
        module = of.patch.modules_by_id.get(mover.source)
        if mover.source != "velocity" and (module is None or not module.is_control):
            continue
        if mover.mode != "add" or mover.via or mover.polarity != "as_is" or mover.amount * route.amount >= 0.0:
            continue
        left = route.amount + mover.amount
        share = left / route.amount
        if not MISSED < abs(share) < MEANT:
            continue
        full = "at full velocity" if mover.source == "velocity" else f"with {mover.source} full"
        word = "passes zero by" if share < 0.0 else "leaves"
        yield Finding(
            rule="missed_cancel",
            severity="caution",
            sentence=f"{mover.source} {word} {abs(left):.3g} of {route.source}'s amount {full}.",
            why=f"What is meant to vanish does not; the amount that just cancels is {-route.amount:g}.",
            about=f"route.{mover.id}",
            from_s=of.on_s,
            to_s=of.off_s,
            mend=Mend(
                f"{mover.source} takes away exactly {-route.amount:g}",
                edited(of.patch, routes={mover.id: {"amount": -route.amount}}),
            ),
        )
