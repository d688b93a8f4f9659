"""A program run: block after block, cut wherever the caller likes, the same numbers each time."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from jorvik.core.engine.dispatch import run_block
from jorvik.core.engine.notes import run_length, voices
from jorvik.core.engine.program import Lane, Program, compile_patch, placed
from jorvik.core.engine.score import write_score
from jorvik.core.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE, MAX_RATE, MAX_TRACE_BYTES, MIN_RATE
from jorvik.core.patch import Patch
from jorvik.core.problems import Problem

BLOCK = 4096
"""Samples between two looks at whether the caller has cancelled."""

STRETCH = 256
"""Samples that one row after another is made for: few enough that a large patch's rows stay near the processor."""

_PAGE = 512
_SPREAD = 136
"""In numbers of 8 bytes: 17 cache lines, an odd count, so that 64 rows meet 64 different sets."""


class Cancelled(Exception):
    """The caller no longer wants the result."""


def never() -> bool:
    """Say that nobody has cancelled."""
    return False


@dataclass(frozen=True)
class Block:
    """A stretch of a run: ``rows[:, i]`` is sample ``first + i``. The table is reused: copy what is to be kept."""

    first: int
    rows: Floats


class Run:
    """One voice of a patch, run from its first sample to its last.

    >>> from jorvik.core.patch import check_patch
    >>> run = Run(check_patch({"format": "jorvik-patch", "version": 1}))
    >>> sum(block.rows.shape[1] for block in run.blocks())
    72000
    """

    def __init__(self, patch: Patch, rate: int = DEFAULT_RATE, voice: int = 0) -> None:
        if not MIN_RATE <= rate <= MAX_RATE:
            raise Problem("the sample rate", f"{rate} Hz", f"{MIN_RATE} to {MAX_RATE} Hz")
        played = voices(patch, rate)
        if not 0 <= voice < len(played):
            raise Problem("the voice", f"number {voice + 1}", f"1 to {len(played)}, as many as this patch plays")
        self.patch = patch
        self.rate = rate
        self.notes = played[voice]
        self.length = run_length(patch, rate)
        self.program: Program = compile_patch(patch, self.notes[0].number)

    def blocks(self, edges: Sequence[int] | None = None, cancelled: Callable[[], bool] = never) -> Iterator[Block]:
        """Yield the run as blocks that end at ``edges`` (rising, the last of them the length of the run).

        Raises Cancelled soon after ``cancelled`` has said so.
        """
        ends = list(edges) if edges is not None else self._ends()
        widest = max(np.diff([0, *ends]), default=0)
        table = self._table(int(widest) + 1)
        for first, end, step in self._steps(table, ends, cancelled):
            step(1)
            yield Block(first, table[:, 1 : end - first + 1])
            table[:, 0] = table[:, end - first]

    def whole(self, cancelled: Callable[[], bool] = never, room: "Room | None" = None) -> Floats:
        """Return the whole run, every row at every sample; in a room that is given, until the next run in it."""
        table = self._table(self.length + 1, room)
        for first, _, step in self._steps(table, self._ends(), cancelled):
            step(first + 1)
        return table[:, 1 : self.length + 1]

    def _table(self, columns: int, room: "Room | None" = None) -> Floats:
        """Return a table of at least so many columns, its rows spread over the processor's cache sets.

        One sample of all rows lies a row's length apart each; where that is near a multiple of a page, they all fall
        into a few sets of the cache and push each other out.
        """
        wide = columns + (_SPREAD - columns) % _PAGE
        table = (room or Room()).table(self.program.rows, wide)
        if room:
            # A step writes every row but those of what nobody plays, and reads what was before its first.
            table[:, 0] = 0.0
            table[list(self.program.performance_rows.values())] = 0.0
        return table

    def _ends(self) -> list[int]:
        return [*range(BLOCK, self.length, BLOCK), self.length]

    def _steps(
        self, table: Floats, ends: Sequence[int], cancelled: Callable[[], bool]
    ) -> Iterator[tuple[int, int, Callable[[int], None]]]:
        """Yield first and last sample of each block, and what fills the table with it from a column on."""
        program = self.program
        p, s, x = program.p.copy(), program.s.copy(), program.x.copy()
        score = write_score(program, self.notes)
        events = np.zeros(STRETCH, dtype=np.int64)
        run = run_block()
        code, flat = placed(program.code, table.shape[1]), table.reshape(-1)
        first = 0
        for end in ends:
            if cancelled():
                raise Cancelled
            if end == first:
                continue

            def step(column: int, begin: int = first, length: int = end - first) -> None:
                run(code, score, table, flat, column, length, p, s, program.d, x, events, begin, float(self.rate))

            yield first, end, step
            first = end


