"""Phrases from MIDI files and to them (Standard MIDI File 1.0), by way of mido."""

import io
import math
from collections import Counter, deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

import mido
import numpy as np
from mido.midifiles.meta import KeySignatureError

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import Phrase
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.trace import trace
from jorvik.core.limits import MAX_BARS, MAX_GESTURE_POINTS, MAX_NAME, MAX_PHRASE_NOTES
from jorvik.core.phrases.simplifying import within_limit
from jorvik.core.phrases.typed import phrase_of
from jorvik.core.problems import Problem
from jorvik.core.units.tempo import Tempo

MAX_FILE_BYTES: Final = 2_000_000

LANE_RATE: Final = 4_000
"""Samples a second of a lane that becomes a controller: a message a quarter of a millisecond is more than any takes."""

TICKS: Final = 960
"""Of a quarter note, in what is written."""

PERCUSSION: Final = 9
"""The channel that General MIDI keeps for percussion, counted from 0."""
_DRUMS: Final = {"thud": (35, 36, 41, 43), "snap": (38, 39, 40, 37), "tick": (42, 44, 46, 51, 54, 70)}
"""Which of its keys sound like which hit."""
_RPN: Final = (101, 100, 6, 38)
_BEND_RANGE_ST: Final = 2.0


@dataclass
class ReadMidi:
    """A phrase, and what was left out or changed on the way to it, in sentences."""

    phrase: Phrase
    remarks: list[str] = field(default_factory=list)


