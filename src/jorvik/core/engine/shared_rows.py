"""The rows of a phrase that no note changes, made once for all of its voices."""

from collections.abc import Callable
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import run_length, windows
from jorvik.core.engine.program import Code, Program
from jorvik.core.engine.row_keys import nodes_of, without
from jorvik.core.engine.row_store import RowStore
from jorvik.core.engine.run import BLOCK, Run, never
from jorvik.core.engine.shared import alike_before, code_before, rows_of, shared_rows

MOST_BYTES: Final = 160_000_000
"""Rows beyond this lie in a scratch file."""


class SharedRows:
    """What every voice of a poly patch reads alike; see :mod:`jorvik.core.engine.shared`."""

    def __init__(self, patch: Patch, rate: int, cancelled: Callable[[], bool] = never) -> None:
        """Run it from the first sample of the phrase to the last.

        Raises Cancelled, and Problem where it comes to no finite number.
        """
        run = Run(patch, rate, is_whole=True)
        program, every = run.program, set(range(run.program.rows))
        self.rows = shared_rows(program)
        self.code = without(program, self.rows)
        self._read = _read(program, self.rows)
        self._store = RowStore(self._read, run.length, MOST_BYTES)
        before = code_before(program, self.rows)
        alike = alike_before(program, before, self.rows)
        rest = rows_of(program, before) - alike
        if any(row in alike for node in nodes_of(program) if rest.issuperset(node.makes) for row in node.reads):
            # What differs from note to note reads what does not: both are run for each.
            alike, rest = set(), rest | alike
        self.before = without(program, every - rest)
        self.before_rows = sorted(rest | alike | self.rows)
        self._alike = sorted(alike)
        self._keeping = [number for number, row in enumerate(program.module_rows.values()) if row in alike]
        self._began: dict[int, tuple[Floats, Floats]] = {}
        self._run_once(run, without(program, every - self.rows - alike), cancelled)

    def _run_once(self, run: Run, code: Code, cancelled: Callable[[], bool]) -> None:
        """Run what is shared, and what is the same before every note as if none came, noting where it is at each."""
        check = FiniteCheck(run.program, run.rate, set(range(run.program.rows)) - self.rows)
        table = np.zeros((run.program.rows, BLOCK + 1))
        origins = {origin for origin, _ in windows(run.patch, run.rate)} - {0}
        ends = sorted({*run.block_ends(), *(origin for origin in origins if origin < run.length)})
        for first, end, step in run.unplayed(table, code, ends, cancelled):
            s = step()
            check(table, 1, first, end)
            for row in self._read:
                self._store.put(row, first, table[row, 1 : end - first + 1])
            table[:, 0] = table[:, end - first]
            if end in origins:
                self._began[end] = s[self._keeping].copy(), table[self._alike, 0].copy()

    def begin(self, origin: int, s: Floats, table: Floats) -> None:
        """Set states, and the last sample of rows, of what is the same before every note: as it is before a sample."""
        if origin in self._began:
            s[self._keeping], table[self._alike, 0] = self._began[origin]

    def fill(self, table: Floats, column: int, first: int, length: int) -> None:
        """Write what voices read into a table from a column on: so many samples of the phrase."""
        for row in self._read:
            table[row, column : column + length] = self._store.get(row, first, first + length)


def shared_by_voices(patch: Patch, rate: int, cancelled: Callable[[], bool] = never) -> SharedRows | None:
    """Return what the voices of a phrase share, or None where each is run by itself anyway."""
    if patch.phrase is None or patch.voice.mode != "poly" or run_length(patch, rate) < 1:
        return None
    return SharedRows(patch, rate, cancelled)


def _read(program: Program, shared: set[int]) -> list[int]:
    """Return the shared rows that voices read, or that are heard of them."""
    own = [node for node in nodes_of(program) if not shared.issuperset(node.makes)]
    read = {row for node in own for row in node.reads} & shared
    read |= {lane.row for name, lane in program.lanes.items() if name in VOICE} & shared
    if program.patch.voice.signal is not None:
        read |= {program.module_rows[program.patch.voice.signal]} & shared
    return sorted(read)
