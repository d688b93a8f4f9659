"""Whole rows of a run, in memory or in a scratch file."""

import os
import tempfile
from collections.abc import Sequence
from typing import IO

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.problems import Problem


class RowStore:
    """Whole rows, in memory or in a scratch file."""

    def __init__(self, rows: Sequence[int], length: int, most_bytes: int) -> None:
        self._place = {row: i for i, row in enumerate(rows)}
        self._length = length
        self._file: IO[bytes] | None = None
        self._cells: Floats | None = None
        if len(rows) * length * 8 <= most_bytes:
            self._cells = np.empty((len(rows), length))
        else:
            self._file = _scratch(len(rows) * length * 8)

    def __contains__(self, row: int) -> bool:
        return row in self._place

    def put(self, row: int, first: int, values: Floats) -> None:
        """Keep a stretch of a row."""
        if self._cells is not None:
            self._cells[self._place[row], first : first + values.size] = values
        elif self._file is not None:
            at = (self._place[row] * self._length + first) * 8
            os.pwrite(self._file.fileno(), np.ascontiguousarray(values).tobytes(), at)

    def get(self, row: int, first: int, end: int) -> Floats:
        """Return a stretch of a row."""
        if self._cells is not None:
            return self._cells[self._place[row], first:end]
        assert self._file is not None
        at = (self._place[row] * self._length + first) * 8
        return np.frombuffer(os.pread(self._file.fileno(), (end - first) * 8, at))


def _scratch(size: int) -> IO[bytes]:
    """Return a file without a name whose place on the disk is taken already, so that no later write finds it full."""
    try:
        file = tempfile.TemporaryFile(prefix="jorvik-rows-")  # noqa: SIM115
        os.posix_fallocate(file.fileno(), 0, size)
    except OSError as error:
        found = f"no room for {size / 1e9:.1f} GB in {tempfile.gettempdir()}: {error.strerror}"
        raise Problem("the scratch file of this run", found, "room there, a shorter note, or fewer modules") from error
    return file
