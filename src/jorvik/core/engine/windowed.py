"""A run too large to be kept whole: what modules made is kept, everything else is made again when it is asked for.

A destination's rows follow from the rows of what moves it. They are run again from those, block by block, so that
never more than a few rows are in memory; what modules made lies in a scratch file where even that is too much. The
numbers are those of the run itself, since the same code makes them from the same rows.
"""

import threading
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Final, NamedTuple, Protocol

import numpy as np
from cachetools import LRUCache

from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.program import GROUP, Code, Program
from jorvik.core.engine.row_keys import groups_of, nodes_of, without
from jorvik.core.engine.row_store import RowStore

Cancel = Callable[[], bool]

_BLOCK: Final = 16_384
"""Samples at a time when a row is made again: few rows are, and each fits."""


class Runner(Protocol):
    """What runs a program's code into a table, block by block."""

    program: Program
    length: int
    rate: int

    def stretches(
        self, table: Floats, code: Code, ends: Sequence[int], cancelled: Cancel
    ) -> Iterator[tuple[int, int, Callable[[int], None]]]:
        """Yield first and last sample of each block, and what fills the table with it from a column on."""

    def block_ends(self) -> list[int]:
        """Return where its blocks end."""


class WindowedRows:
    """Rows of a run, each made or fetched when it is asked for; the last few are kept."""

    def __init__(self, run: Runner, most_bytes: int, cancelled: Cancel) -> None:
        """Run everything once, and keep what the modules made, in memory where that is not over ``most_bytes``.

        Raises Cancelled, and Problem where the run comes to no finite number or the disk has no room for it.
        """
        self._run = run
        self._cancelled = cancelled
        self._nodes = nodes_of(run.program)
        self._maker = {row: number for number, node in enumerate(self._nodes) for row in node.makes}
        self._modules = len(run.program.module_rows)
        self._store = RowStore(list(run.program.module_rows.values()), run.length, most_bytes)
        self._kept: LRUCache[int, Floats] = LRUCache(max(2, most_bytes // (2 * 8 * run.length)))
        self._lock = threading.Lock()
        self._run_once()

    def _run_once(self) -> None:
        run, check = self._run, FiniteCheck(self._run.program, self._run.rate)
        every = slice(None)
        for table, first, end in self._blocks(run.program.code, run.block_ends(), every):
            check(table, 1, first, end)
            for row in run.program.module_rows.values():
                self._store.put(row, first, table[row, 1 : end - first + 1])

    def _blocks(
        self, code: Code, ends: Sequence[int], carried: slice | Sequence[int], given: Sequence[int] = ()
    ) -> Iterator[tuple[Floats, int, int]]:
        """Run some code over the whole length; ``given`` rows are fetched for it.

        Column 0 is the sample before, of the rows that are ``carried`` over.
        """
        widest = int(np.diff([0, *ends]).max())
        table = np.zeros((self._run.program.rows, widest + 1))
        for first, end, step in self._run.stretches(table, code, ends, self._cancelled):
            for row in given:
                table[row, 1 : end - first + 1] = self._store.get(row, first, end)
            step(1)
            yield table, first, end
            table[carried, 0] = table[carried, end - first]

    def __getitem__(self, row: int) -> Floats:
        """Return a whole row."""
        if row in self._store:
            return self._store.get(row, 0, self._run.length)
        with self._lock:
            if row in self._kept:
                return self._kept[row]
        made = self._made(row)
        with self._lock:
            self._kept[row] = made
        return made

    def _made(self, row: int) -> Floats:
        """Make a row again: of a route alone where it is what one route gives."""
        length = self._run.length
        plan = self._plan(row)
        made = np.empty(length)
        ends = [*range(_BLOCK, length, _BLOCK), length]
        for table, first, end in self._blocks(plan.code, ends, [*plan.carried, row], plan.given):
            made[first:end] = table[row, 1 : end - first + 1]
        return made

    def _plan(self, row: int) -> "_Plan":
        """Return what makes a row from stored ones."""
        code = self._run.program.code
        if row not in self._maker:
            # What is played: written at every block, whatever code there is.
            return _Plan(_with_groups(code, []), [], [])
        target = self._maker[row]
        lanes = self._lanes_in_order(target)
        if lanes is None:
            return self._loop_plan(target)
        code = self._only_route(code, row, target)
        nodes = nodes_of(replace(self._run.program, code=code), lanes)
        reads = {r for node in nodes for r in node.reads}
        makes = {r for node in nodes for r in node.makes}
        stored = sorted(r for r in reads - makes if r in self._store)
        return _Plan(_with_groups(code, [[number] for number in lanes]), stored, sorted(reads | makes))

    def _lanes_in_order(self, target: int) -> list[int] | None:
        """Return a lane after the lanes that it reads, or None where these read each other."""
        order: list[int] = []
        under_way: set[int] = set()

        def visit(number: int) -> bool:
            if number in order:
                return True
            if number in under_way:
                return False
            under_way.add(number)
            others = {self._maker[r] for r in self._nodes[number].reads if self._is_of_a_lane(r)}
            if not all(visit(other) for other in sorted(others)):
                return False
            order.append(number)
            return True

        return order if visit(target) else None

    def _loop_plan(self, target: int) -> "_Plan":
        """Return what makes a lane by running the loop again that it stands in, and what that reads."""
        program = self._run.program
        group_of = {number: group for group in groups_of(program.code) for number in group}
        wanted: set[int] = set()
        waiting = [target]
        while waiting:
            number = waiting.pop()
            for member in group_of[number] if number not in wanted else []:
                wanted.add(member)
                waiting += [self._maker[r] for r in self._nodes[member].reads if self._is_of_a_lane(r)]
        makes = {r for number in wanted for r in self._nodes[number].makes}
        reads = {r for number in wanted for r in self._nodes[number].reads}
        code = without(program, set(range(program.rows)) - makes)
        return _Plan(code, sorted(r for r in reads - makes if r in self._store), sorted(reads | makes))

    def _is_of_a_lane(self, row: int) -> bool:
        return row in self._maker and self._maker[row] >= self._modules

    def _only_route(self, code: Code, row: int, target: int) -> Code:
        """Return the code with a lane cut down to one of its routes, where the row is what that gives."""
        made = np.flatnonzero(code.routes["at"] == np.uint64(row))
        if made.size == 0:
            return code
        lanes = code.lanes.copy()
        lane = lanes[target - self._modules : target - self._modules + 1]
        lane["first_route"], lane["end_route"] = made[0], made[0] + 1
        return code._replace(lanes=lanes)


class _Plan(NamedTuple):
    """Code that makes a row, the stored rows that it reads, and all rows of which it reads the sample before."""

    code: Code
    given: list[int]
    carried: list[int]


def _with_groups(code: Code, groups: Sequence[Sequence[int]]) -> Code:
    """Return code that runs these groups of nodes, none of them a loop."""
    ends = np.cumsum([len(group) for group in groups], dtype=np.uint64)
    table = np.array([(end, 0) for end in ends], dtype=GROUP)
    return code._replace(groups=table, nodes=np.array([n for group in groups for n in group], dtype=np.uint64))
