"""One voice as it is heard, block by block: tones, fold, drive, filters, amplifier."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats, kernel
from jorvik.core.dsp.randomness import note_random, stream
from jorvik.core.dsp.svf import RESPONSES
from jorvik.core.dsp.wavetables import PULSED
from jorvik.core.engine.notes import VoiceNote
from jorvik.core.engine.program import Ints, Program
from jorvik.core.engine.run import Block
from jorvik.core.limits import GATE_RAMP_S
from jorvik.core.voice.filters import PEAK_STATES, PEAKS, Filters, begun, filter_block, peak_block
from jorvik.core.voice.recording import recorded
from jorvik.core.voice.shaping import SHAPE_STATES, decimate, decimator, shape
from jorvik.core.voice.tones import ROWS, Generators, Tones

_AMPLITUDE, _OPEN, _PAN = ROWS["amplitude"], ROWS["open"], ROWS["pan"]


class Played(Protocol):
    """What a voice is made of: a run, or what is played by hand."""

    patch: Patch
    program: Program
    rate: int
    origin: int
    """The sample of the performance from which the blocks count."""
    notes: list[VoiceNote]
    """The notes of the voice, counted as the blocks are."""


@kernel
def _place(lanes: Floats, channels: Floats, out: Floats) -> None:
    """Add a voice's channels to ``out`` (2, frames) through the amplifier and the pan."""
    pan, left, right = math.nan, 0.0, 0.0
    for n in range(channels.shape[1]):
        if lanes[_PAN, n] != pan:
            pan = lanes[_PAN, n]
            angle = 0.25 * math.pi * (1.0 + pan)
            left, right = math.cos(angle) * math.sqrt(2.0), math.sin(angle) * math.sqrt(2.0)
        gain = lanes[_AMPLITUDE, n] * lanes[_OPEN, n]
        out[0, n] += channels[0, n] * gain * left
        out[1, n] += channels[-1, n] * gain * right


@kernel
def _delay(rows: Ints, lanes: Floats, waiting: Floats, late: Floats) -> None:
    """Write rows of ``lanes`` into ``late`` as many samples later as ``waiting`` has, which holds those in between."""
    delay, length = waiting.shape[1], lanes.shape[1]
    for row in rows:
        for n in range(length):
            late[row, n] = waiting[row, n] if n < delay else lanes[row, n - delay]
        for n in range(delay):
            waiting[row, n] = waiting[row, n + length] if n + length < delay else lanes[row, n + length - delay]


def factor_of(patch: Patch) -> int:
    """Return at how many times the rate the tones of a patch are made."""
    return max([at.runs_at for at in VOICE.values() if at.runs_at > 1 and patch.at_work(at.name)], default=1)


def delay_of(patch: Patch) -> int:
    """Return by how many samples the sound of a voice is later than its lanes."""
    factor = factor_of(patch)
    return (decimator(factor).size - 1) // (2 * factor)


@dataclass(frozen=True)
class VoicePlan:
    """What the voices of a patch are made of: worked out once for all of them."""

    factor: int
    delay: int
    of: Generators
    filters: Filters
    channels: int
    peaks: list[str]
    lanes: frozenset[str]
    """The destinations of the voice that something moves, be it by the way of another."""
    moved: list[tuple[int, int]]
    """Rows of ROWS, and the rows of the program that they are."""
    still: Floats
    """What stands in each of ROWS where nothing moves it."""
    gated: bool
    """Whether the gate alone opens the amplifier."""

    @classmethod
    def made(cls, patch: Patch, program: Program) -> "VoicePlan":
        """Return the plan of a patch and its program."""
        of, lanes = _generators(patch), program.lanes
        ways = {name: at.follows if patch.follows(at) else name for name, at in VOICE.items()}
        rows = {name: lanes[way].row for name, way in ways.items() if way in lanes}
        moved = [(ROWS[name], row) for name, row in rows.items()]
        moved.append((ROWS["key"], program.performance_rows["key"]))
        if patch.voice.signal is not None and patch.at_work("signal_level"):
            moved.append((ROWS["signal"], program.module_rows[patch.voice.signal]))
        still = np.zeros(len(ROWS))
        for name, at in VOICE.items():
            still[ROWS[name]] = patch.base(at)
        return cls(
            factor=factor_of(patch),
            delay=delay_of(patch),
            of=of,
            filters=_filters(patch),
            channels=2 if of.unison > 1 and patch.at_work("stereo_spread") else 1,
            peaks=[name for name in PEAKS if patch.at_work(f"{name}_gain")],
            lanes=frozenset(rows),
            moved=moved,
            still=still,
            gated=not any(route.destination == "amplitude" for route in patch.live_routes),
        )


