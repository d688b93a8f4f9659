"""A run reduced to as many columns as a screen has: nothing that is faster than a pixel is lost or aliased."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.program import Ints
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import BLOCK, Run, never


@dataclass(frozen=True)
class Reduced:
    """A run in columns: for each row and column the first sample, the least and the greatest; shape (rows, columns)."""

    starts: Floats
    """Sample number of each column's first sample, shape (columns,)."""
    first: Floats
    least: Floats
    greatest: Floats


def reduce_run(
    run: Run,
    columns: int,
    cancelled: Callable[[], bool] = never,
    window: tuple[int, int] | None = None,
    cache: RowCache | None = None,
) -> Reduced:
    """Return a run, or the samples of a window of it, in at most ``columns`` columns of equal length.

    In a cache, the run is kept whole there, and only what the last one there did not have in common with it is made.
    With none, memory does not grow with the length: the run is cut where columns end, so that no column spans two
    blocks, and what comes before a window is run and let go.
    """
    begin, end = window or (0, run.length)
    begin = max(0, min(begin, run.length - 1))
    end = max(begin + 1, min(end, run.length))
    if cache is not None:
        rows = run.whole(cancelled, cache)[:, begin:end]
        return _reduced_in(cache, rows, begin, columns)
    edges = _edges(begin, end, columns)
    cuts = _cuts(edges)
    shape = (run.program.rows, edges.size - 1)
    first, least, greatest = np.zeros(shape), np.zeros(shape), np.zeros(shape)
    column = 0
    before = [*range(BLOCK, begin, BLOCK), begin] if begin else []
    blocks = run.blocks([*before, *(int(edges[c]) for c in cuts)], cancelled)
    for _ in before:
        next(blocks)
    for block, last in zip(blocks, cuts, strict=False):
        starts = edges[column:last] - block.first
        first[:, column:last] = block.rows[:, starts]
        least[:, column:last] = np.minimum.reduceat(block.rows, starts, axis=1)
        greatest[:, column:last] = np.maximum.reduceat(block.rows, starts, axis=1)
        column = last
    return Reduced(edges[:-1].astype(np.float64), first, least, greatest)


def _reduced(rows: Floats, columns: int) -> Reduced:
    """Return rows of which every sample is there, shape (rows, samples), in at most ``columns`` columns."""
    starts = _edges(0, rows.shape[1], columns)[:-1]
    least, greatest = (ends.reduceat(rows, starts, axis=1) for ends in (np.minimum, np.maximum))
    return Reduced(starts.astype(np.float64), rows[:, starts], least, greatest)


def _reduced_in(cache: RowCache, rows: Floats, begin: int, columns: int) -> Reduced:
    """Return rows of a cache's last run, from sample ``begin`` on, in columns; what is new to it is reduced."""

    def one(row: int) -> Reduced:
        what = "columns", columns, begin, rows.shape[1]
        return cache.once(what, [row], lambda: _reduced(rows[row : row + 1], columns))

    each = [one(row) for row in range(len(rows))]
    first, least, greatest = (
        np.concatenate([getattr(one, name) for one in each]) for name in ("first", "least", "greatest")
    )
    return Reduced(begin + each[0].starts, first, least, greatest)


def _edges(begin: int, end: int, columns: int) -> Ints:
    """Return where columns begin and end, as long as each other to a sample."""
    count = max(1, min(columns, end - begin))
    edges = begin + np.floor(np.arange(count + 1) * ((end - begin) / count)).astype(np.int64)
    edges[-1] = end
    return edges


def _cuts(edges: Ints) -> list[int]:
    """Return the numbers of the edges at which blocks end, each block as near to BLOCK samples as columns allow."""
    cuts = []
    begin = 0
    for i in range(1, len(edges)):
        if edges[i] - edges[begin] >= BLOCK or i == len(edges) - 1:
            cuts.append(i)
            begin = i
    return cuts
