"""The compiled loop that runs a program over one block.

What a module reads, what a lane makes of its routes, and a walk through the groups: that is the whole of it. The
choice among the kinds' steps is the only part that is written by a program (see :mod:`jorvik.core.engine.dispatch`).
"""

import math
from collections.abc import Callable
from typing import Any

from jorvik.core.curve import bend_signed
from jorvik.core.engine.program import Code, Ints, Records
from jorvik.core.kernels import Floats, inline_kernel

_UNIPOLAR, _BIPOLAR = 1, 2
_ADD, _SCALE, _RANGE = range(3)
_LN2 = math.log(2.0)


@inline_kernel
def gather(
    reads: Records, reading: int, moved: Records, moving: int, rows: Floats, p: Floats, x: Floats, column: int
) -> None:
    """Fetch what a module reads at a column: its inputs into ``x``, its moved parameters into ``p``."""
    for i in range(reading):
        x[reads[i].slot] = rows[reads[i].row, column - reads[i].late]
    for i in range(moving):
        p[moved[i].slot] = rows[moved[i].row, column]


@inline_kernel
def run_lane(lanes: Records, routes: Records, rows: Floats, number: int, a: int, b: int) -> None:
    """Make the columns a..b of a lane: value = clamp((base + sum of adds, in its law) x product of scales).

    Route by route, each over the whole stretch: what does not change is fetched once, and the compiler can work on
    several samples at a time. While the routes are gone through, the row of the value holds the product, and the row
    of what is before the clamp the sum.
    """
    lane = lanes[number]
    product, total, base = rows[lane.row], rows[lane.row + 1], rows[lane.row + 2]
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
    if lane.base_row >= 0:
        played = rows[lane.base_row]
        for c in range(a, b):
            base[c] += played[c]
    finish(lane, product, total, base, a, b)


@inline_kernel
def pull(route: Any, rows: Floats, given: Floats, a: int, b: int) -> None:
    """Write the source of a route after polarity, bend and what it is scaled by."""
    source, late = rows[route.source], route.source_late
    if route.polarity == _UNIPOLAR:
        for c in range(a, b):
            given[c] = 0.5 * (source[c - late] + 1.0)
    elif route.polarity == _BIPOLAR:
        for c in range(a, b):
            given[c] = 2.0 * source[c - late] - 1.0
    else:
        for c in range(a, b):
            given[c] = source[c - late]
    if route.bend != 0.0:
        k = route.bend
        for c in range(a, b):
            given[c] = bend_signed(given[c], k)
    if route.via >= 0:
        via, via_late, depth = rows[route.via], route.via_late, route.via_depth
        for c in range(a, b):
            given[c] *= 1.0 - depth + depth * via[c - via_late]


@inline_kernel
def scale(given: Floats, route: Any, rows: Floats, a: int, b: int) -> None:
    """Turn what a route pulls into what it gives: amount x pull to add, 1 - amount + amount x pull to scale."""
    rest = 0.0 if route.mode == _ADD else 1.0
    if route.amount_row >= 0:
        amounts, late = rows[route.amount_row], route.amount_late
        for c in range(a, b):
            given[c] = rest * (1.0 - amounts[c - late]) + amounts[c - late] * given[c]
    else:
        amount = route.amount
        for c in range(a, b):
            given[c] = rest * (1.0 - amount) + amount * given[c]


@inline_kernel
def range_base(low: float, high: float, octave: float, s: float) -> float:
    """Return the base from low to high, straight in the destination's modulation unit."""
    return low * math.exp(s * math.log(high / low)) if octave > 0.0 else low + (high - low) * s


@inline_kernel
def finish(lane: Any, product: Floats, total: Floats, base: Floats, a: int, b: int) -> None:
    """Turn sum and product into the value before the clamp and the value."""
    octave, low, high = lane.octave, lane.low, lane.high
    if octave == 0.0:
        for c in range(a, b):
            total[c] = (base[c] + total[c]) * product[c]
    else:
        for c in range(a, b):
            total[c] = base[c] * math.exp(total[c] / octave * _LN2) * product[c]
    for c in range(a, b):
        product[c] = min(max(total[c], low), high)


def groups_runner(run_module: Callable[..., None]) -> Callable[..., None]:
    """Return the compiled walk through a program's groups, with the choice among the kinds built in."""

    @inline_kernel
    def run_groups(
        code: Code,
        rows: Floats,
        column: int,
        p: Floats,
        s: Floats,
        d: Floats,
        x: Floats,
        events: Ints,
        first: int,
        dt: float,
    ) -> None:
        """Run every group over a block that begins at a column, with sample number ``first`` of the run."""
        modules = code.modules.size
        length = events.size
        begin = 0
        for group in range(code.groups.size):
            end = code.groups[group].end
            pieces, piece = (length, 1) if code.groups[group].is_loop else (1, length)
            for k in range(pieces):
                for i in range(begin, end):
                    node = code.nodes[i]
                    if node < modules:
                        run_module(code, rows, column, p, s, d, x, events, first, dt, node, k * piece, (k + 1) * piece)
                    else:
                        a = column + k * piece
                        run_lane(code.lanes, code.routes, rows, node - modules, a, a + piece)
            begin = end

    return run_groups
