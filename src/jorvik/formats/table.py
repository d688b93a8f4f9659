"""The trace as a table: CSV for reading anywhere, NPZ for reading fast."""

import csv
import io
from collections.abc import Callable, Iterator

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import Run, never
from jorvik.core.engine.trace import trace
from jorvik.core.limits import MAX_TABLE_BYTES
from jorvik.core.problems import Problem

DIGITS = 12
"""Significant digits of a number in CSV."""


def columns(run: Run, contributions: bool = False) -> dict[str, int]:
    """Return the table's columns after ``time_s``, and the row of the run that each shows."""
    program = run.program
    found = {f"signal.{name}": row for name, row in program.module_rows.items()}
    for name, lane in program.lanes.items():
        found[f"lane.{name}"] = lane.row
        if contributions:
            for route in lane.routes:
                found[f"lane.{name}.{route.id}"] = program.route_rows[route.id]
    return found


def csv_lines(run: Run, contributions: bool = False, cancelled: Callable[[], bool] = never) -> Iterator[str]:
    """Yield a trace as CSV, a block at a time, so that a long one needs little memory."""
    names = columns(run, contributions)
    header = io.StringIO()
    csv.writer(header, lineterminator="\n").writerow(["time_s", *names])
    yield header.getvalue()
    rows = list(names.values())
    form = ",".join([f"%.{DIGITS}g"] * (1 + len(rows))) + "\n"
    for block in run.blocks(cancelled=cancelled):
        length = block.rows.shape[1]
        table = np.empty((length, 1 + len(rows)))
        table[:, 0] = (run.origin + np.arange(block.first, block.first + length)) / run.rate
        table[:, 1:] = block.rows[rows].T
        yield form * length % tuple(table.ravel().tolist())


def arrays(patch: Patch, rate: int, voice: int = 0, contributions: bool = False) -> dict[str, Floats]:
    """Return a whole trace as named arrays, for NPZ.

    Raises Problem where they would not fit into the memory that they may take.
    """
    whole = trace(patch, rate, voice)
    names = columns(whole.run, contributions)
    size = (1 + len(names)) * whole.run.length * 8
    if size > MAX_TABLE_BYTES:
        most = MAX_TABLE_BYTES // ((1 + len(names)) * 8) / rate
        much = f"{size / 1e9:.3g} GB of samples"
        raise Problem("the trace", much, f"shorter, {most:.3g} s at most with all that this patch moves, or CSV")
    found = {"time_s": whole.time_s}
    found |= {f"signal.{name}": values for name, values in whole.signals.items()}
    for name, lane in whole.lanes.items():
        found[f"lane.{name}"] = lane.value
        if contributions:
            found |= {f"lane.{name}.{route}": values for route, values in lane.contributions.items()}
    return found
