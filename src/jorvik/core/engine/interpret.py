"""The compiled loop that runs a program over one block.

What a module reads, what a lane makes of its routes, and a walk through the groups: that is the whole of it. The
choice among the kinds' steps is the only part that is written by a program (see :mod:`jorvik.core.engine.dispatch`).
"""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from jorvik.core.dsp.bend import bend_signed
from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely
from jorvik.core.engine.program import NOTHING, Code, Ints, Records

_UNIPOLAR, _BIPOLAR = 1, 2
_ADD, _SCALE, _RANGE, _ADD_HZ = range(4)
_LN2 = math.log(2.0)
Index = np.uint64
ONE = np.uint64(1)


@inline_kernel
def gather(reads: Records, reading: Index, moved: Index, flat: Floats, p: Floats, x: Floats, column: Index) -> None:
    """Fetch what a module reads at a column: its inputs into ``x``, its moved parameters into ``p``.

    Both lists are short, and end with NOTHING: a count would lead the compiler to unroll loops that run once.
    """
    while reads[reading].slot != NOTHING:
        x[reads[reading].slot] = flat[reads[reading].at + column]
        reading += ONE
    while reads[moved].slot != NOTHING:
        p[reads[moved].slot] = flat[reads[moved].at + column]
        moved += ONE


@inline_kernel
def run_lane(
    lanes: Records, routes: Records, flat: Floats, number: Index, column: Index, length: Index, first: Any
) -> None:
    """Make a stretch of a lane: value = clamp(((base + sum of adds, in its law) + hertz) x product of scales).

    Route by route, each over the whole stretch: what does not change is fetched once, and the compiler can work on
    several samples at a time. While the routes are gone through, the row of the value holds the product, and the row
    of what is before the clamp the sum.
    """
    lane = lanes[number]
    product = stretch(flat, lane.at + column, length)
    total = stretch(flat, lane.raw_at + column, length)
    base = stretch(flat, lane.base_at + column, length)
    for c in range(length):
        product[c] = 1.0
        total[c] = 0.0
        base[c] = lane.base
    for r in range(lane.first_route, lane.end_route):
        route = routes[r]
        given = stretch(flat, route.at + column, length)
        weigh_source(route, flat, given, column, length)
        if route.levels != 0.0 or route.held_at != NOTHING:
            for c in range(length):
                given[c] = stepped(route, flat, given[c], column + c, first + np.int64(c))
        if route.mode == _RANGE:
            for c in range(length):
                base[c] = given[c] = range_base(route.low, route.high, lane.octave, given[c])
        else:
            scale(given, route, flat, column, length)
            if route.mode == _ADD:
                for c in range(length):
                    total[c] += given[c]
            elif route.mode == _SCALE:
                for c in range(length):
                    product[c] *= given[c]
    if lane.played_at != NOTHING:
        played = stretch(flat, lane.played_at + column, length)
        for c in range(length):
            base[c] += played[c]
    join(lane, total, base, length)
    for r in range(lane.first_route, lane.end_route):
        if unlikely(routes[r].mode == _ADD_HZ):
            given = stretch(flat, routes[r].at + column, length)
            for c in range(length):
                total[c] += given[c]
    finish(lane, product, total, length)


@inline_kernel
def stretch(flat: Floats, at: Index, length: Index) -> Floats:
    """Return a stretch of the table."""
    return flat[np.int64(at) : np.int64(at + length)]


@inline_kernel
def run_lane_at(lanes: Records, routes: Records, flat: Floats, number: Index, c: Index, n: Any) -> None:
    """Make one column of a lane, as :func:`run_lane` makes many: within a loop there is one sample at a time."""
    lane = lanes[number]
    product, total, hertz, base = 1.0, 0.0, 0.0, lane.base
    for r in range(lane.first_route, lane.end_route):
        route = routes[r]
        given = flat[route.source_at + c]
        if unlikely(route.polarity != 0):
            given = polarised(route.polarity, given)
        if unlikely(route.bend != 0.0):
            given = bend_signed(given, route.bend)
        if route.via_at != NOTHING:
            given *= scaled_by(route.via_depth, flat[route.via_at + c])
        if unlikely(route.levels != 0.0 or route.held_at != NOTHING):
            given = stepped(route, flat, given, c, n)
        if unlikely(route.mode == _RANGE):
            base = given = range_base(route.low, route.high, lane.octave, given)
        else:
            amount = route.amount if route.amount_at == NOTHING else flat[route.amount_at + c]
            given = weighted(route.mode, amount, given)
            if route.mode == _ADD:
                total += given
            elif route.mode == _SCALE:
                product *= given
            else:
                hertz += given
        flat[route.at + c] = given
    if lane.played_at != NOTHING:
        base += flat[lane.played_at + c]
    value = (joined(lane.octave, base, total) + hertz) * product
    flat[lane.at + c] = clamp(value, lane.low, lane.high)
    flat[lane.raw_at + c] = value
    flat[lane.base_at + c] = base


