"""A program run: block after block, cut wherever the caller likes, the same numbers each time."""

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Final, Protocol, TypeVar, cast

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.ahead import ahead
from jorvik.core.engine.dispatch import run_block
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import Held, run_length, voices
from jorvik.core.engine.program import Code, Lane, Program, compile_patch, placed
from jorvik.core.engine.sameness import Key, parts, row_keys, without
from jorvik.core.engine.score import write_score
from jorvik.core.engine.windowed import WindowedRows
from jorvik.core.limits import DEFAULT_RATE, MAX_KEPT, MAX_RATE, MAX_TRACE_BYTES, MIN_RATE
from jorvik.core.problems import Problem

T = TypeVar("T")

BLOCK = 4096
"""Samples between two looks at whether the caller has cancelled."""

STRETCH = 256
"""Samples that one row after another is made for: few enough that a large patch's rows stay near the processor."""

STAGED = 1_000_000
"""Samples of modules and lanes, from which on a run goes through stages: less is done before threads have begun."""

STAGES: Final = 2 * (os.cpu_count() or 1)
"""Into how many: more than there are cores, since how much a part of the code takes is only guessed."""

Step = Callable[[int], None]
"""Fills a table with a block of a run, from a column on."""

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

    >>> from jorvik.core.document.patch import check_patch
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

    @property
    def size_bytes(self) -> int:
        """What the run takes, kept whole."""
        return self.program.rows * self.length * 8

    def blocks(self, edges: Sequence[int] | None = None, cancelled: Callable[[], bool] = never) -> Iterator[Block]:
        """Yield the run as blocks that end at ``edges`` (rising, the last of them the length of the run).

        Raises Cancelled soon after ``cancelled`` has said so, and Problem where the run comes to no finite number.
        """
        check = FiniteCheck(self.program, self.rate)
        ends = list(edges) if edges is not None else self.block_ends()
        widest = max(np.diff([0, *ends]), default=0)
        table = np.zeros((self.program.rows, _spread(int(widest) + 1)))
        for first, end, step in self.stretches(table, self.program.code, ends, cancelled):
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
        for first, end in self._in_stages(table, without(self.program, made), cancelled):
            check(table, first + 1, first, end)
        room.leave(keys)
        return table[:, 1 : self.length + 1]

    def block_ends(self) -> list[int]:
        """Return where blocks of the usual length end."""
        return [*range(BLOCK, self.length, BLOCK), self.length]

    def _in_stages(self, table: Floats, code: Code, cancelled: Callable[[], bool]) -> Iterator[tuple[int, int]]:
        """Run some code over a whole table; yield first and last sample of each block that is done.

        A long run goes through stages, each with a part of the code, side by side on the cores that there are: no
        group of it reads a row that a later one makes.
        """
        ends = self.block_ends()
        is_long = int(code.nodes.size) * self.length > STAGED
        done: Iterator[tuple[int, int]] = zip([0, *ends], ends, strict=False)
        for number, part in enumerate(parts(code, STAGES) if is_long else [code]):
            stage = self._stage(self.stretches(table, part, ends, cancelled, is_played=number == 0), done)
            done = ahead(stage) if is_long else stage
        return done

    def _stage(
        self, steps: "Iterator[tuple[int, int, Step]]", before: Iterator[tuple[int, int]]
    ) -> Iterator[tuple[int, int]]:
        """Yield each block once the stage before has done it, and this one has."""
        for _, (first, end, step) in zip(before, steps, strict=True):
            step(first + 1)
            yield first, end

    def stretches(
        self,
        table: Floats,
        code: Code,
        ends: Sequence[int],
        cancelled: Callable[[], bool],
        is_played: bool = True,
    ) -> Iterator[tuple[int, int, "Step"]]:
        """Yield first and last sample of each block, and what fills the table with it from a column on.

        Performance rows are written too, unless ``is_played`` is off.
        """
        program, score = self.program, write_score(self.program, self.notes)
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
                rate = float(self.rate)
                run(code, score, table, flat, column, length, p, s, program.d, x, events, begin, rate, is_played)

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

    @property
    def nbytes(self) -> int:
        """How much memory it holds for runs."""
        return self._cells.nbytes

    def leave(self, keys: Sequence[Key]) -> None:
        """Say that every row holds what its key stands for."""
        self._keys = list(keys)

    def once(self, what: object, rows: Sequence[int], make: Callable[[], T]) -> T:
        """Return what is made of some rows, from the last time that it was made of the same."""
        if not self._keys:
            # Nothing was run in it: what is asked of a run that is not kept whole is not kept either.
            return make()
        name = what, *(self._keys[row] for row in rows)
        if name not in self._found:
            self._found[name] = make()
            if len(self._found) > MAX_KEPT:
                del self._found[next(iter(self._found))]
        return cast(T, self._found[name])


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
    room: Room = field(repr=False)
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
        """The time of each sample, in seconds."""
        return np.arange(self.run.length) / self.rate


def trace(
    patch: Patch,
    rate: int = DEFAULT_RATE,
    voice: int = 0,
    cancelled: Callable[[], bool] = never,
    room: Room | None = None,
    most_bytes: int = MAX_TRACE_BYTES,
) -> Trace:
    """Return a whole run at every sample; in a room that is given, until the next run in it.

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
    room = room if is_whole and room is not None else Room()
    rows: Rows = run.whole(cancelled, room) if is_whole else WindowedRows(run, most_bytes, cancelled)
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
        room=room,
        is_whole=is_whole,
    )