class Room:
    """Memory in which one run after the other is made: new memory costs a fifth of the time of a trace."""

    def __init__(self) -> None:
        self._cells: Floats = np.zeros(0)

    def table(self, rows: int, columns: int) -> Floats:
        """Return a table that holds what was in the room before, if anything."""
        if self._cells.size < rows * columns:
            self._cells = np.zeros(rows * columns)
        return self._cells[: rows * columns].reshape(rows, columns)


@dataclass(frozen=True)
class LaneTrace:
    """A destination over time: arrays of one number a sample, in the destination's units."""

    lane: Lane
    base: Floats
    raw: Floats
    """Before the clamp."""
    value: Floats
    contributions: dict[str, Floats]
    """By route: what an add gives, in the modulation unit; the factor of a scale; the base that a range sets."""


@dataclass(frozen=True)
class Trace:
    """Everything that a run made."""

    rate: int
    signals: dict[str, Floats]
    """Every module's output by its id."""
    performance: dict[str, Floats]
    lanes: dict[str, LaneTrace]
    """Every destination that something moves, and the pitch, by its name."""
    run: Run = field(repr=False)

    @property
    def seconds(self) -> float:
        """How long the run is."""
        return self.run.length / self.rate

    def held(self, values: Floats) -> Floats:
        """Return the part of a row while the first note is held, two samples at least."""
        note = self.run.notes[0]
        return values[note.on : max(note.off, note.on + 2)]

    @cached_property
    def time_s(self) -> Floats:
        """The time of each sample, in seconds."""
        return np.arange(self.run.length) / self.rate


def trace(
    patch: Patch,
    rate: int = DEFAULT_RATE,
    voice: int = 0,
    cancelled: Callable[[], bool] = never,
    room: Room | None = None,
) -> Trace:
    """Return a whole run at every sample; in a room that is given, until the next run in it.

    Raises Problem when it would not fit into the memory that a trace may take.

    >>> from jorvik.core.patch import check_patch
    >>> lfo = {"id": "slow", "kind": "lfo", "rate": 2.0}
    >>> t = trace(check_patch({"format": "jorvik-patch", "version": 1, "modules": [lfo]}))
    >>> round(float(t.signals["slow"][6000]), 9)
    1.0
    """
    run = Run(patch, rate, voice)
    size = run.program.rows * run.length * 8
    if size > MAX_TRACE_BYTES:
        most = MAX_TRACE_BYTES // (run.program.rows * 8) / rate
        found = f"{size / 1e9:.3g} GB of samples"
        raise Problem("the trace", found, f"shorter, {most:.3g} s at most with all that this patch moves")
    rows = run.whole(cancelled, room)
    program = run.program
    return Trace(
        rate=rate,
        signals={name: rows[row] for name, row in program.module_rows.items()},
        performance={name: rows[row] for name, row in program.performance_rows.items()},
        lanes={
            name: LaneTrace(
                lane,
                base=rows[lane.row + 2],
                raw=rows[lane.row + 1],
                value=rows[lane.row],
                contributions={route.id: rows[program.route_rows[route.id]] for route in lane.routes},
            )
            for name, lane in program.lanes.items()
        },
        run=run,
    )
