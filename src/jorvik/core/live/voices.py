"""The voices of what is played by hand, each with its states, and what they have alike."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final
from weakref import WeakKeyDictionary

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.document.performance import Note
from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.randomness import note_random, stream
from jorvik.core.engine.events import EventTable, event_table
from jorvik.core.engine.finite import FiniteCheck
from jorvik.core.engine.notes import VoiceNote, one_voice
from jorvik.core.engine.program import Program, compile_patch, placed
from jorvik.core.engine.run import Before, Block, Pass
from jorvik.core.engine.shared import shared_parts
from jorvik.core.engine.shared_rows import rows_read
from jorvik.core.limits import GATE_RAMP_S
from jorvik.core.problems import Problem
from jorvik.core.voice.effects import SENDS
from jorvik.core.voice.sounding import VoicePlan, VoiceSound
from jorvik.core.voice.tones import ROWS

Lanes = Mapping[str, Sequence[Sequence[float]]]
"""The control lanes as they have been played: seconds and value."""


@dataclass(frozen=True, eq=False)
class Score:
    """What the hands and the beat do just now: the same object as long as nothing of it changes."""

    lanes: Lanes
    turns: tuple[int, ...] = ()
    """The samples from which the hits of a beat are struck."""

    def events(self, program: Program, notes: Sequence[VoiceNote], rate: int) -> EventTable:
        """Return what a program plays of it, with the notes of a voice."""
        known = {name: points for name, points in self.lanes.items() if name in program.performance_rows}
        return event_table(program, notes, rate, known, self.turns)


HELD: Final = 2**50
"""The note-off of a key that is still held, in samples."""

MOST_NOTES: Final = 24
"""Notes on one voice that are remembered: a glide begins from where the one before has come to."""


def alike(one: Program, other: Program) -> bool:
    """Tell whether two programs have the same parts, wired alike: one can go on with the states of the other."""
    parts = ("groups", "nodes", "modules", "reads")
    return (
        one.module_rows == other.module_rows
        and one.route_rows == other.route_rows
        and {name: lane.row for name, lane in one.lanes.items()} == {n: lane.row for n, lane in other.lanes.items()}
        and one.s.shape == other.s.shape
        and all(np.array_equal(getattr(one.code, part), getattr(other.code, part)) for part in parts)
    )


class Common:
    """What no note changes, played once for all voices: from the first sample on, a block at a time."""

    def __init__(self, program: Program, rate: int, block: int) -> None:
        self.program, self.rate, self.block = program, rate, block
        self._score: Score | None = None
        self._made = block
        """Samples of the last stretch: where it ends in the table."""
        parts = self._parts = shared_parts(program)
        self.rows, self.code, self.before, self.before_rows = parts.rows, parts.code, parts.before, parts.before_rows
        self._read = rows_read(program, self.rows)
        self._table = np.zeros((program.rows, block + 1))
        once = placed(parts.once, block + 1)
        self._pass = Pass(program, rate, self._table, once, event_table(program, [], rate))
        self._check = FiniteCheck(program, rate, set(range(program.rows)) - self.rows)

    def go_on_from(self, other: "Common") -> None:
        """Take up where another stands, where the two have the same parts; else as after a sample."""
        if alike(self.program, other.program) and self.rows == other.rows:
            self._pass.s[:] = other._pass.s
            self._table[:], self._made = other._table, other._made
        else:
            self.prime()

    def prime(self) -> None:
        """Begin as after a sample, for what begins later than with the first."""
        self._pass.fill(self.block, 0, 1)

    def advance(self, first: int, length: int, score: Score) -> None:
        """Make the stretch that begins at a sample, a block at most.

        Raises Problem where it comes to no finite number.
        """
        self._table[:, 0] = self._table[:, self._made]
        if score is not self._score:
            self._score, self._pass.played = score, score.events(self.program, [], self.rate)
        self._pass.fill(1, first, length)
        self._made = length
        self._check(self._table, 1, first, first + length)

    def begin(self, origin: int, s: Floats, table: Floats) -> None:
        """Set states, and the last sample of rows, of what is the same before every note or is read: as now."""
        del origin
        s[self._parts.modules_alike] = self._pass.s[self._parts.modules_alike]
        table[self._parts.alike, 0] = self._table[self._parts.alike, self._made]
        table[self._read, 0] = self._table[self._read, self._made]

    def fill(self, table: Floats, column: int, first: int, length: int) -> None:
        """Write what voices read of the present stretch into a table from a column on."""
        del first
        table[self._read, column : column + length] = self._table[self._read, 1 : length + 1]


class Prepared:
    """A patch made ready to be played: what is worked out once for all of its voices."""

    def __init__(self, patch: Patch, rate: int, block: int) -> None:
        self.patch, self.rate, self.block = patch, rate, block
        self.first = compile_patch(patch)
        # The number of a note stands among the parameters of what draws random numbers.
        self._step = compile_patch(patch, 1).p - self.first.p
        self.plan = VoicePlan.made(patch, self.first)
        self.sends = [name for name in SENDS if patch.at_work(name)]
        self.common = Common(self.first, rate, block) if patch.voice.mode == "poly" else None
        self.code = placed(self.common.code if self.common else self.first.code, block + 1)
        self.before = placed(self.common.before, 2) if self.common else None
        self.check = FiniteCheck(self.first, rate)
        self._continued: WeakKeyDictionary[Prepared, bool] = WeakKeyDictionary()
        self.failed: Problem | None = None
        """Why nothing of it can be played any more: what no note changes came to no finite number."""

    def advance(self, first: int, length: int, score: Score) -> None:
        """Make what its voices have alike for the stretch that begins at a sample. Raises Problem where that fails."""
        if self.common is None or self.failed is not None:
            return
        try:
            self.common.advance(first, length, score)
        except Problem as problem:
            self.failed = problem
            raise

    def continues(self, other: "Prepared") -> bool:
        """Tell whether its voices can go on from another's: the two have the same parts."""
        if other not in self._continued:
            is_alike = (self.common is None) == (other.common is None) and alike(other.first, self.first)
            self._continued[other] = is_alike
        return self._continued[other]

    def go_on_from(self, other: "Prepared") -> None:
        """Take up where what another's voices have alike stands, where it can be taken up."""
        if self.common is None:
            return
        if other.common is not None and other.failed is None:
            self.common.go_on_from(other.common)
        else:
            self.common.prime()

    def program(self, number: int) -> Program:
        """Return the program of a voice whose first note has a number."""
        return replace(self.first, p=self.first.p + number * self._step)


