"""A program run: block after block, cut wherever the caller likes, the same numbers each time."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple, Protocol, TypeVar

import numpy as np

from jorvik.core.cores import cores
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.ahead import ahead
from jorvik.core.engine.dispatch import run_block
from jorvik.core.engine.events import EventTable, event_table
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import VoiceNote, run_length, voice_count, voice_notes, window
from jorvik.core.engine.program import Code, Program, compile_patch, placed
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.row_keys import parts, row_keys, without
from jorvik.core.engine.shared import code_before, rows_of
from jorvik.core.limits import DEFAULT_RATE, MAX_RATE, MIN_RATE
from jorvik.core.problems import Problem

T = TypeVar("T")

BLOCK = 4096
"""Samples between two looks at whether the caller has cancelled."""

STRETCH = 512
"""Samples that one row after another is made for: few enough that a large patch's rows stay near the processor."""

STAGED = 1_000_000
"""Samples of modules and lanes, from which on a run goes through stages: less is done before threads have begun."""

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


class Shared(Protocol):
    """Rows of a performance that are the same for every voice."""

    rows: set[int]
    code: Code
    """What each voice is run through: everything else."""
    before: Code
    """What of it is run from the first sample of the performance to a voice's window."""
    before_rows: list[int]
    """The rows of which a window reads the sample before its first."""

    def begin(self, origin: int, s: Floats, table: Floats) -> None:
        """Set states, and the last sample of rows, of what is the same before every note: as it is before a sample."""

    def fill(self, table: Floats, column: int, first: int, length: int) -> None:
        """Write those that voices read into a table from a column on: so many samples of the performance."""


class Before(NamedTuple):
    """What a window begins with: parameters, states and inputs, and the last sample of the rows that were run."""

    p: Floats
    s: Floats
    x: Floats
    rows: list[int]
    last: Floats


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

    def __init__(
        self,
        patch: Patch,
        rate: int = DEFAULT_RATE,
        voice: int = 0,
        shared: "Shared | None" = None,
        is_whole: bool = False,
    ) -> None:
        """Take up one voice; ``shared`` holds the rows that are the same for all, where they were made already.

        ``is_whole`` runs it over the whole performance, whatever its window.
        """
        if not MIN_RATE <= rate <= MAX_RATE:
            raise Problem("the sample rate", f"{rate} Hz", f"{MIN_RATE} to {MAX_RATE} Hz")
        if not 0 <= voice < (count := voice_count(patch)):
            raise Problem("the voice", f"number {voice + 1}", f"1 to {count}, as many as this patch plays")
        self.patch = patch
        self.rate = rate
        self._played = voice_notes(patch, rate, voice)
        whole = run_length(patch, rate)
        self.origin, self.length = (0, whole) if is_whole else window(patch, rate, self._played, whole)
        """The sample of the performance with which the run begins, and how many it has."""
        self.notes = [replace(n, on=n.on - self.origin, off=n.off - self.origin) for n in self._played]
        """The notes, counted from the first sample of the run."""
        if self.length < 1:
            found = f"{patch.performance.seconds:g} s, which is no sample at {rate} Hz"
            raise Problem("the run", found, f"longer: a sample is {1e6 / rate:.3g} us")
        self.program: Program = compile_patch(patch, self.notes[0].number)
        self._shared = shared
        self._ready: Before | None = None

    @cached_property
    def note(self) -> VoiceNote:
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
    def _note_and_end(self) -> tuple[VoiceNote, int]:
        ends = [*(min(note.on, self.length) for note in self.notes[1:]), self.length]
        there = ((note, end) for note, end in zip(self.notes, ends, strict=True) if end > note.on)
        # One that would begin as the run ends is held for its last sample.
        last = replace(self.notes[-1], on=min(self.notes[-1].on, self.length - 1))
        return next(there, (last, self.length))

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
        code = self._shared.code if self._shared else self.program.code
        for first, end, step in self.stretches(table, code, ends, cancelled):
            step(1)
            check(table, 1, first, end)
            yield Block(first, table[:, 1 : end - first + 1])
            table[:, 0] = table[:, end - first]

    def whole(self, cancelled: Callable[[], bool] = never, cache: RowCache | None = None) -> Floats:
        """Return the whole run, every row at every sample; in a cache that is given, until the next run in it.

        Raises Problem where it comes to no finite number.
        """
        keys = row_keys(self.program, self._table, (self.origin, self.length), self.rate)
        cache = cache or RowCache()
        table, made = cache.acquire(self.shape, keys)
        # A step reads what was before its first, and writes every row but those of what nobody plays.
        table[:, 0] = 0.0
        table[[row for row in self.program.performance_rows.values() if row not in made]] = 0.0
        check = FiniteCheck(self.program, self.rate, made)
        for first, end in self._in_stages(table, without(self.program, made), cancelled):
            check(table, first + 1, first, end)
        cache.release(keys)
        return table[:, 1 : self.length + 1]

    def unplayed(
        self, table: Floats, code: Code, ends: Sequence[int], cancelled: Callable[[], bool]
    ) -> Iterator[tuple[int, int, Callable[[], Floats]]]:
        """Yield blocks as if no note were played, with what fills the table from column 1 on and returns the states."""
        passed = Pass(
            self.program,
            self.rate,
            table,
            placed(code, table.shape[1]),
            self._table._replace(notes=self._table.notes[:0]),
        )
        for first, end in _spans(ends, cancelled):

            def step(begin: int = first, length: int = end - first) -> Floats:
                passed.fill(1, begin, length)
                return passed.s

            yield first, end, step

    @cached_property
    def _table(self) -> EventTable:
        """What is played, in samples of the whole performance."""
        return event_table(self.program, self._played, self.rate)

    def _before(self, cancelled: Callable[[], bool]) -> Before:
        """Run what keeps something of the time before the window, from the first sample of the performance to it."""
        if self._ready is not None:
            return self._ready
        program, shared = self.program, self._shared
        if self.origin == 0:
            return Before(program.p, program.s, program.x, [], np.zeros(0))
        code = shared.before if shared else code_before(program, set())
        rows = shared.before_rows if shared else sorted(rows_of(program, code))
        table = np.zeros((program.rows, _spread(min(BLOCK, self.origin) + 1 if code.nodes.size else 2)))
        passed = Pass(program, self.rate, table, placed(code, table.shape[1]), self._table, shared)
        for first, end in _spans(_ends(self.origin) if code.nodes.size else [], cancelled):
            passed.fill(1, first, end - first)
            table[:, 0] = table[:, end - first]
        if shared:
            shared.fill(table, 0, self.origin - 1, 1)
            shared.begin(self.origin, passed.s, table)
        self._ready = Before(passed.p, passed.s, passed.x, rows, table[rows, 0])
        return self._ready

    def block_ends(self) -> list[int]:
        """Return where blocks of the usual length end."""
        return _ends(self.length)

    def _in_stages(self, table: Floats, code: Code, cancelled: Callable[[], bool]) -> Iterator[tuple[int, int]]:
        """Run some code over a whole table; yield first and last sample of each block that is done.

        A long run goes through stages, each with a part of the code, side by side on the cores that there are: no
        group of it reads a row that a later one makes.
        """
        ends = self.block_ends()
        is_long = cores() > 1 and int(code.nodes.size) * self.length > STAGED
        # More of them than there are cores, since how much a part of the code takes is only guessed.
        done: Iterator[tuple[int, int]] = zip([0, *ends], ends, strict=False)
        for number, part in enumerate(parts(code, 2 * cores()) if is_long else [code]):
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
        before = self._before(cancelled)
        passed = Pass(
            self.program,
            self.rate,
            table,
            placed(code, table.shape[1]),
            self._table,
            self._shared if is_played else None,
            before,
            is_played,
        )
        for first, end in _spans(ends, cancelled):

            def step(column: int, begin: int = first, length: int = end - first) -> None:
                if begin == 0 and before.rows:
                    table[before.rows, column - 1] = before.last
                passed.fill(column, self.origin + begin, length)

            yield first, end, step


