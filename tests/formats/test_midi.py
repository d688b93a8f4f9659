"""MIDI files in and out: what is read against bytes put together by hand, what is written read again."""

import io
import struct
import unittest
from typing import Any

import mido
import numpy as np
import soundfile

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.phrases.gesture import thinned_to
from jorvik.core.problems import Problem
from jorvik.formats.beat import read_beat
from jorvik.formats.midi import LANE_RATE, TICKS, controlled, midi_bytes, read_midi
from tests.support import demos


def chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack(">I", len(body)) + body


def smf(*tracks: bytes, kind: int = 1, ticks: int = 96) -> bytes:
    """A file of raw tracks."""
    end = b"\x00\xff\x2f\x00"
    head = chunk(b"MThd", struct.pack(">HHH", kind, len(tracks), ticks))
    return head + b"".join(chunk(b"MTrk", track + end) for track in tracks)


TEMPO_120 = b"\x00\xff\x51\x03\x07\xa1\x20"
THREE_FOUR = b"\x00\xff\x58\x04\x03\x02\x18\x08"
NOTE = b"\x00\x90\x3c\x64\x60\x80\x3c\x00"
"""C4 at 100, a quarter note of 96 ticks long."""


class Reading(unittest.TestCase):
    def test_tempo_meter_and_a_note(self) -> None:
        read = read_midi(smf(TEMPO_120 + THREE_FOUR, NOTE), "ferry")
        [note] = read.phrase.played
        self.assertEqual((note.key, note.velocity, note.at, note.length), (60, 100, 0, 1))
        self.assertEqual((read.phrase.tempo_bpm, read.phrase.beats_per_bar, read.phrase.name), (120, 3, "ferry"))
        self.assertEqual(read.remarks, [])

    def test_running_status_and_a_note_on_of_no_velocity_that_ends(self) -> None:
        row = b"\x00\x90\x3c\x40" + b"\x30\x3c\x00" + b"\x00\x3e\x50" + b"\x30\x3e\x00"
        notes = read_midi(smf(row, kind=0)).phrase.played
        self.assertEqual([(n.key, n.velocity, n.at, n.length) for n in notes], [(60, 64, 0, 0.5), (62, 80, 0.5, 0.5)])

    def test_of_two_on_one_key_the_first_ends_first_and_what_hangs_is_held_to_the_end(self) -> None:
        row = b"\x00\x90\x3c\x40" + b"\x30\x90\x3c\x41" + b"\x30\x80\x3c\x00" + b"\x30\xb0\x01\x10"
        read = read_midi(smf(row))
        self.assertEqual([(n.at, n.length) for n in read.phrase.played], [(0, 1.0), (0.5, 1.0)])
        self.assertIn("1 notes without an end", read.remarks[0])

    def test_changes_of_tempo_are_told_and_beats_stay_beats(self) -> None:
        late = b"\x60\xff\x51\x03\x0f\x42\x40"
        read = read_midi(smf(TEMPO_120 + late, NOTE + NOTE))
        self.assertEqual([n.at for n in read.phrase.played], [0, 1])
        self.assertIn("tempo changes", read.remarks[0])

    def test_wheel_bend_pressure_percussion_and_the_rest(self) -> None:
        row = (
            b"\x00\xb0\x65\x00\x00\xb0\x64\x00\x00\xb0\x06\x0c"  # bend range 12 st
            + b"\x00\xb0\x01\x7f\x00\xe0\x00\x00\x60\xe0\x7f\x7f\x00\xd0\x40\x00\xa0\x3c\x7f\x00\xb0\x4a\x10"
            + b"\x00\x99\x24\x7f\x30\x99\x26\x3f\x00\x90\x3c\x64\x60\x80\x3c\x00"
        )
        read = read_midi(smf(row))
        lanes = read.phrase.controls
        self.assertEqual(lanes["mod_wheel"], [[0, 1.0]])
        self.assertEqual(lanes["pitch_bend"], [[0, -1.0], [1, 1.0]])
        self.assertEqual(lanes["pressure"], [[1, 64 / 127], [1, 1.0]])
        said = " ".join(read.remarks)
        self.assertIn("Controllers 74 were left out", said)
        self.assertIn("12 semitones", said)
        strikes = {hit.id: [(s.at, round(s.strength * 127)) for s in hit.strikes] for hit in read.phrase.hits}
        self.assertEqual(strikes, {"thud": [(1, 127)], "snap": [(1.5, 63)]})

    def test_of_independent_patterns_the_first_with_notes(self) -> None:
        read = read_midi(smf(TEMPO_120, NOTE, NOTE + NOTE, kind=2))
        self.assertEqual(len(read.phrase.played), 1)
        self.assertIn("independent", read.remarks[0])

    def test_a_tempo_of_nothing_is_no_tempo(self) -> None:
        stopped = b"\x00\xff\x51\x03\x00\x00\x00"
        self.assertEqual(read_midi(smf(stopped + NOTE)).phrase.tempo_bpm, 120)
        self.assertEqual(read_midi(smf(stopped + b"\x00\xff\x51\x03\x0f\x42\x40" + NOTE)).phrase.tempo_bpm, 60)

    def test_broken_files_are_refused_with_the_place(self) -> None:
        whole = smf(TEMPO_120, NOTE)
        cases: list[tuple[bytes, str]] = [
            (b"", "after 0 of 0 bytes"),
            (b"RIFF" + whole[4:], "cannot be read after"),
            (whole[:-9], rf"of {len(whole) - 9} bytes"),
            (smf(TEMPO_120), "no note"),
            (b"\0" * 3_000_000, "3 MB"),
            (smf(b"\x00\x90\x3c\x64\x01\x80\x3c\x00" * 513), "513 notes"),
            (smf(NOTE, ticks=0xE250), "frames of film"),
            (smf(b"\x00\xff\x59\x02\x44\x00" + NOTE), "cannot be read after"),
            (smf(b"\x00\x90\x3c\x64" + b"\xff\xff\xff\x7f\x80\x3c\x00"), "length: found"),
        ]
        for data, said in cases:
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                read_midi(data)

    def test_thousands_of_points_are_thinned_to_what_a_lane_holds(self) -> None:
        at = np.linspace(0, 8, 3000)
        points = np.stack([at, 0.5 + 0.5 * np.sin(at)], axis=1).tolist()
        kept = np.array(thinned_to(points, 512).points)
        self.assertLessEqual(len(kept), 512)
        off = np.interp(at, kept[:, 0], kept[:, 1]) - np.array(points)[:, 1]
        self.assertLess(float(np.abs(off).max()), 1e-4)


