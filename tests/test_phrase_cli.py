"""Phrases on the command line: made, read and written, and patches under them."""

import json
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
import soundfile

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.voice.render import render
from jorvik.formats.midi import MAX_FILE_BYTES
from jorvik.place import ROOT
from tests.support import demos
from tests.test_judging_cli import said

BELL = str(ROOT / "demo/barge-bell.json")
BEAT = str(ROOT / "demo/phrases/ice-hammer.json")


class Phrases(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def file(self, name: str) -> str:
        return str(self.folder / name)

    def phrase(self, name: str) -> Phrase:
        return check_phrase(json.loads(Path(self.file(name)).read_text()))

    def test_made_to_a_pattern_and_of_a_typed_row(self) -> None:
        made = self.file("up.json")
        pattern = ("--pattern", "up-and-down", "--chord", "C3,Eb3,G3", "--rate", "1/4", "--bars", "2")
        self.assertEqual(said("phrase", "make", *pattern, "--velocities", "110,70", "--out", made)[0], 0)
        notes = self.phrase("up.json").played
        self.assertEqual([note.key for note in notes], [48, 51, 55, 51] * 2)
        self.assertEqual([note.velocity for note in notes[:3]], [110, 70, 110])
        said("phrase", "make", "--typed", "C3 1/8 . E3 1/4 v112", "--tempo", "120", "--out", self.file("row.json"))
        row = self.phrase("row.json")
        self.assertEqual([(n.key, n.at, n.length, n.velocity) for n in row.played], [(48, 0, 0.5, 96), (52, 1, 1, 112)])
        self.assertEqual(row.tempo_bpm, 120)
        for wrong in (("--rate", "often"), ("--chord", "H3"), ("--pattern", "sideways"), ("--octaves", "9")):
            self.assertEqual(said("phrase", "make", *wrong, "--out", made)[0], 2, wrong)

    def test_from_midi_and_to_midi_with_a_lane_as_controller(self) -> None:
        file = mido.MidiFile(ticks_per_beat=480)
        notes = mido.MidiTrack()
        for kind, time in (("note_on", 0), ("note_off", 240), ("note_on", 240), ("note_off", 480)):
            notes.append(mido.Message(kind, note=50, velocity=90, time=time))
        file.tracks.append(notes)
        file.save(self.file("song.mid"))
        self.assertEqual(said("phrase", "from-midi", self.file("song.mid"), "--out", self.file("song.json"))[0], 0)
        self.assertEqual([(n.at, n.length) for n in self.phrase("song.json").played], [(0, 0.5), (1, 1)])
        lane = ("--patch", BELL, "--lane", "cutoff=74", "--lane", "macro:striker=20")
        self.assertEqual(said("phrase", "to-midi", self.file("song.json"), *lane, "--out", self.file("out.mid"))[0], 0)
        sent = [message for track in mido.MidiFile(self.file("out.mid")).tracks for message in track]
        self.assertEqual({m.control for m in sent if m.type == "control_change"}, {20, 74})
        self.assertEqual(sum(m.type == "note_on" and m.velocity > 0 for m in sent), 2)
        for wrong in (
            ("--lane", "cutoff=74"),
            ("--patch", BELL, "--lane", "fold=20"),
            ("--patch", BELL, "--lane", "x"),
        ):
            self.assertEqual(
                said("phrase", "to-midi", self.file("song.json"), *wrong, "--out", self.file("x.mid"))[0], 2
            )
        Path(self.file("large.mid")).write_bytes(bytes(MAX_FILE_BYTES + 1))
        self.assertEqual(said("phrase", "from-midi", self.file("large.mid"), "--out", self.file("large.json"))[0], 2)
        self.assertFalse(Path(self.file("large.json")).exists())

    def test_the_strokes_of_a_recorded_beat(self) -> None:
        rate, rng = 22_050, np.random.default_rng(2)
        sound = np.zeros(2 * rate)
        for at in (0.1, 0.6, 1.1, 1.6):
            burst = rng.normal(0.0, 0.4, 2000) * np.exp(-np.arange(2000) / 300)
            sound[round(at * rate) : round(at * rate) + 2000] += burst
        soundfile.write(self.file("loop.wav"), sound, rate)
        self.assertEqual(said("phrase", "from-beat", self.file("loop.wav"), "--out", self.file("beat.json"))[0], 0)
        found = self.phrase("beat.json")
        times = [strike.at * found.beat_s for hit in found.hits for strike in hit.strikes]
        self.assertEqual(len(times), 4)
        np.testing.assert_allclose(np.diff(times), 0.5, atol=0.03)

    def test_a_patch_under_a_phrase_traced_measured_judged_and_heard(self) -> None:
        said("phrase", "make", "--typed", "C3 1/4 G3 v40", "--out", self.file("two.json"))
        under = ("--phrase", self.file("two.json"))
        of = check_patch(demos()["barge-bell"]).under(self.phrase("two.json"))
        for note in (1, 2):
            _, text = said("measure", BELL, *under, "--note", str(note), "--json")
            found = json.loads(text)
            cutoff = trace(of, 48_000, note - 1).lanes["cutoff"].value
            self.assertAlmostEqual(
                found["lanes"]["cutoff"]["measures"]["peak"], cutoff.max(), delta=1e-6 * cutoff.max()
            )
            self.assertLessEqual({"hits", "bars", "meeting", "note_rates"}, set(found))
        said("trace", BELL, *under, "--note", "2", "--out", self.file("two.npz"))
        with np.load(self.file("two.npz")) as traced:
            np.testing.assert_allclose(traced["lane.cutoff"], cutoff, rtol=1e-9)
        self.assertEqual(said("measure", BELL, *under, "--note", "3")[0], 2)
        self.assertIn(said("check", BELL, *under, "--note", "2", "--json")[0], (0, 1))
        sounds = []
        for hits in ((), ("--with-hits",)):
            said("render", BELL, "--phrase", BEAT, *hits, "--depth", "32f", "--out", self.file("sound.wav"))
            sounds.append(soundfile.read(self.file("sound.wav"))[0])
        self.assertEqual(sounds[0].shape, sounds[1].shape)
        self.assertGreater(float(np.abs(sounds[1] - sounds[0]).max()), 0.1)

    def test_a_take_is_rendered_as_it_was_heard(self) -> None:
        struck = {"key": 48, "velocity": 100, "on": 4000, "off": 20_000}
        bell = json.loads(Path(BELL).read_text())
        take = {
            "format": "jorvik-take",
            "version": 1,
            "begins": 2000,
            "ends": 24_000,
            "played": [struck],
            "patch": bell,
        }
        Path(self.file("take.json")).write_text(json.dumps(take))
        self.assertEqual(
            said("take", "render", self.file("take.json"), "--depth", "32f", "--out", self.file("t.wav"))[0], 0
        )
        sound, rate = soundfile.read(self.file("t.wav"))
        phrase = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 60, "bars": 1}
        played = [{"key": 48, "velocity": 100, "at": 4000 / 48_000, "length": 16_000 / 48_000}]
        under = check_patch(bell).under(check_phrase({**phrase, "played": played}))
        expected = render(under).samples[2000:]
        self.assertEqual(rate, 48_000)
        length = min(len(sound), len(expected)) - 2000
        np.testing.assert_allclose(sound[:length], expected[:length], atol=1e-6)
        Path(self.file("take.json")).write_text(json.dumps({**take, "ends": 1}))
        self.assertEqual(said("take", "render", self.file("take.json"), "--out", self.file("t.wav"))[0], 2)

    def test_the_schema_of_a_phrase(self) -> None:
        code, text = said("schema", "phrase")
        self.assertEqual((code, json.loads(text)["properties"]["format"]["const"]), (0, "jorvik-phrase"))


if __name__ == "__main__":
    unittest.main()
