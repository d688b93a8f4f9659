"""An amount that is meant to take another away at full velocity, and misses.

Meant: a route moves another's amount the other way, from velocity or a macro, and at its end leaves less than a third
of it. All routes from one source count together. Missed: what they leave is over a hundredth.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import Route, edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words

MEANT = 1.0 / 3.0
MISSED = 0.01


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each amount that does not come to zero where its source is full."""
    for route in context.patch.live_routes:
        if route.amount == 0.0:
            continue
        onto = context.routes_to(f"route:{route.id}.amount")
        for source in dict.fromkeys(moving.source for moving in onto):
            yield from _missed(context, route, source, [moving for moving in onto if moving.source == source])


def _missed(context: Context, route: Route, source: str, moving: list[Route]) -> Iterator[Finding]:
    module = context.patch.modules_by_id.get(source)
    if source != "velocity" and (module is None or not module.is_control):
        return
    if any(not one.adds or one.via or one.polarity != "as_is" for one in moving):
        return
    left = route.amount + sum(one.amount for one in moving)
    share = left / route.amount
    is_meant = any(abs(1.0 + one.amount / route.amount) < MEANT for one in moving) or abs(share) < MEANT
    if not is_meant or abs(share) <= MISSED:
        return
    full = "at full velocity" if source == "velocity" else f"with {source} full"
    word = "passes zero by" if share < 0.0 else "leaves"
    kept, *others = moving
    unit = context.trace.lanes[f"route:{route.id}.amount"].lane.destination.unit
    cancels = in_words(-route.amount, unit)
    yield Finding(
        rule="missed_cancel",
        severity="caution",
        sentence=f"{source} {word} {in_words(float(f'{abs(left):.3g}'), unit)} of {route.source}'s amount {full}.",
        why=f"What is meant to vanish does not; the amount that just cancels is {cancels}.",
        about=f"route.{moving[-1].id}",
        from_s=context.on_s,
        to_s=context.off_s,
        fix=Fix(
            f"{source} takes away exactly {cancels}{', by one route' if others else ''}",
            edited(
                context.patch,
                routes={kept.id: {"amount": -route.amount}},
                without_routes=tuple(one.id for one in others),
            ),
        ),
    )
