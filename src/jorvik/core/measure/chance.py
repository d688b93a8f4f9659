"""What chance can do to a lane: how far it reaches, and how much of it falls silent."""

from functools import reduce
from typing import Final

import numpy as np

from jorvik.core.document.patch import Patch, Route
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.limits import COARSE_RATE, MAX_DRAWN_TRACE_BYTES
from jorvik.core.measure.context import Context
from jorvik.core.modules.base import Reach

_SEEDS: Final = 8
_TAKES: Final = 400
_MOST_SEEDS: Final = 32
"""A share is counted over so many values taken, or as many as so many seeds give."""

_DEEPEST: Final = 8


def is_random(patch: Patch, name: str, depth: int = 0) -> bool:
    """Tell whether a signal is made of noise or chance, straight or through what processes it."""
    if name == "note_random":
        return True
    module = patch.modules_by_id.get(name)
    if module is None or depth > _DEEPEST:
        return False
    if module.is_random:
        return True
    inputs = [value for path, value in module.input_signals() if path == "input" or path.startswith("inputs")]
    return any(isinstance(value, str) and is_random(patch, value, depth + 1) for value in inputs)


def is_drawn(patch: Patch, name: str, depth: int = 0) -> bool:
    """Tell whether a signal is an envelope or a drawn curve, straight or through what keeps its single shape."""
    module = patch.modules_by_id.get(name)
    if module is None or depth > _DEEPEST:
        return module is None and name in ("velocity", "key", "note_random")
    if module.single_shape:
        return True
    inputs = [value for _, value in module.input_signals() if isinstance(value, str)]
    return module.keeps_shape and bool(inputs) and all(is_drawn(patch, value, depth + 1) for value in inputs)


def random_routes(patch: Patch) -> list[Route]:
    """Return the routes that are on and come from chance."""
    return [route for route in patch.live_routes if is_random(patch, route.source)]


def draws(context: Context, name: str) -> Floats:
    """Return what a lane comes to before its clamp over runs with other seeds, thinned to what was taken."""
    taken: list[Floats] = []
    for seed in range(_MOST_SEEDS):
        # The first are kept for what else asks for them.
        other = _at_seed(context, 1000 + seed) if seed < _SEEDS else _seeded(context, 1000 + seed)
        taken.append(_taken(other, name))
        if sum(values.size for values in taken) >= _TAKES:
            break
    return np.concatenate(taken)


def share_under(context: Context, name: str, end: float) -> tuple[float, str]:
    """Return the share of a lane's values that lie at an end or under it, and how it was found.

    Where one even source moves the lane alone, it is the part of the way that lies there, in octaves where the lane
    moves by these; else it is counted.
    """
    if _is_even_lane(context, name):
        at = context.trace.lanes[name].lane.destination
        low, high = reach_by_chance(context, name)
        if at.steps_per_octave:
            low, high, end = np.log2(low), np.log2(high), np.log2(end)
        share = float(np.clip((end - low) / (high - low), 0.0, 1.0)) if high > low else float(low <= end)
        return share, "each value from the least to the greatest is as likely as any other"
    values = draws(context, name)
    return float((values <= end).mean()), f"counted over {values.size} values drawn"


def _is_even_lane(context: Context, name: str) -> bool:
    """Tell whether a lane is a plain sum of one even source and of what stands still."""
    lane = context.trace.lanes[name]
    moved = [route for route in lane.lane.routes if is_random(context.patch, route.source)]
    plain = all(
        route.adds
        and route.via is None
        and route.bend == 0.0
        and route.resolution == "smooth"
        and f"route:{route.id}.amount" not in context.trace.lanes
        for route in lane.lane.routes
    )
    still = all(np.ptp(context.held(lane.contributions[r.id])) < 1e-9 for r in lane.lane.routes if r not in moved)
    one = len({route.source for route in moved}) == 1
    return plain and still and one and _is_even(context, moved[0].source)


def _is_even(context: Context, name: str, depth: int = 0) -> bool:
    """Tell whether every value that a signal can come to is as likely as any other."""
    module = context.patch.modules_by_id.get(name)
    if module is None or depth > _DEEPEST:
        return name == "note_random"
    given = getattr(module, "input", None)
    if module.is_random:
        return module.is_even([])
    if not isinstance(given, str) or not _is_even(context, given, depth + 1):
        return False
    return module.is_even([reach(context, given)])


def _at_seed(context: Context, seed: int) -> Trace:
    return context.once(f"seed {seed}", lambda: _seeded(context, seed))


def _seeded(context: Context, seed: int) -> Trace:
    document = context.patch.document()
    document["performance"] = {**document.get("performance", {}), "seed": seed}
    patch = context.patch.with_document(document)
    return trace(patch, COARSE_RATE, context.voice, cancelled=context.cancelled, most_bytes=MAX_DRAWN_TRACE_BYTES)


