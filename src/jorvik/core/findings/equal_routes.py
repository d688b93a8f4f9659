"""Two routes that are equal in everything but their id.

What both do is heard as one route of twice the amount, which is seldom meant.
"""

from collections.abc import Iterator

from jorvik.core.document.patch import Route, edited
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding for each route that another one before it equals."""
    seen: dict[str, Route] = {}
    for route in context.patch.live_routes:
        first = seen.setdefault(_said(route), route)
        if first is route:
            continue
        at = context.patch.destination(route.destination)
        title = at.title.lower() if at else route.destination
        yield Finding(
            rule="equal_routes",
            severity="caution",
            sentence=f"Two routes from {route.source} to {title} are equal.",
            why="Together they move it twice as far as each says.",
            about=f"route.{route.id}",
            from_s=context.on_s,
            to_s=context.end_s,
            fix=Fix("remove the second one", edited(context.patch, without_routes=(route.id,))),
        )


def _said(route: Route) -> str:
    """Return everything that a route says but its id."""
    return route.model_copy(update={"id": "route"}).model_dump_json()