class VoiceSound:
    """One voice, from block to block."""

    def __init__(self, run: Played, plan: VoicePlan | None = None, by_turns: bool = False) -> None:
        """Begin with what is played.

        Where moves, tones and sound are made ``by_turns``, block by block, all blocks share one table of lanes.
        """
        self.run, self.by_turns = run, by_turns
        plan = self.plan = plan or VoicePlan.made(run.patch, run.program)
        self.factor, self.channels, self.delay = plan.factor, plan.channels, plan.delay
        self.taps = decimator(plan.factor)
        starts = _starts(run.patch, run.notes[0], plan.of.unison)
        self.generators = Tones(plan.of, starts, float(run.rate), plan.factor, plan.lanes)
        self.shapes = np.zeros((plan.channels, SHAPE_STATES))
        self.filtering = begun(plan.filters, plan.channels)
        self.peaks = {name: np.zeros((plan.channels, PEAK_STATES)) for name in plan.peaks}
        self.history = np.zeros((plan.channels, self.taps.size - 1))
        self.lanes = self.late = np.zeros((len(ROWS), 0))
        """The lanes of a block, and those of the block that is made into sound, as late as that."""
        self.moving = np.array(sorted({_OPEN, *(row for row, _ in plan.moved)}))
        self.waiting = np.zeros((len(ROWS), plan.delay))

    def goes_on_from(self, other: "VoiceSound") -> bool:
        """Take up where another voice is, and tell whether that can be: it has the same parts."""
        mine, theirs = self.plan, other.plan
        if (mine.factor, mine.channels, mine.of.unison, mine.filters, mine.peaks) != (
            theirs.factor,
            theirs.channels,
            theirs.of.unison,
            theirs.filters,
            theirs.peaks,
        ):
            return False
        self.generators.go_on_from(other.generators)
        self.shapes, self.filtering = other.shapes.copy(), other.filtering.copy()
        self.peaks = {name: states.copy() for name, states in other.peaks.items()}
        self.history, self.waiting = other.history.copy(), other.waiting.copy()
        return True

    def moves(self, blocks: Iterator[Block]) -> Iterator[tuple[int, Floats]]:
        """Yield from the note on, for each block of the run, its first sample and its lanes, a row for each of ROWS."""
        for block in blocks:
            if block.first < self.run.notes[0].on:
                continue
            length = block.rows.shape[1]
            lanes = self._fitting(self.lanes, length)
            if self.by_turns:
                self.lanes = lanes
            for place, row in self.plan.moved:
                lanes[place] = block.rows[row]
            end = block.first + length
            lanes[_OPEN] = _gate(self.run.notes, block.first, end, self.run.rate) if self.plan.gated else 1.0
            yield block.first, lanes

    def tones(self, blocks: Iterator[tuple[int, Floats]]) -> Iterator[tuple[int, Floats, Floats]]:
        """Yield the tones beside the lanes, at ``factor`` times the rate, a row for each channel."""
        for first, lanes in blocks:
            yield first, lanes, self.generators.block(lanes, self.run.origin + first, self.channels)

    def sound(self, lanes: Floats, fine: Floats) -> tuple[Floats, Floats]:
        """Return the lanes and the sound (2, frames) of a block, both late by ``delay`` samples."""
        rate, length = float(self.run.rate), lanes.shape[1]
        channels = np.zeros((self.channels, length))
        late = self._delayed(lanes) if self.delay else lanes
        driving = self.run.patch.voice.drive
        for c in range(self.channels):
            if self.factor > 1:
                shape(lanes, self.shapes[c], driving.crossover_hz, driving.compensated, self.factor, rate, fine[c])
                whole = np.concatenate([self.history[c], fine[c]])
                self.history[c] = whole[whole.size - self.taps.size + 1 :]
                decimate(whole, self.taps, self.factor, channels[c])
            else:
                channels[c] = fine[c]
            filter_block(late, self.plan.filters, self.filtering[c], rate, channels[c])
            for name, states in self.peaks.items():
                hz, gain, q = (late[ROWS[f"{name}_{what}"]] for what in ("frequency", "gain", "q"))
                peak_block(hz, gain, q, states[c], rate, channels[c])
        sound = np.zeros((2, length))
        _place(late, channels, sound)
        return late, sound

    def _delayed(self, lanes: Floats) -> Floats:
        """Return the lanes of a block late by ``delay`` samples; they stand until the next block is asked for."""
        self.late = self._fitting(self.late, lanes.shape[1])
        _delay(self.moving, lanes, self.waiting, self.late)
        return self.late

    def _fitting(self, table: Floats, length: int) -> Floats:
        """Return lanes of so many samples: those where they are as long, else new ones in which nothing moves yet."""
        if table.shape[1] == length:
            return table
        return np.broadcast_to(self.plan.still[:, None], (len(ROWS), length)).copy()


