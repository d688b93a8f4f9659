"""A whole run, every row of it by name."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.program import Lane
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Run, never
from jorvik.core.engine.windowed import WindowedRows
from jorvik.core.limits import DEFAULT_RATE, MAX_TRACE_BYTES


class Rows(Protocol):
    """Whole rows of a run by their number: a table, or what makes each when it is asked for."""

    def __getitem__(self, row: int) -> Floats:
        """Return a row at every sample."""


class NamedRows(Mapping[str, Floats]):
    """Rows of a run by their names. A row is fetched each time that it is asked for."""

    def __init__(self, rows: Rows, places: Mapping[str, int]) -> None:
        self._rows = rows
        self._places = places

    def __getitem__(self, name: str) -> Floats:
        return self._rows[self._places[name]]

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)


@dataclass(frozen=True)
class LaneTrace:
    """A destination over time: arrays of one number a sample, in the destination's units."""

    lane: Lane
    rows: Rows = field(repr=False)
    contributions: Mapping[str, Floats] = field(repr=False)
    """By route: what an add gives, in the modulation unit; the factor of a scale; the base that a range sets."""
    is_whole: bool = True
    """Whether its rows are all in memory; else each is made when it is asked for."""

    @property
    def value(self) -> Floats:
        """What it comes to."""
        return self.rows[self.lane.row]

    @property
    def raw(self) -> Floats:
        """Before the clamp."""
        return self.rows[self.lane.row + 1]

    @property
    def base(self) -> Floats:
        """What its routes start from."""
        return self.rows[self.lane.row + 2]


@dataclass(frozen=True)
class Trace:
    """Everything that a run made."""

    rate: int
    signals: Mapping[str, Floats]
    """Every module's output by its id."""
    performance: Mapping[str, Floats]
    lanes: dict[str, LaneTrace]
    """Every destination that something moves, and the pitch, by its name."""
    run: Run = field(repr=False)
    cache: RowCache = field(repr=False)
    """Where it was made, and what is made of it can be kept for the next that has the same."""
    is_whole: bool = True
    """Whether every row is in memory."""

    @property
    def seconds(self) -> float:
        """How long the run is."""
        return self.run.length / self.rate

    def held(self, values: Floats) -> Floats:
        """Return the part of a row while the first note is held, two samples at least."""
        return values[self.run.held]

    @cached_property
    def time_s(self) -> Floats:
        """The time of each sample, in seconds from the first of the performance."""
        return (self.run.origin + np.arange(self.run.length)) / self.rate


def trace(
    patch: Patch,
    rate: int = DEFAULT_RATE,
    voice: int = 0,
    cancelled: Callable[[], bool] = never,
    cache: RowCache | None = None,
    most_bytes: int = MAX_TRACE_BYTES,
) -> Trace:
    """Return a whole run at every sample; in a cache that is given, until the next run in it.

    A run of more than ``most_bytes`` is not kept whole: its rows are made when they are asked for, with the same
    numbers (see :mod:`jorvik.core.engine.windowed`).

    Raises Problem where it comes to no finite number.

    >>> from jorvik.core.document.patch import check_patch
    >>> lfo = {"id": "slow", "kind": "lfo", "rate": 2.0}
    >>> t = trace(check_patch({"format": "jorvik-patch", "version": 1, "modules": [lfo]}))
    >>> round(float(t.signals["slow"][6000]), 9)
    1.0
    """
    run = Run(patch, rate, voice)
    program = run.program
    is_whole = run.size_bytes <= most_bytes
    cache = cache if is_whole and cache is not None else RowCache()
    rows: Rows = run.whole(cancelled, cache) if is_whole else WindowedRows(run, most_bytes, cancelled)
    lanes = {
        name: LaneTrace(
            lane, rows, NamedRows(rows, {route.id: program.route_rows[route.id] for route in lane.routes}), is_whole
        )
        for name, lane in program.lanes.items()
    }
    return Trace(
        rate=rate,
        signals=NamedRows(rows, program.module_rows),
        performance=NamedRows(rows, program.performance_rows),
        lanes=lanes,
        run=run,
        cache=cache,
        is_whole=is_whole,
    )