@dataclass
class _Played:
    """What a voice's sound reads of it: no voice, since who points at whom points back is found as garbage only."""

    patch: Patch
    program: Program
    rate: int
    notes: list[VoiceNote]
    origin: int = 0


class LiveVoice:
    """One voice: the notes that it has played, its states, and the sound that it makes of them."""

    def __init__(self, of: Prepared, held: VoiceNote) -> None:
        """Begin with a note: with what all voices have alike where there is any, else from nothing."""
        self.of, self.patch, self.rate, self.block = of, of.patch, of.rate, of.block
        self.program = of.program(held.number)
        self.notes = [held]
        self._keys = [held]
        self._common = of.common
        self._table = np.zeros((self.program.rows, self.block + 1))
        self._stretch = (0, 0)
        """What was made last: its first sample, and how many."""
        self._score: Score | None = None
        played = event_table(self.program, self.notes, self.rate)
        self._pass = Pass(self.program, self.rate, self._table, of.code, played, of.common, self._start(held))
        heard_of = _Played(self.patch, self.program, self.rate, self.notes)
        self._sound = VoiceSound(heard_of, of.plan, by_turns=True)
        self.delay = self._sound.delay
        self.next: LiveVoice | None = None
        """The voice that goes on from here with other figures."""
        self.closes = of.common is not None
        """Whether it ends with its last note, by a short ramp: not where it waits for the next one."""
        self.last = np.zeros(2)
        """Its last sample."""
        self._leaves: int | None = None

    def edited(self, of: Prepared) -> "LiveVoice | None":
        """Return a voice that goes on from here with other figures; None where the patch has other parts."""
        if not of.continues(self.of):
            return None
        voice = LiveVoice(of, self.notes[0])
        if not voice._sound.goes_on_from(self._sound):
            return None
        voice.notes[:], voice._keys = self.notes, self._keys
        voice._pass.s[:] = self._pass.s
        voice._table[:, 0] = self._table[:, 0]
        return voice

    def _start(self, held: VoiceNote) -> Before:
        """Return what the voice begins with: as if this note's values had stood for a sample before all began."""
        program, common, before = self.program, self._common, self.of.before
        s = program.s.copy()
        if common is None or before is None:
            return Before(program.p, s, program.x, [], np.zeros(0))
        scratch = np.zeros((program.rows, 2))
        played = event_table(program, [replace(held, on=HELD, off=HELD + 1)], self.rate)
        first = Pass(program, self.rate, scratch, before, played)
        if common.before.nodes.size:
            first.fill(1, 0, 1)
            self._table[:, 0] = scratch[:, 1]
        common.begin(held.on, first.s, self._table)
        return Before(first.p, first.s, first.x, [], np.zeros(0))

    def stood(self, every: int) -> list[tuple[int, dict[str, float]]]:
        """Where its destinations stood that something moves, over the last stretch that was made.

        Told after each so many samples and at its end, with how many samples had been made by then.
        """
        first, length = self._stretch
        lanes = self.program.lanes.items()
        return [
            (first + column, {name: float(self._table[lane.row, column]) for name, lane in lanes})
            for column in ([*range(every, length, every), length] if length else [])
        ]

    @property
    def is_leaving(self) -> bool:
        """Whether it makes room for another."""
        return self._leaves is not None

    def leave(self, at: int) -> None:
        """Fall silent from a sample on, by a short ramp, whatever is held."""
        self._leaves = at + round(GATE_RAMP_S * self.rate)
        self.closes = True

    @property
    def ends(self) -> int:
        """The sample at which nothing of it is heard any more; HELD while a key is down."""
        if self._leaves is not None:
            return self._leaves
        off = self.notes[-1].off
        return off if off >= HELD else off + round(self.patch.performance.tail_s * self.rate)

    def take_over(self, held: VoiceNote) -> None:
        """Let another note take the voice over."""
        self._keys = [*(key for key in self._keys if key.on < HELD), held][-MOST_NOTES:]
        self._renew()
        if self.next is not None:
            self.next.take_over(held)

    def release(self, number: int, at: int) -> None:
        """End a note at a sample."""
        self._keys = [replace(key, off=at) if key.number == number else key for key in self._keys]
        self._renew()
        if self.next is not None:
            self.next.release(number, at)

    def _renew(self) -> None:
        self.notes[:] = one_voice(self.patch, self._keys, self.rate) if self._common is None else self._keys
        self._score = None

    def play(self, first: int, length: int, score: Score) -> dict[str, Floats]:
        """Return the sound of a stretch, a block at most, and what is sent: each of shape (frames, 2).

        It is the sound of ``delay`` samples ago. Raises Problem where it comes to no finite number.
        """
        if self.of.failed is not None:
            raise self.of.failed
        if score is not self._score:
            self._score, self._pass.played = score, score.events(self.program, self.notes, self.rate)
        self._pass.fill(1, first, length)
        self._stretch = first, length
        self.of.check(self._table, 1, first, first + length)
        if self.notes[0].on >= first + length:
            self._table[:, 0] = self._table[:, length]
            return {}
        stretch = Block(first, self._table[:, 1 : length + 1])
        [(_, moving, fine)] = self._sound.tones(self._sound.moves(iter([stretch])))
        late, sound = self._sound.sound(moving, fine)
        self._table[:, 0] = self._table[:, length]
        made = {"dry": sound.T, **{name: (sound * late[ROWS[name]]).T for name in self.of.sends}}
        ramp = self._ramp(first - self.delay, length)
        if ramp is not None:
            made = {name: samples * ramp[:, None] for name, samples in made.items()}
        self.last = made["dry"][-1]
        return made

    def _ramp(self, first: int, length: int) -> Floats | None:
        """Return the gain of a stretch in which the voice ends, though something of it may still sound."""
        end, closing = self.ends, round(GATE_RAMP_S * self.rate)
        if not self.closes or first + length <= end - closing:
            return None
        return np.clip((end - 1 - np.arange(first, first + length)) / max(closing - 1, 1), 0.0, 1.0)


def struck(patch: Patch, number: int, key: float, velocity: float, on: int) -> VoiceNote:
    """Return a note that begins at a sample and is held from there on."""
    note = Note.model_construct(key=key, velocity=velocity, start_s=0.0, length_s=1.0)
    random = note_random(stream(patch.performance.seed, "note_random"), number)
    return VoiceNote(number, note, on, HELD, taken_over=False, restarts=True, glide_from_st=0.0, random=random)