def _starts(patch: Patch, held: VoiceNote, unison: int) -> dict[str, list[float]]:
    """Return where each oscillator's phases start: at the fixed one, or at one of the note's own."""
    found = {}
    for which, count in (("osc1", unison), ("osc2", 1)):
        settings = getattr(patch.voice.oscillators, which)
        free = [note_random(stream(patch.performance.seed, f"{which} phase {u}"), held.number) for u in range(count)]
        fixed = settings.start == "fixed"
        found[which] = [settings.phase % 1.0 if fixed else 0.5 * (value + 1.0) for value in free]
    return found


def _generators(patch: Patch) -> Generators:
    of, is_recorded = patch.voice.oscillators, patch.at_work("recording_level")
    return Generators(
        table1=of.table(of.osc1.table),
        table2=of.table(of.osc2.table),
        table_sub=of.table(of.sub.table),
        pulsed1=of.osc1.table in PULSED,
        pulsed2=of.osc2.table in PULSED,
        sub_octaves=float(of.sub.octaves),
        unison=of.unison,
        pink=of.noise.colour == "pink",
        noise_stream=stream(patch.performance.seed, "voice noise"),
        recorded=recorded(of.recording.model_dump_json()) if is_recorded and of.recording else None,
    )


def _filters(patch: Patch) -> Filters:
    """Return the filters; the second is out of the path where it is left as it stands when a patch says nothing."""
    first, second = patch.voice.filter, patch.voice.filter2
    names = ("filter2_cutoff", "filter2_resonance", "filter_mix")
    moved = any(route.destination in names for route in patch.live_routes)
    said = moved or any(patch.base(VOICE[name]) != VOICE[name].base for name in names) or second.response != "low"
    return Filters(
        RESPONSES.index(first.response),
        first.slope == "steep",
        RESPONSES.index(second.response),
        second.slope == "steep",
        said,
        first.sings,
        second.sings,
    )


def _gate(notes: Sequence[VoiceNote], first: int, end: int, rate: int) -> Floats:
    """Return the opening of an amplifier that the gate alone drives, with a short straight ramp at either end."""
    ramp = max(GATE_RAMP_S * rate, 1.0)
    n = np.arange(first, end)
    opening = np.zeros(end - first)
    for held in notes:
        rise = np.clip((n - held.on + 1) / ramp, 0.0, 1.0)
        fall = np.clip(1.0 - (n - held.off) / ramp, 0.0, 1.0)
        opening = np.maximum(opening, np.minimum(rise, fall))
    return opening