PHRASE: dict[str, Any] = {
    "format": "jorvik-phrase",
    "version": 1,
    "name": "Watch",
    "tempo_bpm": 90,
    "beats_per_bar": 3,
    "bars": 2,
    "played": [
        {"key": 50, "velocity": 77, "at": 0.25, "length": 1.5},
        {"key": 57, "velocity": 101, "at": 2, "length": 1},
    ],
    "hits": [{"id": "thud", "sound": "thud", "strikes": [{"at": 1.0, "strength": 0.5}]}],
    "controls": {"mod_wheel": [[0, 0], [3, 1]], "pitch_bend": [[0, 0], [1, -1]], "pressure": [[1, 0.5]]},
}


class Writing(unittest.TestCase):
    def test_what_is_written_is_read_again(self) -> None:
        phrase = check_phrase(PHRASE)
        again = read_midi(midi_bytes(phrase)).phrase
        self.assertEqual(again.played, phrase.played)
        self.assertEqual((again.tempo_bpm, again.beats_per_bar, again.bars), (90, 3, 2))
        [strike] = again.hits[0].strikes
        self.assertAlmostEqual(strike.strength, 0.5, delta=0.005)
        wheel = np.array(again.controls["mod_wheel"])
        at = np.linspace(0, 3, 50)
        self.assertLess(float(np.abs(np.interp(at, wheel[:, 0], wheel[:, 1]) - at / 3).max()), 0.01)
        self.assertEqual(again.controls["pitch_bend"][-1], [1.0, -8191 / 8192])

    def test_a_lane_becomes_a_controller_that_is_right_within_a_step(self) -> None:
        of = check_patch(demos()["ferry-horn"]).under(check_phrase(PHRASE))
        cutoff = trace(of, LANE_RATE).lanes["cutoff"].value
        for fine, steps in ((False, 127), (True, 16383)):
            file = mido.MidiFile(
                file=io.BytesIO(midi_bytes(check_phrase(PHRASE), controlled(of, {20: "cutoff"}), fine))
            )
            now, high, at, errors = 0.0, 0, 0, []
            for message in file.tracks[-1]:
                if message.time:
                    # Until the next message the share stands: compare it with the lane just before that.
                    sample = round((at + message.time) / TICKS * 60 / 90 * LANE_RATE) - 1
                    if sample < cutoff.size:
                        errors.append(abs(now - np.log2(cutoff[max(sample, 0)] / 16) / np.log2(20_000 / 16)))
                    at += message.time
                if message.type == "control_change":
                    high = message.value if message.control == 20 else high
                    low = message.value if message.control == 52 else 0
                    now = (high * 128 + low if fine else high) / steps
            self.assertGreater(len(errors), 20)
            self.assertLess(max(errors), 1.01 / steps if not fine else 0.002)

    def test_a_lane_that_nothing_moves_is_refused(self) -> None:
        of = check_patch(demos()["ferry-horn"]).under(check_phrase(PHRASE))
        with self.assertRaisesRegex(Problem, "nothing|something moves"):
            controlled(of, {20: "fold"})


class Beat(unittest.TestCase):
    def loop(self, times: list[float], levels: list[float], seconds: float = 2.0) -> bytes:
        rate = 22_050
        sound, hiss = np.zeros(round(seconds * rate)), np.random.default_rng(3)
        for at, level in zip(times, levels, strict=True):
            n = np.arange(round(0.12 * rate))
            part = level * np.exp(-n / (0.02 * rate)) * hiss.uniform(-1, 1, n.size)
            first = round(at * rate)
            sound[first : first + n.size] += part[: sound.size - first]
        buffer = io.BytesIO()
        soundfile.write(buffer, sound, rate, format="WAV")
        return buffer.getvalue()

    def test_strokes_are_found_where_they_are_and_as_hard_as_they_are(self) -> None:
        times, levels = [0.0, 0.5, 0.75, 1.25, 1.5], [0.9, 0.5, 0.3, 0.9, 0.6]
        read = read_beat(self.loop(times, levels), "ice hammer")
        strikes = read.phrase.hits[0].strikes
        beat = 60 / read.phrase.tempo_bpm
        self.assertEqual(len(strikes), 5)
        for strike, at, level in zip(strikes, times, levels, strict=True):
            self.assertAlmostEqual(strike.at * beat, at, delta=0.02)
            self.assertAlmostEqual(strike.strength, level / 0.9, delta=0.15)
        # Two seconds are a bar of four at 120, within 60 to 180.
        self.assertEqual((read.phrase.bars, read.phrase.tempo_bpm), (1, 120))

    def test_what_is_no_beat_is_refused(self) -> None:
        for data, said in (
            (b"no", "no sound"),
            (self.loop([], []), "silence"),
            (self.loop([0], [1], 0.1), "0.2 to 120"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                read_beat(data)


if __name__ == "__main__":
    unittest.main()
