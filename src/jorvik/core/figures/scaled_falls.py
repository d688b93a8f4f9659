"""What scaling a fall does to its times: alone, through what scales it, and by itself."""

from collections.abc import Iterator

from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.engine.trace import Trace
from jorvik.core.figures.base import Figure
from jorvik.core.figures.through import FALLS
from jorvik.core.measure.chance import is_drawn
from jorvik.core.measure.context import Context
from jorvik.core.measure.lane import fall


def find(context: Context) -> Iterator[Figure]:
    """Yield the fall times of each route that something drawn scales, in the ways that it can be scaled."""
    for route in context.patch.live_routes:
        if not route.adds or not route.via or route.via not in context.patch.modules_by_id:
            continue
        if not (is_drawn(context.patch, route.source) and is_drawn(context.patch, route.via)):
            continue
        present = _fall(context.trace, route)
        ways = {"alone": _fall(_as(context, route, None), route), "by itself": present}
        if route.via != route.source:
            by_itself = _fall(_as(context, route, route.source), route)
            ways = {"alone": ways["alone"], f"through {route.via}": present, "by itself": by_itself}
        for way, times in ways.items():
            if times is None or times[0] is None:
                continue
            yield Figure(
                f"route.{route.id}",
                way,
                times[0],
                "s",
                "When a half, a tenth and a hundredth of the fall are left, after the peak of what the route adds.",
                f"Falls to {', '.join(FALLS)}, scaled, or not",
                words=" · ".join("–" if time is None else f"{1000 * time:.3g}" for time in times) + " ms",
            )


def _as(context: Context, route: Route, via: str | None) -> Trace:
    """Trace the patch with the route scaled by something else, in full."""
    scaled: Patch = edited(context.patch, routes={route.id: {"via": via, "via_depth": 1.0}})
    return context.once(f"{route.id} via {via}", lambda: context.beside(scaled))


def _fall(of: Trace, route: Route) -> tuple[float | None, float | None, float | None] | None:
    moved = of.lanes[route.destination].contributions[route.id][of.run.note.on :]
    downward = moved if route.amount >= 0.0 else -moved
    return fall(downward, int(downward.argmax()), of.rate)