def read_midi(data: bytes, name: str = "") -> ReadMidi:
    """Return the phrase in a MIDI file: notes, percussion as hits, wheel, bend and pressure as lanes.

    Raises Problem with the place where a file is broken, or where it holds more than a phrase may.
    """
    file = _opened(data)
    messages, remarks = _in_time(file)
    tempo, remarks_of_tempo = _tempo(messages)
    remarks += remarks_of_tempo
    notes, struck, hanging = _notes(messages, file.ticks_per_beat)
    if hanging:
        remarks.append(f"{hanging} notes without an end are held to the end of the file.")
    if not notes and not any(struck.values()):
        raise Problem("the MIDI file", "no note", "one with notes")
    if len(notes) > MAX_PHRASE_NOTES:
        raise Problem("the MIDI file", f"{len(notes)} notes", f"{MAX_PHRASE_NOTES} notes at most")
    lanes, more = _lanes(messages)
    hits = [{"id": track, "sound": track, "strikes": strikes} for track, strikes in struck.items() if strikes]
    about: dict[str, Any] = {"tempo_bpm": tempo.bpm, "beats_per_bar": tempo.beats_per_bar}
    # A file ends where its tracks do: silence at the end of a bar is part of it.
    about["bars"] = min(max(1, -int(-(messages[-1].at - 1e-9) // tempo.beats_per_bar)), MAX_BARS)
    if name:
        about["name"] = name[:MAX_NAME]
    about |= within_limit(lanes)
    if hits:
        about["hits"] = hits
    return ReadMidi(phrase_of(notes, **about), remarks + more)


def _opened(data: bytes) -> mido.MidiFile:
    if len(data) > MAX_FILE_BYTES:
        raise Problem("the MIDI file", f"{len(data) / 1e6:.3g} MB", f"{MAX_FILE_BYTES / 1e6:g} MB at most")
    source = io.BytesIO(data)
    try:
        return mido.MidiFile(file=source, clip=True)
    except (OSError, EOFError, ValueError, KeyError, IndexError, TypeError, UnicodeError, KeySignatureError) as error:
        found = f"something that cannot be read after {source.tell()} of {len(data)} bytes ({str(error) or 'its end'})"
        raise Problem("the MIDI file", found, "a Standard MIDI File") from None


@dataclass(frozen=True)
class _At:
    """A message and when it comes, in quarter notes."""

    at: float
    message: Any


def _in_time(file: mido.MidiFile) -> tuple[list[_At], list[str]]:
    """Return all messages of a file in time; of independent patterns (type 2) the first that has notes."""
    if file.ticks_per_beat <= 0 or file.ticks_per_beat >= 0x8000:
        raise Problem("the MIDI file", "times in frames of film", "times in parts of a quarter note")
    tracks, remarks = list(file.tracks), []
    if file.type == 2 and len(tracks) > 1:
        tracks = [track for track in tracks if any(m.type == "note_on" for m in track)][:1] or tracks[:1]
        remarks.append("Of several independent patterns the first with notes was read.")
    found: list[tuple[int, int, Any]] = []
    for number, track in enumerate(tracks):
        ticks = 0
        for message in track:
            ticks += message.time
            found.append((ticks, number, message))
    # Of what comes at one moment an end goes before a beginning.
    found.sort(key=lambda one: (one[0], _is_on(one[2])))
    return [_At(ticks / file.ticks_per_beat, message) for ticks, _, message in found], remarks


def _is_on(message: Any) -> bool:
    return bool(message.type == "note_on" and message.velocity > 0)


def _tempo(messages: Sequence[_At]) -> tuple[Tempo, list[str]]:
    """Return the tempo and the meter that a file begins with, and what is said of changes."""
    remarks = []
    # A tempo of 0 microseconds a beat is none.
    tempos = [one for one in messages if one.message.type == "set_tempo" and one.message.tempo > 0]
    meters = [one for one in messages if one.message.type == "time_signature"]
    bpm = min(max(mido.tempo2bpm(tempos[0].message.tempo), 10.0), 999.0) if tempos else 120.0
    if len({one.message.tempo for one in tempos}) > 1:
        remarks.append(f"Its tempo changes; all of it stands at the first, {bpm:.4g} bpm, beat for beat.")
    bar = 4.0
    if meters:
        first = meters[0].message
        bar = 4.0 * first.numerator / first.denominator
    beats = min(max(round(bar), 1), 32)
    if len({(one.message.numerator, one.message.denominator) for one in meters}) > 1:
        remarks.append("Its meter changes; the first is kept.")
    if beats != bar:
        remarks.append(f"A bar of {bar:g} quarter notes is counted as {beats}.")
    return Tempo(float(f"{bpm:.6g}"), beats), remarks


def _notes(messages: Sequence[_At], ticks: int) -> tuple[list[dict[str, Any]], dict[str, list[dict[str, Any]]], int]:
    """Return the notes, the strikes of each hit, and how many notes never ended."""
    held: dict[tuple[int, int], deque[dict[str, Any]]] = {}
    notes: list[dict[str, Any]] = []
    strikes: dict[str, list[dict[str, Any]]] = {track: [] for track in _DRUMS}
    least = 1.0 / ticks
    for one in messages:
        message = one.message
        if message.type not in ("note_on", "note_off"):
            continue
        if message.channel == PERCUSSION:
            if _is_on(message):
                track = next((track for track, keys in _DRUMS.items() if message.note in keys), "tick")
                strikes[track].append({"at": one.at, "strength": round(message.velocity / 127.0, 6)})
            continue
        under_way = held.setdefault((message.channel, message.note), deque())
        if _is_on(message):
            note = {"key": message.note, "velocity": message.velocity, "at": one.at, "length": 0.0}
            under_way.append(note)
            notes.append(note)
        elif under_way:
            # Of two on one key the one that began first ends first.
            note = under_way.popleft()
            note["length"] = max(one.at - note["at"], least)
    end = max((one.at for one in messages), default=0.0)
    hanging = [note for waiting in held.values() for note in waiting]
    for note in hanging:
        note["length"] = max(end - note["at"], least)
    return notes, strikes, len(hanging)


def _lanes(messages: Sequence[_At]) -> tuple[dict[str, list[list[float]]], list[str]]:
    """Return wheel, bend and pressure as steps of a controller, thinned, and what is said of the rest."""
    found: dict[str, list[list[float]]] = {"mod_wheel": [], "pitch_bend": [], "pressure": []}
    others: Counter[int] = Counter()
    rpn: dict[int, int] = {}
    bend_range = _BEND_RANGE_ST
    for one in messages:
        message, value = one.message, None
        if message.type == "pitchwheel":
            name, value = "pitch_bend", min(max(message.pitch / (8191.0 if message.pitch > 0 else 8192.0), -1.0), 1.0)
        elif message.type in ("aftertouch", "polytouch"):
            name, value = "pressure", message.value / 127.0
        elif message.type == "control_change" and message.control == 1:
            name, value = "mod_wheel", message.value / 127.0
        elif message.type == "control_change" and message.control in _RPN:
            rpn[message.control] = message.value
            if message.control == 6 and rpn.get(101) == 0 and rpn.get(100) == 0:
                bend_range = float(message.value)
        elif message.type == "control_change":
            others[message.control] += 1
        if value is not None:
            found[name].append([one.at, value])
    remarks = []
    if others:
        said = ", ".join(str(number) for number in sorted(others))
        remarks.append(f"Controllers {said} were left out: a phrase plays wheel, bend, pressure and macros.")
    if found["pitch_bend"] and bend_range != _BEND_RANGE_ST:
        remarks.append(f"Its bend reaches {bend_range:g} semitones: set the patch's bend range to that.")
    lanes = {}
    for name, points in found.items():
        if len(points) > MAX_GESTURE_POINTS:
            raise Problem(f"{name} in the MIDI file", f"{len(points)} points", f"{MAX_GESTURE_POINTS} at most")
        if points:
            lanes[name] = points
    return lanes, remarks


def midi_bytes(phrase: Phrase, lanes: Mapping[int, tuple[Floats, int]] | None = None, fine: bool = False) -> bytes:
    """Return a phrase as a MIDI file of type 1: tempo and meter, notes, percussion, played lanes.

    ``lanes`` gives each controller's number values of 0 to 1 and their rate a second; a value is written where its
    step changes, in 7 bits or, ``fine``, in 14 (controllers 0 to 31, with their lower half 32 further on).

    Raises Problem for a controller that is not there.
    """
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS)
    head = [(0, mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(phrase.tempo_bpm)))]
    head.append((0, mido.MetaMessage("time_signature", numerator=phrase.beats_per_bar, denominator=4)))
    end = round(phrase.bars * phrase.beats_per_bar * TICKS)
    _add(file, phrase.name, head, end)
    notes: list[tuple[int, mido.Message]] = []
    for note in phrase.played:
        on, off = round(note.at * TICKS), round((note.at + note.length) * TICKS)
        key, hard = round(note.key), min(max(round(note.velocity), 1), 127)
        notes.append((on, mido.Message("note_on", note=key, velocity=hard)))
        notes.append((max(off, on + 1), mido.Message("note_off", note=key, velocity=0)))
    _add(file, "notes", notes + _played_lanes(phrase), end)
    struck: list[tuple[int, mido.Message]] = []
    for hit in phrase.hits:
        key = _DRUMS.get(hit.sound, (56,))[0] + (1 if hit.sound == "thud" else 0)
        for strike in hit.strikes:
            about = {"channel": PERCUSSION, "note": key}
            on = round(strike.at * TICKS)
            hard = min(max(round(127 * strike.strength), 1), 127)
            struck.append((on, mido.Message("note_on", velocity=hard, **about)))
            struck.append((on + max(round(strike.length * TICKS), 1), mido.Message("note_off", velocity=0, **about)))
    if struck:
        _add(file, "hits", struck, end)
    for number, (values, rate) in (lanes or {}).items():
        if not 0 <= number <= (31 if fine else 119):
            raise Problem("the controller", str(number), "0 to 31 in 14 bits" if fine else "0 to 119")
        _add(file, f"controller {number}", _controller(number, values, rate, phrase.tempo_bpm, fine), end)
    buffer = io.BytesIO()
    file.save(file=buffer)
    return buffer.getvalue()


def controlled(patch: Patch, wanted: Mapping[int, str]) -> dict[int, tuple[Floats, int]]:
    """Return lanes of a patch under its phrase as shares of their range, for controllers, and their rate a second.

    A lane that moves in octaves is shared out in octaves. Of a poly patch it is that of its first voice.

    Raises Problem for a lane that nothing moves.
    """
    made = trace(patch, LANE_RATE)
    found = {}
    for number, name in wanted.items():
        if name.startswith("macro:") and name.removeprefix("macro:") in made.signals:
            found[number] = (made.signals[name.removeprefix("macro:")], LANE_RATE)
            continue
        lane = made.lanes.get(name)
        if lane is None:
            raise Problem("the lane", f'"{name}"', f"one that something moves: {', '.join(made.lanes)}")
        at, values = lane.lane.destination, lane.value
        low, high = at.low, at.high
        if at.steps_per_octave:
            low, high, values = math.log2(low), math.log2(high), np.log2(values)
        found[number] = ((values - low) / (high - low), LANE_RATE)
    return found


def _played_lanes(phrase: Phrase) -> list[tuple[int, mido.Message]]:
    """Return wheel, bend and pressure as messages, one where a step of the controller changes."""
    found: list[tuple[int, mido.Message]] = []
    for name, points in phrase.controls.items():
        if name.startswith("macro:"):
            continue
        table = np.asarray(points)
        ticks = np.arange(round(table[0, 0] * TICKS), round(table[-1, 0] * TICKS) + 1, 4)
        values = np.interp(ticks / TICKS, table[:, 0], table[:, 1])
        steps = np.round(values * (8191 if name == "pitch_bend" else 127)).astype(int)
        for i in np.flatnonzero(np.diff(steps, prepend=steps[0] - 1)):
            found.append((int(ticks[i]), _played_message(name, int(steps[i]))))
    return found


def _played_message(name: str, step: int) -> mido.Message:
    if name == "pitch_bend":
        return mido.Message("pitchwheel", pitch=step)
    if name == "pressure":
        return mido.Message("aftertouch", value=step)
    return mido.Message("control_change", control=1, value=step)


def _controller(number: int, values: Floats, rate: int, bpm: float, fine: bool) -> list[tuple[int, mido.Message]]:
    steps = np.round(np.clip(values, 0.0, 1.0) * (16383 if fine else 127)).astype(int)
    changes = np.flatnonzero(np.diff(steps, prepend=steps[0] - 1))
    found: list[tuple[int, mido.Message]] = []
    for i in changes:
        at, step = round(float(i) / rate * bpm / 60.0 * TICKS), int(steps[i])
        found.append((at, mido.Message("control_change", control=number, value=step >> 7 if fine else step)))
        if fine:
            found.append((at, mido.Message("control_change", control=number + 32, value=step & 127)))
    return found


def _add(file: mido.MidiFile, name: str, messages: Sequence[tuple[int, Any]], end: int) -> None:
    """Add a track of messages at ticks; an end comes before a beginning at the same tick."""
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=name.encode("latin-1", "replace").decode("latin-1"))])
    before = 0
    for tick, message in sorted(messages, key=lambda one: (one[0], _is_on(one[1]))):
        track.append(message.copy(time=tick - before))
        before = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - before, 0)))
    file.tracks.append(track)