@inline_kernel
def polarised(polarity: int, s: float) -> float:
    """Return a source as it is, from 0..1 or to -1..1."""
    if polarity == _UNIPOLAR:
        return 0.5 * (s + 1.0)
    return 2.0 * s - 1.0 if polarity == _BIPOLAR else s


@inline_kernel
def stepped(route: Any, flat: Floats, given: float, column: Index, n: Any) -> float:
    """Return what a coarse controller or a slow control rate makes of a source at sample ``n`` of the run."""
    if route.levels != 0.0:
        given = math.floor(given * route.levels + 0.5) / route.levels
    if route.held_at != NOTHING:
        if n % np.int64(route.every) != 0:
            given = flat[route.held_at + column - ONE]
        flat[route.held_at + column] = given
    return given


@inline_kernel
def scaled_by(depth: float, via: float) -> float:
    """Return the factor that what a route is scaled by makes."""
    return 1.0 - depth + depth * via


@inline_kernel
def weighted(mode: int, amount: float, s: float) -> float:
    """Return what a route gives: amount x s to add, 1 - amount + amount x s to scale."""
    return 1.0 - amount + amount * s if mode == _SCALE else amount * s


@inline_kernel
def joined(octave: float, base: float, total: float) -> float:
    """Return base and sum in the destination's law."""
    if unlikely(octave != 0.0):
        return base * math.exp(total / octave * _LN2)
    return base + total


@inline_kernel
def clamp(value: float, low: float, high: float) -> float:
    """Return a value kept within the destination's range; what is no number, at its low end.

    A parameter that a step turns into an index is then always one that it may have.
    """
    if not value > low:
        return low
    return high if value > high else value


@inline_kernel
def weigh_source(route: Any, flat: Floats, given: Floats, column: Index, length: Index) -> None:
    """Write the source of a route after polarity, bend and what it is scaled by."""
    source, polarity = stretch(flat, route.source_at + column, length), route.polarity
    for c in range(length):
        given[c] = polarised(polarity, source[c])
    if route.bend != 0.0:
        k = route.bend
        for c in range(length):
            given[c] = bend_signed(given[c], k)
    if route.via_at != NOTHING:
        via, depth = stretch(flat, route.via_at + column, length), route.via_depth
        for c in range(length):
            given[c] *= scaled_by(depth, via[c])


@inline_kernel
def scale(given: Floats, route: Any, flat: Floats, column: Index, length: Index) -> None:
    """Turn what a route sends into what it gives."""
    mode = route.mode
    if route.amount_at != NOTHING:
        amounts = stretch(flat, route.amount_at + column, length)
        for c in range(length):
            given[c] = weighted(mode, amounts[c], given[c])
    else:
        amount = route.amount
        for c in range(length):
            given[c] = weighted(mode, amount, given[c])


@inline_kernel
def range_base(low: float, high: float, octave: float, s: float) -> float:
    """Return the base from low to high, straight in the destination's modulation unit."""
    return low * math.exp(s * math.log(high / low)) if octave > 0.0 else low + (high - low) * s


@inline_kernel
def join(lane: Any, total: Floats, base: Floats, length: Index) -> None:
    """Turn base and sum into the value before it is scaled."""
    octave = lane.octave
    for c in range(length):
        total[c] = joined(octave, base[c], total[c])


@inline_kernel
def finish(lane: Any, product: Floats, total: Floats, length: Index) -> None:
    """Turn what was added up and the product into the value before the clamp and the value."""
    low, high = lane.low, lane.high
    for c in range(length):
        total[c] *= product[c]
    for c in range(length):
        product[c] = clamp(total[c], low, high)


def groups_runner(run_module: Callable[..., None], run_module_at: Callable[..., None]) -> Callable[..., None]:
    """Return the compiled walk through a program's groups, with the choice among the kinds built in."""

    @inline_kernel
    def run_groups(
        code: Code,
        flat: Floats,
        column: Index,
        p: Floats,
        s: Floats,
        d: Floats,
        x: Floats,
        events: Ints,
        first: int,
        dt: float,
    ) -> None:
        """Run every group over a stretch that begins at a column, with sample number ``first`` of the run."""
        modules = np.uint64(code.modules.size)
        length = np.uint64(events.size)
        begin = np.uint64(0)
        for group in range(np.uint64(code.groups.size)):
            end = code.groups[group].end
            if code.groups[group].is_loop:
                for n in range(length):
                    for i in range(begin, end):
                        node = code.nodes[i]
                        if node < modules:
                            run_module_at(code, flat, column + n, p, s, d, x, events[n], first + np.int64(n), dt, node)
                        else:
                            run_lane_at(code.lanes, code.routes, flat, node - modules, column + n, first + np.int64(n))
            else:
                node = code.nodes[begin]
                if node < modules:
                    run_module(code, flat, column, p, s, d, x, events, first, dt, node)
                else:
                    run_lane(code.lanes, code.routes, flat, node - modules, column, length, first)
            begin = end

    return run_groups
