"""The compiled loop that runs a program over one block.

Two small functions are the whole of it: what a module reads and a lane's sample, and a walk through the groups. The
choice among the kinds' steps is the only part that is written by a program (see :mod:`jorvik.core.engine.dispatch`).
"""

import math
from collections.abc import Callable

from jorvik.core.curve import bend_signed
from jorvik.core.engine.program import Code, Ints, Records
from jorvik.core.kernels import Floats, inline_kernel

_UNIPOLAR, _BIPOLAR = 1, 2
_ADD, _SCALE, _RANGE = range(3)
_LN2 = math.log(2.0)


@inline_kernel
def gather(
    reads: Records, reading: int, moved: Records, moving: int, rows: Floats, p: Floats, x: Floats, n: int
) -> None:
    """Fetch what a module reads at sample ``n``: its inputs into ``x``, its moved parameters into ``p``."""
    for i in range(reading):
        x[reads[i].slot] = rows[reads[i].row, n + 1 - reads[i].late]
    for i in range(moving):
        p[moved[i].slot] = rows[moved[i].row, n + 1]


@inline_kernel
def run_lane(lanes: Records, routes: Records, rows: Floats, number: int, a: int, b: int) -> None:
    """Make the samples a..b of a lane: value = clamp((base + sum of adds, in its law) x product of scales).

    What does not change from sample to sample is fetched first: the compiler cannot know that writing a row leaves
    the tables as they are.
    """
    lane = lanes[number]
    value_row, raw_row, set_row, played_row = lane.row, lane.row + 1, lane.row + 2, lane.base_row
    first_route, end_route = lane.first_route, lane.end_route
    set_base, octave, low, high = lane.base, lane.octave, lane.low, lane.high
    for n in range(a, b):
        base = set_base
        total, product = 0.0, 1.0
        for r in range(first_route, end_route):
            route = routes[r]
            s = rows[route.source, n + 1 - route.source_late]
            polarity, k, via, mode, amount = route.polarity, route.bend, route.via, route.mode, route.amount
            if polarity == _UNIPOLAR:
                s = 0.5 * (s + 1.0)
            elif polarity == _BIPOLAR:
                s = 2.0 * s - 1.0
            if k != 0.0:
                s = bend_signed(s, k)
            if via >= 0:
                s *= 1.0 - route.via_depth + route.via_depth * rows[via, n + 1 - route.via_late]
            if route.amount_row >= 0:
                amount = rows[route.amount_row, n + 1 - route.amount_late]
            given = amount * s
            if mode == _ADD:
                total += given
            elif mode == _SCALE:
                given += 1.0 - amount
                product *= given
            elif octave > 0.0:
                given = base = route.low * math.exp(s * math.log(route.high / route.low))
            else:
                given = base = route.low + (route.high - route.low) * s
            rows[route.row, n + 1] = given
        if played_row >= 0:
            base += rows[played_row, n + 1]
        value = base + total if octave == 0.0 else base * math.exp(total / octave * _LN2)
        value *= product
        rows[value_row, n + 1] = min(max(value, low), high)
        rows[raw_row, n + 1] = value
        rows[set_row, n + 1] = base


def groups_runner(run_module: Callable[..., None]) -> Callable[..., None]:
    """Return the compiled walk through a program's groups, with the choice among the kinds built in."""

    @inline_kernel
    def run_groups(
        code: Code, rows: Floats, p: Floats, s: Floats, d: Floats, x: Floats, events: Ints, first: int, dt: float
    ) -> None:
        """Run every group over a block whose first sample is number ``first`` of the run."""
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
                        run_module(code, rows, p, s, d, x, events, first, dt, node, k * piece, (k + 1) * piece)
                    else:
                        run_lane(code.lanes, code.routes, rows, node - modules, k * piece, (k + 1) * piece)
            begin = end

    return run_groups
