"""How far an octave of key moves a destination, beside the depth of what else moves it."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from jorvik.core.document.patch import Patch, Route, edited
from jorvik.core.engine.trace import LaneTrace
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.core.units.words import in_words, rounded

GROUP = "Key follow"
OCTAVE = 12.0
_LEAST = 1e-9


def find(context: Context) -> Iterator[Figure]:
    """Yield what an octave of key moves, and of each other route how far it moves in octaves of key."""
    for name, lane in context.trace.lanes.items():
        follows = [route for route in context.routes_to(name) if route.adds and route.source == "key"]
        for route in follows:
            octave = _octave(context, name, route)
            unit = lane.lane.destination.amount_unit
            if octave is None:
                continue
            yield Figure(
                name,
                "an octave of key moves it",
                octave,
                unit,
                "From this key to the one an octave over it; type another, and the amount of key follow is set.",
                GROUP,
                with_value=partial(_followed, context, route, octave),
            )
            if abs(octave) > _LEAST:
                yield from _beside(context, name, lane, route, octave)


def _octave(context: Context, name: str, route: Route) -> float | None:
    """Return what the route adds an octave higher less what it adds here, or None where that cannot be played."""
    higher = context.note.key + OCTAVE
    if higher > 127.0:
        return None
    above = context.once("an octave higher", lambda: context.beside(context.patch.with_note(key=higher)))
    here, there = (t.lanes[name].contributions[route.id][t.run.note.on] for t in (context.trace, above))
    return float(there - here)


def _beside(context: Context, name: str, lane: LaneTrace, follow: Route, octave: float) -> Iterator[Figure]:
    for other in context.routes_to(name):
        if other.id == follow.id or not other.adds:
            continue
        depth = float(np.ptp(context.held(lane.contributions[other.id])))
        if depth <= _LEAST:
            continue
        unit = lane.lane.destination.amount_unit
        yield Figure(
            name,
            f"{other.source} moves as far in",
            depth / abs(octave),
            "octaves",
            f"The way of {other.source} while the note is held ({in_words(depth, unit)}), in octaves of key follow.",
            GROUP,
            words=f"{depth / abs(octave):.3g} octaves of key",
        )


def _followed(context: Context, route: Route, octave: float, wanted: float) -> Patch:
    if abs(octave) <= _LEAST or abs(route.amount) <= _LEAST:
        raise Problem(f"the amount of {route.id}", "0", "an amount to begin with")
    return edited(context.patch, routes={route.id: {"amount": rounded(route.amount * wanted / octave)}})
