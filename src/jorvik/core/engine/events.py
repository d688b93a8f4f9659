"""What is played, as tables that a compiled loop reads: the performance rows and the events of any stretch."""

from collections.abc import Mapping, Sequence
from itertools import product
from typing import Any, Final, NamedTuple

import numpy as np

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.engine.notes import VoiceNote
from jorvik.core.engine.program import GLIDE_ROW, PERFORMANCE_ROWS, Ints, Program, Records, record
from jorvik.core.modules.base import GATE, NOTE_OFF, NOTE_ON, START
from jorvik.core.signals import hit_signal

_NOTE: Final = record(
    "restarts",
    "releases",
    times=("begin", "on", "off", "until"),
    numbers=("velocity", "key", "random", "glide_from_st"),
)
_CONTROL: Final = record("row", "first_point", "end_point")
_PULSE: Final = record("row", times=("begin", "end"), numbers=("value",))
_NEVER: Final = 2**62

_GATE, _TRIGGER, _VELOCITY, _KEY = (PERFORMANCE_ROWS.index(n) for n in ("gate", "trigger", "velocity", "key"))
_RANDOM, _BEND, _GLIDE = (PERFORMANCE_ROWS.index(n) for n in ("note_random", "pitch_bend", GLIDE_ROW))


class EventTable(NamedTuple):
    """The notes of one voice and the control lanes, as tables of records."""

    notes: Records
    controls: Records
    hits: Ints
    """The rows of hits that are struck."""
    pulses: Records
    """Strikes of hits, in time: what stands on a row from one sample to another."""
    points: Floats
    """Breakpoints of all control lanes, shape (points, 2): seconds and value."""
    glide_s: float
    bend_range_st: float


def event_table(
    program: Program,
    notes: Sequence[VoiceNote],
    rate: int,
    controls: Mapping[str, Sequence[Sequence[float]]] | None = None,
    turns: Sequence[int] = (0,),
) -> EventTable:
    """Return the table of one voice. The first note's values hold before it begins.

    ``controls`` are played in the place of the performance's own lanes; its macros must have a row each. Hits are
    struck from each of the samples in ``turns`` on.
    """
    records = []
    for i, held in enumerate(notes):
        begin = held.on if i else 0
        until = notes[i + 1].on if i + 1 < len(notes) else _NEVER
        numbers = (held.note.velocity / 127.0, (held.note.key - 60.0) / 12.0, held.random, held.glide_from_st)
        records.append((held.restarts, not held.taken_over, begin, held.on, held.off, until, *numbers))
    lanes, points = [], np.zeros((0, 2))
    for name, lane in (program.patch.performance.controls if controls is None else controls).items():
        lanes.append((program.performance_rows[name], len(points), len(points) + len(lane)))
        points = np.concatenate([points, np.array(lane, dtype=np.float64)])
    voice, pulses = program.patch.voice, _pulses(program, rate, turns)
    return EventTable(
        np.array(records, dtype=_NOTE),
        np.array(lanes, dtype=_CONTROL),
        np.array(sorted({pulse[0] for pulse in pulses}), dtype=np.int64),
        np.array(pulses, dtype=_PULSE),
        points,
        voice.glide_ms / 1000.0,
        float(voice.bend_range_st),
    )


def _pulses(program: Program, rate: int, turns: Sequence[int]) -> list[tuple[int, int, int, float]]:
    """Return the strikes of all hits as row, first sample, sample after the last and strength, in time."""
    phrase = program.patch.phrase
    if phrase is None:
        return []
    found = []
    for hit in phrase.hits:
        rows = [program.performance_rows[hit_signal(hit.id, trigger)] for trigger in (False, True)]
        for strike, turn in product(hit.strikes, turns):
            begin = turn + round(strike.at * phrase.beat_s * rate)
            end = max(turn + round((strike.at + strike.length) * phrase.beat_s * rate), begin + 1)
            found.append((rows[0], begin, end, strike.strength))
            found.append((rows[1], begin, begin + 1, strike.strength))
    return sorted(found, key=lambda pulse: (pulse[1], pulse[2]))


