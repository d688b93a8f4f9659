"""The compiled loop that runs a program over one block.

What a module reads, what a lane makes of its routes, and a walk through the groups: that is the whole of it. The
choice among the kinds' steps is the only part that is written by a program (see :mod:`jorvik.core.engine.dispatch`).
"""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from jorvik.core.curve import bend_signed
from jorvik.core.engine.program import NOTHING, Code, Ints, Records
from jorvik.core.kernels import Floats, inline_kernel

_UNIPOLAR, _BIPOLAR = 1, 2
_ADD, _SCALE, _RANGE = range(3)
_LN2 = math.log(2.0)
Index = np.uint64
ONE, TWO = np.uint64(1), np.uint64(2)


@inline_kernel
def gather(
    reads: Records, reading: Index, moved: Records, moving: Index, rows: Floats, p: Floats, x: Floats, column: Index
) -> None:
    """Fetch what a module reads at a column: its inputs into ``x``, its moved parameters into ``p``."""
    for i in range(reading):
        x[reads[i].slot] = rows[reads[i].row, column - reads[i].late]
    for i in range(moving):
        p[moved[i].slot] = rows[moved[i].row, column]


@inline_kernel
def run_lane(lanes: Records, routes: Records, rows: Floats, number: Index, a: Index, b: Index) -> None:
    """Make the columns a..b of a lane: value = clamp((base + sum of adds, in its law) x product of scales).

    Route by route, each over the whole stretch: what does not change is fetched once, and the compiler can work on
    several samples at a time. While the routes are gone through, the row of the value holds the product, and the row
    of what is before the clamp the sum.
    """
    lane = lanes[number]
    product, total, base = rows[lane.row], rows[lane.row + ONE], rows[lane.row + TWO]
    for c in range(a, b):
        product[c] = 1.0
        total[c] = 0.0
        base[c] = lane.base
    for r in range(lane.first_route, lane.end_route):
        route = routes[r]
        given = rows[route.row]
        pull(route, rows, given, a, b)
        if route.mode == _RANGE:
            for c in range(a, b):
                base[c] = given[c] = range_base(route.low, route.high, lane.octave, given[c])
        else:
            scale(given, route, rows, a, b)
            if route.mode == _ADD:
                for c in range(a, b):
                    total[c] += given[c]
            else:
                for c in range(a, b):
                    product[c] *= given[c]
    if lane.base_row != NOTHING:
        played = rows[lane.base_row]
        for c in range(a, b):
            base[c] += played[c]
    finish(lane, product, total, base, a, b)


@inline_kernel
def run_lane_at(lanes: Records, routes: Records, rows: Floats, number: Index, c: Index) -> None:
    """Make one column of a lane, as :func:`run_lane` makes many: within a loop there is one sample at a time."""
    lane = lanes[number]
    product, total, base = 1.0, 0.0, lane.base
    for r in range(lane.first_route, lane.end_route):
        route = routes[r]
        given = polarised(route.polarity, rows[route.source, c - route.source_late])
        if route.bend != 0.0:
            given = bend_signed(given, route.bend)
        if route.via != NOTHING:
            given *= scaled_by(route.via_depth, rows[route.via, c - route.via_late])
        if route.mode == _RANGE:
            base = given = range_base(route.low, route.high, lane.octave, given)
        else:
            amount = route.amount if route.amount_row == NOTHING else rows[route.amount_row, c - route.amount_late]
            given = weighted(route.mode, amount, given)
            if route.mode == _ADD:
                total += given
            else:
                product *= given
        rows[route.row, c] = given
    if lane.base_row != NOTHING:
        base += rows[lane.base_row, c]
    value = joined(lane.octave, base, total) * product
    rows[lane.row, c], rows[lane.row + ONE, c], rows[lane.row + TWO, c] = clamp(value, lane.low, lane.high), value, base


@inline_kernel
def polarised(polarity: int, s: float) -> float:
    """Return a source as it is, from 0..1 or to -1..1."""
    if polarity == _UNIPOLAR:
        return 0.5 * (s + 1.0)
    return 2.0 * s - 1.0 if polarity == _BIPOLAR else s


@inline_kernel
def scaled_by(depth: float, via: float) -> float:
    """Return the factor that what a route is scaled by makes."""
    return 1.0 - depth + depth * via


@inline_kernel
def weighted(mode: int, amount: float, s: float) -> float:
    """Return what a route gives: amount x s to add, 1 - amount + amount x s to scale."""
    return amount * s if mode == _ADD else 1.0 - amount + amount * s


@inline_kernel
def joined(octave: float, base: float, total: float) -> float:
    """Return base and sum in the destination's law."""
    return base + total if octave == 0.0 else base * math.exp(total / octave * _LN2)


@inline_kernel
def clamp(value: float, low: float, high: float) -> float:
    """Return a value kept within the destination's range."""
    return min(max(value, low), high)


@inline_kernel
def pull(route: Any, rows: Floats, given: Floats, a: Index, b: Index) -> None:
    """Write the source of a route after polarity, bend and what it is scaled by."""
    source, late, polarity = rows[route.source], route.source_late, route.polarity
    for c in range(a, b):
        given[c] = polarised(polarity, source[c - late])
    if route.bend != 0.0:
        k = route.bend
        for c in range(a, b):
            given[c] = bend_signed(given[c], k)
    if route.via != NOTHING:
        via, via_late, depth = rows[route.via], route.via_late, route.via_depth
        for c in range(a, b):
            given[c] *= scaled_by(depth, via[c - via_late])


@inline_kernel
def scale(given: Floats, route: Any, rows: Floats, a: Index, b: Index) -> None:
    """Turn what a route pulls into what it gives."""
    mode = route.mode
    if route.amount_row != NOTHING:
        amounts, late = rows[route.amount_row], route.amount_late
        for c in range(a, b):
            given[c] = weighted(mode, amounts[c - late], given[c])
    else:
        amount = route.amount
        for c in range(a, b):
            given[c] = weighted(mode, amount, given[c])


@inline_kernel
def range_base(low: float, high: float, octave: float, s: float) -> float:
    """Return the base from low to high, straight in the destination's modulation unit."""
    return low * math.exp(s * math.log(high / low)) if octave > 0.0 else low + (high - low) * s


@inline_kernel
def finish(lane: Any, product: Floats, total: Floats, base: Floats, a: Index, b: Index) -> None:
    """Turn sum and product into the value before the clamp and the value."""
    octave, low, high = lane.octave, lane.low, lane.high
    for c in range(a, b):
        total[c] = joined(octave, base[c], total[c]) * product[c]
    for c in range(a, b):
        product[c] = clamp(total[c], low, high)


def groups_runner(run_module: Callable[..., None], run_module_at: Callable[..., None]) -> Callable[..., None]:
    """Return the compiled walk through a program's groups, with the choice among the kinds built in."""

    @inline_kernel
    def run_groups(
        code: Code,
        rows: Floats,
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
                            run_module_at(code, rows, column + n, p, s, d, x, events[n], first + np.int64(n), dt, node)
                        else:
                            run_lane_at(code.lanes, code.routes, rows, node - modules, column + n)
            else:
                node = code.nodes[begin]
                if node < modules:
                    run_module(code, rows, column, p, s, d, x, events, first, dt, node)
                else:
                    run_lane(code.lanes, code.routes, rows, node - modules, column, column + length)
            begin = end

    return run_groups
