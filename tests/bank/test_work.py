"""What each work says of a piece, found a second way; files read back by another reader."""

import io
import json
import re
import struct
import tempfile
import unittest
import wave
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from jorvik.bank.doing import FAILED, Limits, do
from jorvik.bank.finishing import finish
from jorvik.bank.naming import sample_name
from jorvik.bank.pieces import Piece, engine_version, plan
from jorvik.bank.settings import BankSettings
from jorvik.bank.work import Made, make
from jorvik.bank.work.samples import trimmed
from jorvik.core.document.patch import check_patch
from jorvik.core.engine.run import Cancelled
from jorvik.core.findings import check
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from jorvik.formats.archive import Entry
from jorvik.formats.sfz import read_sfz
from jorvik.place import ROOT
from tests.support import Json, demos, document, note

HELD: Json = document(
    [{"id": "open", "kind": "envelope", "attack_s": 0.01, "decay_s": 0.0, "sustain": 1.0, "release_s": 0.1}],
    [{"source": "open", "destination": "amplitude", "amount": 0.5}],
    name="Held",
    voice={"base": {"amplitude": 0.0, "cutoff": 4000.0}},
    performance=note(1.0, tail_s=0.5, key=57, velocity=100),
)


def piece(patch: Json, work: str, **more: Any) -> Piece:
    (made,) = plan([Entry("a.json", patch)], BankSettings.model_validate({"work": work, **more})).pieces
    return made


def done(patch: Json, work: str, **more: Any) -> Made:
    return make(piece(patch, work, **more), lambda: False)


class Works(unittest.TestCase):
    def test_a_render_is_the_sound_that_jv_render_makes(self) -> None:
        made = done(HELD, "render", keys=[45], depth="32f")
        (data,) = made.files.values()
        samples, rate = soundfile.read(io.BytesIO(data))
        wanted = render(check_patch(HELD).with_note(key=45.0), 48_000).samples
        self.assertEqual(rate, 48_000)
        np.testing.assert_allclose(samples, wanted, atol=1e-7)

    def test_measured_is_what_formulas_say(self) -> None:
        figures = done(HELD, "measure", rate=44_100).figures
        self.assertAlmostEqual(figures["seconds"], 1.5, places=4)
        self.assertEqual((figures["amplitude_peak"], figures["amplitude_rest"]), (0.5, 0.5))
        samples = render(check_patch(HELD), 44_100).samples
        self.assertAlmostEqual(
            figures["crest_db"],
            20 * np.log10(np.abs(samples).max() / np.sqrt((samples**2).mean())),
            places=2,
        )
        # Released from 0.5 to 60 dB under it, from when the gate falls.
        self.assertGreater(figures["inaudible_after_s"], 1.0)
        self.assertLess(figures["inaudible_after_s"], 1.11)

    def test_a_check_counts_what_is_not_set_aside(self) -> None:
        clicks = demos()["wrong-click"]
        figures = done(clicks, "check").figures
        found = check(check_patch(clicks))
        self.assertEqual(figures["faults"], sum(f.severity == "fault" for f in found))
        self.assertIn("click", figures["rules"])
        aside = {**clicks, "set_aside": [{"finding": f.key, "reason": "meant"} for f in found]}
        figures = done(aside, "check").figures
        self.assertEqual((figures["faults"], figures["rules"], figures["meant"]), (0, [], len(found)))

    def test_a_sweep_tells_its_marks(self) -> None:
        figures = done(HELD, "sweep", of="cutoff", steps=12).figures
        self.assertEqual((figures["of"], figures["unit"]), ("cutoff", "Hz"))
        self.assertGreater(figures["loudest_lufs"], figures["quietest_lufs"])

    def test_a_card_tells_what_cannot_be_had(self) -> None:
        card = json.loads((ROOT / "demo" / "cards" / "small-staithe.json").read_text())
        made = done(demos()["night-watch"], "card", card=card)
        whole = json.loads(next(iter(made.files.values())))
        self.assertEqual(made.figures["controls"], len(whole["controls"]))
        self.assertEqual(made.figures["cannot_said"], whole["cannot"])
        cents = [abs(row["error"]) for row in whole["controls"] if row["error_unit"] == "cents"]
        self.assertAlmostEqual(made.figures["worst_cents"], max(cents), places=3)

    def test_a_sheet_is_a_page(self) -> None:
        for ending, begins in (("html", b"<!doctype html>"), ("svg", b"<svg")):
            made = done(HELD, "sheet", ending=ending)
            self.assertEqual(list(made.files), [f"held.{ending}"])
            self.assertTrue(made.files[f"held.{ending}"].startswith(begins))


