"""The rows of a phrase that no note changes, made once for all of its voices."""

from collections.abc import Callable
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import run_length
from jorvik.core.engine.program import Program
from jorvik.core.engine.row_keys import nodes_of, without
from jorvik.core.engine.row_store import RowStore
from jorvik.core.engine.run import BLOCK, Run, never
from jorvik.core.engine.shared import shared_rows

MOST_BYTES: Final = 160_000_000
"""Rows beyond this lie in a scratch file."""


class SharedRows:
    """What every voice of a poly patch reads alike; see :mod:`jorvik.core.engine.shared`."""

    def __init__(self, patch: Patch, rate: int, cancelled: Callable[[], bool] = never) -> None:
        """Run it from the first sample of the phrase to the last.

        Raises Cancelled, and Problem where it comes to no finite number.
        """
        run = Run(patch, rate, is_whole=True)
        self.rows = shared_rows(run.program)
        self._read = _read(run.program, self.rows)
        self._store = RowStore(self._read, run.length, MOST_BYTES)
        code = without(run.program, set(range(run.program.rows)) - self.rows)
        check = FiniteCheck(run.program, rate, set(range(run.program.rows)) - self.rows)
        table = np.zeros((run.program.rows, BLOCK + 1))
        for first, end, step in run.stretches(table, code, run.block_ends(), cancelled):
            step(1)
            check(table, 1, first, end)
            for row in self._read:
                self._store.put(row, first, table[row, 1 : end - first + 1])
            table[:, 0] = table[:, end - first]

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