class Pass:
    """Some code of a run going over a table, stretch after stretch; it keeps its states from one to the next."""

    def __init__(
        self,
        program: Program,
        rate: int,
        table: Floats,
        code: Code,
        played: EventTable,
        shared: "Shared | None" = None,
        start: "Before | None" = None,
        is_played: bool = True,
    ) -> None:
        """Begin as the performance does, or as ``start`` says; write performance rows unless ``is_played`` is off.

        The code has been :func:`placed` for the table.
        """
        begins = (start.p, start.s, start.x) if start else (program.p, program.s, program.x)
        self.p, self.s, self.x = (one.copy() for one in begins)
        self._table, self._flat, self._code = table, table.reshape(-1), code
        self._d, self._rate, self._run = program.d, float(rate), run_block()
        self.played, self._shared, self._is_played = played, shared, is_played
        self._events = np.zeros(STRETCH, dtype=np.int64)

    def fill(self, column: int, at: int, length: int) -> None:
        """Fill the table from a column on with so many samples of the performance, the first of them ``at``."""
        if self._shared is not None:
            self._shared.fill(self._table, column, at, length)
        held = (self.p, self.s, self._d, self.x, self._events)
        self._run(
            self._code, self.played, self._table, self._flat, column, length, *held, at, self._rate, self._is_played
        )


def _ends(length: int) -> list[int]:
    return [*range(BLOCK, length, BLOCK), length]


def _spans(ends: Sequence[int], cancelled: Callable[[], bool]) -> Iterator[tuple[int, int]]:
    """Yield first and last sample of the blocks with those ends that are not empty, as long as nobody cancels."""
    for first, end in zip([0, *ends], ends, strict=False):
        if cancelled():
            raise Cancelled
        if end > first:
            yield first, end


def _spread(columns: int) -> int:
    return columns + (_SPREAD - columns) % _PAGE