def _taken(other: Trace, name: str) -> Floats:
    raw = other.held(other.lanes[name].raw)
    change = np.flatnonzero(np.abs(np.diff(raw)) > 1e-9)
    return raw[np.concatenate([[0], change + 1])] if change.size < raw.size // 4 else raw[:: max(1, raw.size // 60)]


def reach_of_lane(context: Context, name: str) -> Reach:
    """Return the least and greatest value, before the clamp, that a lane can come to.

    Every source ranges by itself over what its kind and polarity allow, one source once, however many routes it takes.
    What the hand sets (velocity, key, controls) counts as it is in this note. What the lane came to in this note is
    always within. Where routes scale or set the lane, that and what other seeds draw is all that is known.
    """
    lane = context.trace.lanes[name]
    least, greatest = float(lane.raw.min()), float(lane.raw.max())
    if all(route.adds for route in lane.lane.routes):
        at, base = lane.lane.destination, float(lane.base[0])
        low, high = _sum([_of_source(context, name, source) for source in {r.source for r in lane.lane.routes}])
        found = at.moved(base, low), at.moved(base, high)
    else:
        values = draws(context, name)
        found = float(values.min()), float(values.max())
    return min(least, *found), max(greatest, *found)


def _of_source(context: Context, name: str, source: str) -> Reach:
    """Return the least and greatest sum of the routes from one source to a lane."""
    lanes = context.trace.lanes
    plain: list[Route] = []
    moved: list[Reach] = []
    for route in lanes[name].lane.routes:
        if route.source != source:
            continue
        amount = f"route:{route.id}.amount"
        if route.via is None and amount not in lanes:
            plain.append(route)
            continue
        ends = [_sent(route, end) / route.amount if route.amount else 0.0 for end in reach(context, source)]
        goes = _product((min(ends), max(ends)), _amount(context, route))
        moved.append(_product(goes, _scaled(context, route)))
    ends = [sum(_sent(route, end) for route in plain) for end in reach(context, source)]
    return _sum([(min(ends), max(ends)), *moved])


def _amount(context: Context, route: Route) -> Reach:
    """Return the least and greatest amount of a route."""
    name = f"route:{route.id}.amount"
    return reach_of_lane(context, name) if name in context.trace.lanes else (route.amount, route.amount)


def _scaled(context: Context, route: Route) -> Reach:
    """Return the least and greatest factor by which a route is scaled."""
    if route.via is None:
        return 1.0, 1.0
    low, high = sorted(1.0 - route.via_depth + route.via_depth * end for end in reach(context, route.via))
    return low, high


def _sum(of: list[Reach]) -> Reach:
    return sum(low for low, _ in of), sum(high for _, high in of)


def _product(a: Reach, b: Reach) -> Reach:
    ends = [x * y for x in a for y in b]
    return min(ends), max(ends)


def reach_by_chance(context: Context, name: str) -> Reach:
    """Return the range of a lane by chance alone, before the clamp.

    What is not chance counts as it is in this note.
    """
    lane = context.trace.lanes[name]
    at = lane.lane.destination
    if any(not route.adds or route.via for route in lane.lane.routes):
        values = draws(context, name)
        return float(values.min()), float(values.max())
    low = high = 0.0
    by_source = {route.source: [r for r in lane.lane.routes if r.source == route.source] for route in lane.lane.routes}
    for source, routes in by_source.items():
        if is_random(context.patch, source):
            given = np.array([sum(_sent(route, end) for route in routes) for end in reach(context, source)])
        else:
            given = context.held(reduce(np.add, (lane.contributions[route.id] for route in routes)))
        low, high = low + float(given.min()), high + float(given.max())
    base = float(lane.base[0])
    return at.moved(base, low), at.moved(base, high)


def _sent(route: Route, value: float) -> float:
    """Return what a route adds for a value of its source, its bend left out where it is straight at both ends."""
    if route.polarity == "unipolar":
        value = 0.5 * (value + 1.0)
    elif route.polarity == "bipolar":
        value = 2.0 * value - 1.0
    return route.amount * value


def reach(context: Context, name: str, depth: int = 0) -> Reach:
    """Return the least and greatest value that a signal can come to, see :func:`reach_of_lane`."""
    module = context.patch.modules_by_id.get(name)
    if name == "note_random":
        return -1.0, 1.0
    if module is None or module.is_control or depth > _DEEPEST:
        return _seen(context, name)
    inside = [
        reach(context, value, depth + 1) if isinstance(value, str) else (float(value), float(value))
        for path, value in module.input_signals()
        if path == "input" or path.startswith("inputs")
    ]
    found = module.reach(inside)
    if found is not None:
        return found
    if not is_random(context.patch, name):
        return _seen(context, name)
    # As far as it goes over many draws.
    rows = [_at_seed(context, 1000 + seed).signals[name] for seed in range(_SEEDS)]
    return min(float(row.min()) for row in rows), max(float(row.max()) for row in rows)


def _seen(context: Context, name: str) -> Reach:
    held = context.held(context.row(name))
    return float(held.min()), float(held.max())