class Samples(unittest.TestCase):
    def test_silence_is_trimmed_and_nothing_that_is_heard(self) -> None:
        late = np.zeros((1000, 2))
        late[300:700, 1] = 0.5
        late[699, 1] = 0.5 * 10 ** (-79 / 20)
        self.assertEqual(trimmed(late, -80.0), (300, 700))
        self.assertEqual(trimmed(late, -60.0), (300, 699))
        with self.assertRaisesRegex(Problem, "silence"):
            trimmed(np.zeros((10, 2)), -80.0)

    def test_a_held_note_is_looped_and_the_file_says_where(self) -> None:
        made = done(HELD, "samples", depth="16")
        ((name, data),) = made.files.items()
        self.assertEqual(name, "Held-A3-v100.wav")
        start, end = made.figures["loop_start"], made.figures["loop_end"]
        # Read by the library's own reader, and the chunk by the letter of its format.
        with wave.open(io.BytesIO(data)) as read:
            self.assertEqual((read.getnchannels(), read.getsampwidth(), read.getframerate()), (2, 2, 48_000))
            frames = np.frombuffer(read.readframes(read.getnframes()), dtype="<i2").reshape(-1, 2)
        self.assertEqual(struct.unpack_from("<I", data, 4)[0], len(data) - 8)
        at = data.index(b"smpl")
        size, _, _, period, unity = struct.unpack_from("<5I", data, at + 4)
        loops = struct.unpack_from("<I", data, at + 8 + 28)[0]
        _, kind, first, last = struct.unpack_from("<4I", data, at + 8 + 36)
        self.assertEqual((size, unity, loops, kind), (60, 57, 1, 0))
        self.assertEqual(period, round(1e9 / 48_000))
        self.assertEqual((first, last + 1), (start, end))
        hertz = 220.0
        periods = (end - start) * hertz / 48_000
        self.assertLess(abs(periods - round(periods)) * 48_000 / hertz, 1.0)
        before, after = frames[start - 400 : start, 0] / 32768, frames[end - 400 : end, 0] / 32768
        np.testing.assert_allclose(before, after, atol=0.02 * np.abs(after).max())

    def test_a_set_of_barge_bell_maps_every_key_for_another_reader(self) -> None:
        settings = BankSettings.model_validate(
            {"work": "samples", "keys": [36, 48, 60], "velocities": [60, 127], "samples": {"round_robin": 2}}
        )
        made = plan([Entry("bell.json", demos()["barge-bell"])], settings)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            rows = {one.id: do(one, Limits(), engine_version(), name)[0] for one in made.pieces}
            found = finish(made, rows, folder)
            self.assertEqual({record["map_said"] for record in found}, {"every key and velocity sounds one sample"})
            # By the letter of the format, with nothing of ours.
            text = re.sub(r"//[^\n]*", "", (folder / "barge-bell.sfz").read_text())
            regions = [
                dict(re.findall(r"(\w+)=([^=\n]*?)(?=\s+\w+=|\n|$)", part)) for part in text.split("<region>")[1:]
            ]
            self.assertEqual(len(regions), 12)
            for key in range(128):
                for velocity in (1, 59, 60, 61, 100, 127):
                    hit = [
                        one
                        for one in regions
                        if int(one["lokey"]) <= key <= int(one["hikey"])
                        and int(one["lovel"]) <= velocity <= int(one["hivel"])
                    ]
                    self.assertEqual(sorted(one["seq_position"] for one in hit), ["1", "2"])
                    nearest = min((36, 48, 60), key=lambda sampled: abs(sampled - key))
                    self.assertEqual({int(one["pitch_keycenter"]) for one in hit}, {nearest})
            for one in regions:
                with wave.open(str(folder / one["sample"])) as read:
                    self.assertGreater(read.getnframes(), 24_000)

    def test_what_falls_is_not_looped(self) -> None:
        falls = demos()["barge-bell"]
        self.assertIsNone(done(falls, "samples").figures["loop_start"])

    def test_names_are_the_users_own(self) -> None:
        self.assertEqual(sample_name("{number}_{velocity}{round}", "X", 61, 80, {"seed": 4}), "61_80-r4.wav")
        for bad in ("{what}", "a/b", "{", "..", "", "a\nb"):
            with self.subTest(bad), self.assertRaisesRegex(Problem, "the names"):
                sample_name(bad, "X", 61, 80, {})

    def test_samples_of_patches_with_one_name_and_of_a_pattern_without_keys_are_files_of_their_own(self) -> None:
        twins = [Entry(f"{n}.json", {**HELD, "name": "Twin", "voice": {"base": {"cutoff": 500.0 * n}}}) for n in (1, 2)]
        how = {"work": "samples", "keys": [45, 57], "velocities": [90], "samples": {"loops": False}}
        for samples in ({}, {"name": "{patch}"}, {"name": "Sample"}):
            with self.subTest(samples=samples), tempfile.TemporaryDirectory() as name:
                made = plan(twins, BankSettings.model_validate({**how, "samples": {"loops": False, **samples}}))
                rows = {one.id: do(one, Limits(), engine_version(), name)[0] for one in made.pieces}
                files = [file for row in rows.values() for file in row.files]
                self.assertEqual(len({file.casefold() for file in files}), 4)
                found = finish(made, rows, Path(name))
                self.assertEqual({record["map"] for record in found}, {"twin.sfz", "twin-2.sfz"})
                self.assertEqual({record["map_said"] for record in found}, {"every key and velocity sounds one sample"})
                mapped = [read_sfz((Path(name) / one).read_text()) for one in ("twin.sfz", "twin-2.sfz")]
                self.assertEqual({one.file for one in mapped[0]} & {one.file for one in mapped[1]}, set())


