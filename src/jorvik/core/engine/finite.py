"""The one check that every number of a run is finite: what is not is drawn, judged, written and played by nobody."""

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats, kernel, unowned
from jorvik.core.engine.program import Ints, Program
from jorvik.core.engine.row_keys import groups_of
from jorvik.core.problems import Problem

_EXPONENT: Final = np.uint64(0x7FF << 52)
"""All bits of a double's exponent: together they stand in infinities and in what is no number, and in nothing else."""

_ONE: Final = np.uint64(1 << 52)
_SIGN: Final = np.uint64(1 << 63)


@kernel
def _first_beyond(bits: NDArray[np.uint64], rows: Ints, begin: int, end: int) -> tuple[int, int]:
    """Return the earliest column of a stretch at which any of some rows is not finite, and the row; else -1, -1."""
    column, found = end, -1
    for row in rows:
        # One more carries an exponent of ones into the sign; nothing else does, and no branch is needed to collect it.
        line = unowned(bits)[row, begin:column]
        signs = np.uint64(0)
        for c in range(line.size):
            signs |= (line[c] & _EXPONENT) + _ONE
        if not signs & _SIGN:
            continue
        for c in range(begin, column):
            if (bits[row, c] & _EXPONENT) == _EXPONENT:
                column, found = c, row
                break
    return (column, found) if found >= 0 else (-1, -1)


class NotFinite(Problem):
    """A run came to no finite number."""

    def __init__(self, signal: str, place: str, found: str, wanted: str) -> None:
        self.signal = signal
        """The module that made it, the first of its loop, or what moves the destination most; or nothing."""
        super().__init__(place, found, wanted)


class FiniteCheck:
    """Looks at each block of a run as it is made."""

    def __init__(self, program: Program, rate: int, made: set[int] | None = None) -> None:
        """Look at the rows of a program that are not ``made`` already, in the order in which they are run."""
        self._program = program
        self._rate = rate
        self._names = _names_in_order(program)
        self._rows = np.array([row for row in self._names if row not in (made or ())], dtype=np.int64)

    def __call__(self, table: Floats, column: int, first: int, end: int) -> None:
        """Check the samples ``first`` to ``end`` of the run, which stand in a table from a column on.

        Raises Problem with the module or the destination, the moment, and what would do.
        """
        at, row = _first_beyond(table.view(np.uint64), self._rows, column, column + end - first)
        if row >= 0:
            raise self._problem(row, (first + at - column) / self._rate, table[:, at])

    def _problem(self, row: int, at_s: float, values: Floats) -> NotFinite:
        looped = _loop_modules(self._program)
        name = self._names[row]
        through = looped.get(name)
        if through is not None:
            found = f"a signal that grows without end, past every number at {at_s:.6g} s"
            signal = through if through in self._program.module_rows else ""
            return NotFinite(signal, f"the loop through {through}", found, "less gain round the loop, or a clip in it")
        found = f"a value past every number at {at_s:.6g} s"
        signal = name if name in self._program.module_rows else self._strongest(name, values)
        return NotFinite(signal, name, found, "made of smaller numbers: lower gains, powers or inputs")

    def _strongest(self, name: str, values: Floats) -> str:
        """Return the module whose route gives a destination the most at a sample, or nothing."""
        lane = self._program.lanes.get(name)
        sizes = {
            route.source: float(np.nan_to_num(np.abs(values[self._program.route_rows[route.id]]), nan=np.inf))
            for route in (lane.routes if lane else [])
            if route.source in self._program.module_rows
        }
        return max(sizes, key=lambda source: sizes[source], default="")


def _names_in_order(program: Program) -> dict[int, str]:
    """Return the rows that tell of all, as they are run, each with its module's or destination's name.

    They are those of modules, and of lanes what is before the clamp. What a route gives that is not finite leaves no
    finite sum; only in the law of octaves does a fall without end come to 0, so that the routes themselves are looked
    at there.
    """
    modules, lanes = list(program.module_rows.items()), list(program.lanes.items())
    found: dict[int, str] = {}
    for node in program.code.nodes.tolist():
        if node < len(modules):
            name, row = modules[node]
            found[row] = name
        else:
            name, lane = lanes[node - len(modules)]
            if lane.destination.steps_per_octave:
                found.update({program.route_rows[route.id]: name for route in lane.routes})
            found[lane.row + 1] = name
    return found


def _loop_modules(program: Program) -> dict[str, str]:
    """Return for each module or lane in a feedback loop the first module of that loop, by whose name it is told."""
    names: Sequence[str] = [*program.module_rows, *program.lanes]
    found = {}
    for group, nodes in zip(program.code.groups, groups_of(program.code), strict=True):
        if group["is_loop"]:
            modules = [names[node] for node in nodes if node < len(program.module_rows)]
            found.update({names[node]: (modules or [names[nodes[0]]])[0] for node in nodes})
    return found