@inline_kernel
def write_events(notes: Records, events: Ints, first: int) -> None:
    """Write the events of a stretch that begins with sample ``first``."""
    for i in range(np.uint64(events.size)):
        events[i] = 0
    if first == 0:
        events[0] = START
    for number in range(np.uint64(notes.size)):
        note = notes[number]
        if note.begin >= first + events.size:
            break
        for i in _within(note.on, note.off, first, events.size):
            events[i] |= GATE
        if note.restarts:
            for i in _within(note.on, note.on + 1, first, events.size):
                events[i] |= NOTE_ON
        if note.releases:
            for i in _within(note.off, note.off + 1, first, events.size):
                events[i] |= NOTE_OFF


@inline_kernel
def write_performance(table: EventTable, rows: Floats, column: np.uint64, length: int, first: int, rate: float) -> None:
    """Write the performance rows of a stretch that begins at a column with sample ``first``.

    Rows that nothing plays are left as they are, at 0.
    """
    for row in (_GATE, _TRIGGER, _GLIDE):
        _fill(rows, row, column, (0, length), 0.0)
    for number in range(np.uint64(table.notes.size)):
        note = table.notes[number]
        if note.begin >= first + length:
            break
        _hold(note, rows, column, length, first)
        if note.glide_from_st != 0.0:
            for i in _within(note.on, note.until, first, length):
                left = 1.0 - (first + np.int64(i) - note.on) / rate / table.glide_s
                rows[_GLIDE, column + i] = note.glide_from_st * max(left, 0.0)
    for number in range(np.uint64(table.hits.size)):
        _fill(rows, table.hits[number], column, (0, length), 0.0)
    for number in range(np.uint64(table.pulses.size)):
        pulse = table.pulses[number]
        if pulse.begin >= first + length:
            break
        _fill(rows, np.int64(pulse.row), column, _clipped(pulse.begin, pulse.end, first, length), pulse.value)
    for number in range(np.uint64(table.controls.size)):
        control = table.controls[number]
        _control(control, table.points, rows, column, length, first, rate)
        if control.row == _BEND:
            for i in range(np.uint64(length)):
                rows[_GLIDE, column + i] += table.bend_range_st * rows[_BEND, column + i]


@inline_kernel
def _within(begin: int, end: int, first: int, length: int) -> range:
    """Return the places of a stretch that lie between two samples of the run."""
    a, b = _clipped(begin, end, first, length)
    return range(np.uint64(a), np.uint64(b))


@inline_kernel
def _clipped(begin: int, end: int, first: int, length: int) -> tuple[int, int]:
    """Return the first place of a stretch that lies between two samples of the run, and the one after the last."""
    return min(max(begin - first, 0), length), min(max(end - first, 0), length)


@inline_kernel
def _hold(note: Any, rows: Floats, column: np.uint64, length: int, first: int) -> None:
    there = _clipped(note.begin, note.until, first, length)
    _fill(rows, _VELOCITY, column, there, note.velocity)
    _fill(rows, _KEY, column, there, note.key)
    _fill(rows, _RANDOM, column, there, note.random)
    _fill(rows, _GATE, column, _clipped(note.on, note.off, first, length), 1.0)
    _fill(rows, _TRIGGER, column, _clipped(note.on, note.on + 1, first, length), 1.0)


@inline_kernel
def _fill(rows: Floats, row: Any, column: np.uint64, places: tuple[int, int], value: float) -> None:
    """Write one value into some places of a stretch."""
    line = rows[row, np.int64(column) + places[0] : np.int64(column) + places[1]]
    for i in range(line.size):
        line[i] = value


@inline_kernel
def _control(
    control: Any, points: Floats, rows: Floats, column: np.uint64, length: int, first: int, rate: float
) -> None:
    """Write a control lane: straight between breakpoints, held outside; of two at one time the later holds on."""
    row, begin, end = control.row, np.int64(control.first_point), np.int64(control.end_point)
    before = begin - 1
    for i in range(np.uint64(length)):
        t = (first + np.int64(i)) / rate
        while before + 1 < end and points[before + 1, 0] <= t:
            before += 1
        if before < begin:
            value = points[begin, 1]
        elif before + 1 == end:
            value = points[before, 1]
        else:
            share = (t - points[before, 0]) / (points[before + 1, 0] - points[before, 0])
            value = points[before, 1] + (points[before + 1, 1] - points[before, 1]) * share
        rows[row, column + i] = value
