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
def gather(reads: Records, moved: Records, rows: Floats, p: Floats, x: Floats, n: int) -> None:
    """Fetch what a module reads at sample ``n``: its inputs into ``x``, its moved parameters into ``p``."""
    for i in range(reads.size):
        x[reads[i].slot] = rows[reads[i].row, n + 1 - reads[i].late]
    for i in range(moved.size):
        p[moved[i].slot] = rows[moved[i].row, n + 1]


@inline_kernel
def run_lane(lanes: Records, routes: Records, rows: Floats, number: int, a: int, b: int) -> None:
    """Make the samples a..b of a lane: value = clamp((base + sum of adds, in its law) x product of scales)."""
    lane = lanes[number]
    first_route, last_route = lane.routes, lanes[number + 1].routes
    for n in range(a, b):
        base = lane.base
        total, product = 0.0, 1.0
        for r in range(first_route, last_route):
            route = routes[r]
            s = rows[route.source, n + 1 - route.source_late]
            if route.polarity == _UNIPOLAR:
                s = 0.5 * (s + 1.0)
            elif route.polarity == _BIPOLAR:
                s = 2.0 * s - 1.0
            s = bend_signed(s, route.bend)
            if route.via >= 0:
                s *= 1.0 - route.via_depth + route.via_depth * rows[route.via, n + 1 - route.via_late]
            amount = route.amount
            if route.amount_row >= 0:
                amount = rows[route.amount_row, n + 1 - route.amount_late]
            if route.mode == _ADD:
                given = amount * s
                total += given
            elif route.mode == _SCALE:
                given = 1.0 - amount + amount * s
                product *= given
            elif lane.octave > 0.0:
                given = base = route.low * math.exp(s * math.log(route.high / route.low))
            else:
                given = base = route.low + (route.high - route.low) * s
            rows[route.row, n + 1] = given
        if lane.base_row >= 0:
            base += rows[lane.base_row, n + 1]
        value = base + total if lane.octave == 0.0 else base * math.exp(total / lane.octave * _LN2)
        value *= product
        rows[lane.row, n + 1] = min(max(value, lane.low), lane.high)
        rows[lane.row + 1, n + 1] = value
        rows[lane.row + 2, n + 1] = base


def groups_runner(run_module: Callable[..., None]) -> Callable[..., None]:
    """Return the compiled walk through a program's groups, with the choice among the kinds built in."""

    @inline_kernel
    def run_groups(
        code: Code, rows: Floats, p: Floats, s: Floats, d: Floats, x: Floats, events: Ints, first: int, dt: float
    ) -> None:
        """Run every group over a block whose first sample is number ``first`` of the run."""
        modules = code.modules.size - 1
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
        rows[:, 0] = rows[:, length]

    return run_groups
