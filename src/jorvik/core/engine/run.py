"""A program run: block after block, cut wherever the caller likes, the same numbers each time."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar, cast

import numpy as np

from jorvik.core.engine.dispatch import run_block
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import Held, run_length, voices
from jorvik.core.engine.program import Code, Lane, Program, compile_patch, placed
from jorvik.core.engine.sameness import Key, row_keys, without
from jorvik.core.engine.score import Score, write_score
from jorvik.core.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE, MAX_KEPT, MAX_RATE, MAX_TRACE_BYTES, MIN_RATE
from jorvik.core.patch import Patch
from jorvik.core.problems import Problem

T = TypeVar("T")

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
        if self.length < 1:
            found = f"{patch.performance.seconds:g} s, which is no sample at {rate} Hz"
            raise Problem("the run", found, f"longer: a sample is {1e6 / rate:.3g} us")
        self.program: Program = compile_patch(patch, self.notes[0].number)

    @cached_property
    def note(self) -> Held:
        """The first note that is there for a sample: of a chord on one voice, the one that has it."""
        return self._note_and_end[0]

    @cached_property
    def note_end(self) -> int:
        """The sample at which the note after it begins, or the run ends."""
        return self._note_and_end[1]

    @property
    def held(self) -> slice:
        """The samples while that note is held: two at least, where the run has as many."""
        begin = min(self.note.on, max(self.length - 2, 0))
        return slice(begin, max(self.note.off, begin + 2))

    @cached_property
    def _note_and_end(self) -> tuple[Held, int]:
        ends = [*(min(note.on, self.length) for note in self.notes[1:]), self.length]
        there = ((note, end) for note, end in zip(self.notes, ends, strict=True) if end > note.on)
        return next(there, (self.notes[-1], self.length))

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of the table that holds the run whole, its rows spread over the processor's cache sets.

        One sample of all rows lies a row's length apart each; where that is near a multiple of a page, they all fall
        into a few sets of the cache and push each other out.
        """
        return self.program.rows, _spread(self.length + 1)

    def blocks(self, edges: Sequence[int] | None = None, cancelled: Callable[[], bool] = never) -> Iterator[Block]:
        """Yield the run as blocks that end at ``edges`` (rising, the last of them the length of the run).

        Raises Cancelled soon after ``cancelled`` has said so, and Problem where the run comes to no finite number.
        """
        check = FiniteCheck(self.program, self.rate)
        ends = list(edges) if edges is not None else self._ends()
        widest = max(np.diff([0, *ends]), default=0)
        table = np.zeros((self.program.rows, _spread(int(widest) + 1)))
        score = write_score(self.program, self.notes)
        for first, end, step in self._steps(table, self.program.code, score, ends, cancelled):
            step(1)
            check(table, 1, first, end)
            yield Block(first, table[:, 1 : end - first + 1])
            table[:, 0] = table[:, end - first]

    def whole(self, cancelled: Callable[[], bool] = never, room: "Room | None" = None) -> Floats:
        """Return the whole run, every row at every sample; in a room that is given, until the next run in it.

        Raises Problem where it comes to no finite number.
        """
        score = write_score(self.program, self.notes)
        keys = row_keys(self.program, score, self.length, self.rate)
        room = room or Room()
        table, made = room.enter(self.shape, keys)
        # A step reads what was before its first, and writes every row but those of what nobody plays.
        table[:, 0] = 0.0
        table[[row for row in self.program.performance_rows.values() if row not in made]] = 0.0
        check = FiniteCheck(self.program, self.rate, made)
        for first, end, step in self._steps(table, without(self.program, made), score, self._ends(), cancelled):
            step(first + 1)
            check(table, first + 1, first, end)
        room.leave(keys)
        return table[:, 1 : self.length + 1]

    def _ends(self) -> list[int]:
        return [*range(BLOCK, self.length, BLOCK), self.length]

    def _steps(
        self, table: Floats, code: Code, score: Score, ends: Sequence[int], cancelled: Callable[[], bool]
    ) -> Iterator[tuple[int, int, Callable[[int], None]]]:
        """Yield first and last sample of each block, and what fills the table with it from a column on."""
        program = self.program
        p, s, x = program.p.copy(), program.s.copy(), program.x.copy()
        events = np.zeros(STRETCH, dtype=np.int64)
        run = run_block()
        code, flat = placed(code, table.shape[1]), table.reshape(-1)
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


def _spread(columns: int) -> int:
    return columns + (_SPREAD - columns) % _PAGE


class Room:
    """Where one run after the other is made, and what the one before has in common with the next is made once.

    It is of one thread at a time.
    """

    def __init__(self) -> None:
        self._cells: Floats = np.zeros(0)
        self._keys: list[Key] = []
        self._found: dict[object, object] = {}
        self.shape = (0, 0)
        """Rows and columns of the last run's table."""

    def enter(self, shape: tuple[int, int], keys: Sequence[Key]) -> tuple[Floats, set[int]]:
        """Return a table, and the rows of it that hold what their key stands for already."""
        same = shape == self.shape
        made = {i for i, (key, before) in enumerate(zip(keys, self._keys, strict=False)) if same and key == before}
        size = shape[0] * shape[1]
        if self._cells.size < size:
            # Half as much again, for longer runs to come: what is not used of it takes no memory.
            self._cells = np.zeros(size * 3 // 2)
        self.shape, self._keys = shape, []
        return self._cells[:size].reshape(shape), made

    def leave(self, keys: Sequence[Key]) -> None:
        """Say that every row holds what its key stands for."""
        self._keys = list(keys)

    def once(self, what: object, rows: Sequence[int], make: Callable[[], T]) -> T:
        """Return what is made of some rows, from the last time that it was made of the same."""
        name = what, *(self._keys[row] for row in rows)
        if name not in self._found:
            self._found[name] = make()
            if len(self._found) > MAX_KEPT:
                del self._found[next(iter(self._found))]
        return cast(T, self._found[name])


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
    room: Room = field(repr=False)
    """Where it was made, and what is made of it can be kept for the next that has the same."""

    @property
    def seconds(self) -> float:
        """How long the run is."""
        return self.run.length / self.rate

    def held(self, values: Floats) -> Floats:
        """Return the part of a row while the first note is held, two samples at least."""
        return values[self.run.held]

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
    room = room or Room()
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
        room=room,
    )
