"""How notes take voices: gates, glides and events, as the rows that every program starts from."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jorvik.core.engine.program import GLIDE_ROW, Ints, Program
from jorvik.core.kernels import Floats
from jorvik.core.modules.base import GATE, NOTE_OFF, NOTE_ON, START
from jorvik.core.patch import Patch
from jorvik.core.performance import Note
from jorvik.core.randomness import note_random, stream


@dataclass(frozen=True)
class Held:
    """A note on the voice: from sample ``on`` its key, velocity and random number are the voice's."""

    number: int
    note: Note
    on: int
    off: int
    """The sample at which the gate falls, or at which the next note takes the voice over."""
    taken_over: bool
    restarts: bool
    glide_from_st: float
    """Semitones from the new key at which the glide begins."""
    random: float


def run_length(patch: Patch, rate: int) -> int:
    """Return the number of samples of a run: round((last note-off + tail) x rate)."""
    return round(patch.performance.seconds * rate)


def voices(patch: Patch, rate: int) -> list[list[Held]]:
    """Return the notes of each voice, in time: one note each for poly, all of them on one voice otherwise."""
    notes = patch.performance.notes
    seed = stream(patch.performance.seed, "note_random")
    randoms = [note_random(seed, i) for i in range(len(notes))]
    if patch.voice.mode == "poly":
        return [[_held(i, note, rate, randoms[i])] for i, note in enumerate(notes)]
    in_time = sorted(range(len(notes)), key=lambda i: (notes[i].start_s, i))
    return [_one_voice(patch, [_held(i, notes[i], rate, randoms[i]) for i in in_time], rate)]


def _held(number: int, note: Note, rate: int, random: float) -> Held:
    on, off = round(note.start_s * rate), round((note.start_s + note.length_s) * rate)
    return Held(number, note, on, off, taken_over=False, restarts=True, glide_from_st=0.0, random=random)


def _one_voice(patch: Patch, notes: Sequence[Held], rate: int) -> list[Held]:
    """Let each note take the voice over from the one before, gliding from wherever its pitch is then."""
    played: list[Held] = []
    glide = patch.voice.glide_ms / 1000.0
    for i, held in enumerate(notes):
        following = notes[i + 1].on if i + 1 < len(notes) else None
        taken = following is not None and following <= held.off
        begins = 0.0
        overlaps = False
        if played:
            before = played[-1]
            overlaps = notes[i - 1].off > held.on
            begins = before.note.key + _glide_at(before, held.on, glide, rate) - held.note.key
        played.append(
            Held(
                held.number,
                held.note,
                held.on,
                following if taken and following is not None else held.off,
                taken,
                restarts=not (patch.voice.mode == "legato" and overlaps),
                glide_from_st=begins if glide > 0.0 else 0.0,
                random=held.random,
            )
        )
    return played


def _glide_at(held: Held, sample: int, glide_s: float, rate: int) -> float:
    t = (sample - held.on) / rate
    return held.glide_from_st * (1.0 - t / glide_s) if t < glide_s else 0.0


class Player:
    """Fills the performance rows and the events of any stretch of a voice."""

    def __init__(self, program: Program, notes: Sequence[Held], rate: int) -> None:
        self.notes = notes
        self.rate = rate
        self.rows = program.performance_rows
        self.glide_s = program.patch.voice.glide_ms / 1000.0
        self.bend_range = program.patch.voice.bend_range_st
        lanes = program.patch.performance.controls.items()
        self.controls = {name: np.array(points, dtype=np.float64) for name, points in lanes}

    def fill(self, rows: Floats, events: Ints, first: int) -> None:
        """Write the performance rows of a stretch of the table, and its events, from sample ``first`` on."""
        length = events.size
        end = first + length
        events[:] = 0
        out = rows[: len(self.rows)]
        out[:] = 0.0
        for i, held in enumerate(self.notes):
            if held.on >= end and i > 0:
                break
            until = self.notes[i + 1].on if i + 1 < len(self.notes) else end
            self._hold(out, events, held, first, 0 if i == 0 else held.on, until)
        if first == 0:
            events[0] |= START
        self._controls(out, first)

    def _hold(self, out: Floats, events: Ints, held: Held, first: int, begin: int, until: int) -> None:
        length = events.size
        a, b = (min(max(at - first, 0), length) for at in (begin, until))
        out[self.rows["velocity"], a:b] = held.note.velocity / 127.0
        out[self.rows["key"], a:b] = (held.note.key - 60.0) / 12.0
        out[self.rows["note_random"], a:b] = held.random
        on, off = (min(max(at - first, 0), length) for at in (held.on, held.off))
        out[self.rows["gate"], on:off] = 1.0
        events[on:off] |= GATE
        if 0 <= held.on - first < length:
            out[self.rows["trigger"], on] = 1.0
            if held.restarts:
                events[on] |= NOTE_ON
        if 0 <= held.off - first < length and not held.taken_over:
            events[off] |= NOTE_OFF
        if held.glide_from_st != 0.0:
            self._glide(out, held, first, max(a, on), b)

    def _glide(self, out: Floats, held: Held, first: int, a: int, b: int) -> None:
        t = (np.arange(first + a, first + b) - held.on) / self.rate
        out[self.rows[GLIDE_ROW], a:b] = held.glide_from_st * np.clip(1.0 - t / self.glide_s, 0.0, None)

    def _controls(self, out: Floats, first: int) -> None:
        if not self.controls:
            return
        t = np.arange(first, first + out.shape[1]) / self.rate
        for name, points in self.controls.items():
            out[self.rows[name]] = np.interp(t, points[:, 0], points[:, 1])
        out[self.rows[GLIDE_ROW]] += self.bend_range * out[self.rows["pitch_bend"]]
