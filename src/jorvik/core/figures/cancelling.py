"""The amount that just cancels another: what moves it is full at 1, so that exactly the amount itself is needed."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context


def find(context: Context) -> Iterator[Figure]:
    """Yield for each route that lowers an amount what would just take it away, and what is left now."""
    for route in context.patch.live_routes:
        onto = context.routes_to(f"route:{route.id}.amount")
        for source in onto:
            if not source.adds or source.via or source.polarity != "as_is" or source.amount * route.amount >= 0.0:
                continue
            at = context.patch.destination(route.destination)
            unit = at.amount_unit if at else ""
            full = "at full velocity" if source.source == "velocity" else f"with {source.source} full"
            alike = [other for other in onto if other.source == source.source and other.adds and not other.via]
            left = route.amount + sum(other.amount for other in alike)
            yield Figure(
                f"route.{source.id}",
                "cancels at exactly",
                source.amount - left,
                unit,
                f"The amount that leaves nothing of {route.source}'s own {full}.",
            )
            yield Figure(
                f"route.{source.id}",
                f"left {full}",
                left,
                unit,
                "The amount that it moves, and all that moves it from there, added.",
            )