class Bounds(unittest.TestCase):
    def row(self, of: Json, limits: Limits, version: str = "") -> tuple[str, str, bool]:
        row, _ = do(piece(of, "render"), limits, version or engine_version(), None)
        return row.state, row.said, row.again

    def test_what_takes_too_long_is_named(self) -> None:
        state, said, again = self.row(HELD, Limits(seconds=0.0))
        self.assertEqual((state, said, again), (FAILED, "It took longer than 0 s.", False))

    def test_what_comes_to_no_number_is_named(self) -> None:
        grows: Json = {"id": "grows", "kind": "mix", "inputs": [{"source": "grows", "gain": 900}, {"source": "gate"}]}
        endless = document([grows], [{"source": "grows", "destination": "fold", "amount": 1.0}])
        state, said, again = self.row(endless, Limits())
        self.assertEqual((state, again), (FAILED, False))
        self.assertIn("grows", said)

    def test_another_version_is_not_mixed_in(self) -> None:
        state, said, again = self.row(HELD, Limits(), "other")
        self.assertEqual((state, again), (FAILED, True))
        self.assertIn("another version", said)

    def test_a_piece_gives_up_when_it_is_told(self) -> None:
        for work in ("check", "measure", "render", "sweep", "samples", "sheet"):
            with self.subTest(work), self.assertRaises(Cancelled):
                make(piece(HELD, work), lambda: True)


if __name__ == "__main__":
    unittest.main()
