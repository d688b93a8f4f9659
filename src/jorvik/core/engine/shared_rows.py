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
from jorvik.core.engine.row_keys import nodes_of
from jorvik.core.engine.row_store import RowStore
from jorvik.core.engine.run import BLOCK, Run, never
from jorvik.core.engine.shared import shared_parts

MOST_BYTES: Final = 160_000_000
"""Rows beyond this lie in a scratch file."""


class SharedRows:
    """What every voice of a poly patch reads alike; see :mod:`jorvik.core.engine.shared`."""

    def __init__(self, patch: Patch, rate: int, cancelled: Callable[[], bool] = never) -> None:
        """Run it from the first sample of the phrase to the last.

        Raises Cancelled, and Problem where it comes to no finite number.
        """
        run = Run(patch, rate, is_whole=True)
        parts = self._parts = shared_parts(run.program)
        self.rows, self.code, self.before, self.before_rows = parts.rows, parts.code, parts.before, parts.before_rows
        self._read = rows_read(run.program, self.rows)
        self._store = RowStore(self._read, run.length, MOST_BYTES)
        self._at_origin: dict[int, tuple[Floats, Floats]] = {}
        self._run_once(run, parts.once, cancelled)

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
                self._at_origin[end] = s[self._parts.modules_alike].copy(), table[self._parts.alike, 0].copy()

    def begin(self, origin: int, s: Floats, table: Floats) -> None:
        """Set states, and the last sample of rows, of what is the same before every note: as it is before a sample."""
        if origin in self._at_origin:
            s[self._parts.modules_alike], table[self._parts.alike, 0] = self._at_origin[origin]

    def fill(self, table: Floats, column: int, first: int, length: int) -> None:
        """Write what voices read into a table from a column on: so many samples of the phrase."""
        for row in self._read:
            table[row, column : column + length] = self._store.get(row, first, first + length)


def shared_by_voices(patch: Patch, rate: int, cancelled: Callable[[], bool] = never) -> SharedRows | None:
    """Return what the voices of a phrase share, or None where each is run by itself anyway."""
    if patch.phrase is None or patch.voice.mode != "poly" or run_length(patch, rate) < 1:
        return None
    return SharedRows(patch, rate, cancelled)


def rows_read(program: Program, shared: set[int]) -> list[int]:
    """Return the shared rows that voices read, or that are heard of them."""
    own = [node for node in nodes_of(program) if not shared.issuperset(node.makes)]
    read = {row for node in own for row in node.reads} & shared
    read |= {lane.row for name, lane in program.lanes.items() if name in VOICE} & shared
    if program.patch.voice.signal is not None:
        read |= {program.module_rows[program.patch.voice.signal]} & shared
    return sorted(read)
