"""Recorded notes made by formulas, not by our engine: what is found in them, and patches brought near to them."""

import io
import json
import tempfile
import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, Final

import numpy as np
import soundfile

from jorvik.core.analysis.matching import PLAIN, matched
from jorvik.core.analysis.recording import Recorded, recorded
from jorvik.core.analysis.vibrato_fit import fitted_vibrato
from jorvik.core.document.patch import Patch, check_patch, edited
from jorvik.core.dsp.kernels import Floats
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from jorvik.formats.beat import read_beat
from jorvik.formats.recordings import read_recorded
from jorvik.formats.wav import read_cycles, read_recording
from tests.test_judging_cli import said

RATE: Final = 44_100
LEAD: Final = 0.2
SILENT: Final = np.zeros((RATE, 2))
NOTES: Final[tuple[dict[str, float], ...]] = (
    {"cents": 0.0},
    {"hz": 98.3, "attack": 0.005, "sustain": 0.3, "fall": 0.4, "cents": 0.0},
    {"hz": 440.7, "attack": 0.2, "sustain": 0.8, "release": 0.08},
)


def note(
    hz: float = 220.0,
    attack: float = 0.08,
    fall: float = 0.25,
    sustain: float = 0.5,
    off: float = 1.6,
    release: float = 0.15,
    rate: float = 5.5,
    cents: float = 30.0,
    start: float = 0.5,
    fade: float = 0.3,
    bright: float = 0.6,
    slides_in: float = 0.0,
    seconds: float = 2.4,
) -> Floats:
    """A note of twelve partials: a straight attack, exponential falls, and a vibrato that fades in straight."""
    t = np.arange(round(seconds * RATE)) / RATE - LEAD
    held = sustain + (1 - sustain) * np.exp(-(t - attack) / fall)
    level = np.where(t < 0, 0.0, np.where(t < attack, t / attack, held))
    at_off = sustain + (1 - sustain) * np.exp(-(off - attack) / fall)
    level = np.where(t >= off, at_off * np.exp(-(t - off) / release), level)
    swing = cents * np.clip((t - start) / fade, 0, 1) * np.sin(2 * np.pi * rate * t)
    turned = 2 * np.pi * np.cumsum(hz * 2 ** ((swing + slides_in * np.exp(-t / 0.05) * (t >= 0)) / 1200)) / RATE
    tone = sum(bright**k * np.sin(k * turned) for k in range(1, 13))
    return np.asarray(0.3 * level * tone)


@cache
def found(**how: float) -> Recorded:
    """Return what is found in a note; the same note is analysed once."""
    return recorded(note(**how), RATE)


class Found(unittest.TestCase):
    def near_time(self, is_: float, wanted: float) -> None:
        """Within 5 ms or a tenth."""
        self.assertAlmostEqual(is_, wanted, delta=max(0.005, 0.1 * wanted))

    def test_attacks_falls_and_releases(self) -> None:
        for how in NOTES:
            with self.subTest(**how):
                of = found(**how)
                self.assertAlmostEqual(of.note_on_s, LEAD, delta=0.005)
                assert of.note_off_s is not None
                self.assertAlmostEqual(of.note_off_s, LEAD + 1.6, delta=0.01)
                self.near_time(of.level.attack_s, how.get("attack", 0.08))
                # An exponential fall is half down after its time constant times ln 2, and a tenth is left after ln 10.
                fall = how.get("fall", 0.25)
                self.near_time(of.level.falls_s(0.5), fall * np.log(2))
                self.near_time(of.level.falls_s(0.1), fall * np.log(10))
                self.assertAlmostEqual(of.level.sustain, how.get("sustain", 0.5), delta=0.03)
                self.near_time(of.level.falls_to_tenth_s, how.get("release", 0.15) * np.log(10))

    def test_pitch_within_3_cents(self) -> None:
        for how in (*NOTES, {"hz": 65.7, "cents": 0.0, "seconds": 1.0}, {"hz": 933.1, "cents": 0.0, "seconds": 1.0}):
            with self.subTest(**how):
                pitch = found(**how).pitch_hz
                assert pitch is not None
                self.assertLess(abs(1200 * np.log2(pitch / how.get("hz", 220.0))), 3.0)

    def test_a_vibrato_its_rate_depth_start_and_fade(self) -> None:
        for how in (
            {},
            {"hz": 440.7, "rate": 6.3, "cents": 60.0, "start": 0.8, "fade": 0.05},
            {"hz": 130.8, "rate": 4.2, "cents": 15.0, "start": 0.3, "fade": 0.6},
        ):
            with self.subTest(**how):
                of = found(**how).facts()["vibrato"]
                self.assertAlmostEqual(of["rate_hz"] / how.get("rate", 5.5), 1.0, delta=0.01)
                self.assertAlmostEqual(of["depth_cents"] / how.get("cents", 30.0), 1.0, delta=0.05)
                self.assertAlmostEqual(of["start_s"], how.get("start", 0.5), delta=0.06)
                self.assertAlmostEqual(of["fade_s"], how.get("fade", 0.3), delta=0.06)
        self.assertIsNone(found(cents=0.0).vibrato)

    def test_a_tremolo_and_a_slide(self) -> None:
        t = np.arange(round(2.4 * RATE)) / RATE - LEAD
        trembling = note(cents=0.0, sustain=1.0) * 10 ** (2.0 * np.sin(2 * np.pi * 4.7 * t) / 20)
        of = recorded(trembling, RATE)
        assert of.tremolo is not None
        self.assertAlmostEqual(of.tremolo.rate_hz, 4.7, delta=0.05)
        self.assertAlmostEqual(of.tremolo.depth, 2.0, delta=0.2)
        # It was there before the attack was over: no later than what is looked at begins.
        self.assertAlmostEqual(of.tremolo.start_s, 0.15, delta=0.06)
        self.assertIsNone(of.vibrato)
        # Of one that comes up slowly it is told from where that is done, counted from note-on all the same.
        slow = recorded(note(cents=0.0, sustain=1.0, attack=0.4) * 10 ** (np.sin(2 * np.pi * 4.7 * t) / 10), RATE)
        assert slow.tremolo is not None
        self.assertAlmostEqual(slow.level.attack_s, 0.4, delta=0.12)
        self.assertAlmostEqual(slow.tremolo.start_s, slow.level.attack_s, delta=0.06)
        onset = found(cents=0.0, slides_in=-200.0).onset
        assert onset is not None
        self.assertAlmostEqual(onset.cents, -200.0 * np.exp(-0.01 / 0.05), delta=25.0)
        self.assertAlmostEqual(onset.glide_s, 0.05 * np.log(10), delta=0.02)
        self.assertIsNone(found(cents=0.0).onset)

    def test_brightness_is_the_centroid_of_its_partials(self) -> None:
        power = np.array([0.6 ** (2 * k) for k in range(1, 13)])
        wanted = 220.0 * float((np.arange(1, 13) * power).sum() / power.sum())
        self.assertAlmostEqual(found(cents=0.0).brightness.settle_hz / wanted, 1.0, delta=0.02)

    def test_a_note_that_ends_by_itself_has_no_release(self) -> None:
        of = found(sustain=0.0, fall=0.3, off=9.0, cents=0.0, seconds=3.0)
        self.assertIsNone(of.note_off_s)
        self.assertIsNone(of.facts()["release_s"])
        self.assertIn("It ends by itself", of.remarks[0])
        self.near_time(of.level.falls_s(0.5), 0.3 * np.log(2))
        by_hand = recorded(note(sustain=0.0, fall=0.3, off=9.0, cents=0.0), RATE, note_off_s=1.0)
        self.assertEqual(by_hand.note_off_s, 1.0)

    def test_what_is_not_regular_is_no_vibrato(self) -> None:
        rng = np.random.default_rng(5)
        times = np.asarray(np.arange(300) * 0.005, dtype=np.float64)
        self.assertIsNone(fitted_vibrato(times, rng.standard_normal(300) * 20, 3.0))
        self.assertIsNone(fitted_vibrato(times, 40.0 * times, 3.0))
        self.assertIsNone(fitted_vibrato(times, np.sin(2 * np.pi * 5 * times), 3.0))


class WhatCannotBeTold(unittest.TestCase):
    def test_it_is_said_and_left_out(self) -> None:
        rng = np.random.default_rng(1)
        noise = recorded(0.2 * rng.standard_normal(2 * RATE), RATE)
        two = recorded(note(cents=0.0) + note(hz=261.63, cents=0.0), RATE)
        for of in (noise, two):
            self.assertIsNone(of.pitch_hz)
            self.assertIsNone(of.facts()["vibrato"])
            self.assertRegex(" ".join(of.remarks), "pitch is left out")
        self.assertAlmostEqual(two.level.attack_s, 0.08, delta=0.02)

    def test_a_clipped_one_and_one_out_of_phase_are_read_all_the_same(self) -> None:
        clipped = recorded(np.clip(4 * note(), -0.9, 0.9), RATE)
        self.assertIn("It is clipped", clipped.remarks[0])
        apart = recorded(np.stack([note(), -note()], axis=1), RATE)
        self.assertIn("sides cancel", apart.remarks[0])
        for of in (clipped, apart):
            self.assertAlmostEqual(of.pitch_hz or 0.0, 220.0, delta=0.4)
            self.assertEqual(found().remarks, [])

    def test_silence_and_what_is_too_short_are_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "silence"):
            recorded(SILENT, RATE)
        with self.assertRaisesRegex(Problem, "100 ms at least"):
            recorded(SILENT[:200], RATE)


class Files(unittest.TestCase):
    @staticmethod
    def written(samples: Floats, rate: int, **how: Any) -> bytes:
        buffer = io.BytesIO()
        soundfile.write(buffer, samples, rate, **how)
        return buffer.getvalue()

    def test_depths_rates_and_formats(self) -> None:
        for rate, how in (
            (11_025, {"format": "WAV", "subtype": "PCM_U8"}),
            (96_000, {"format": "WAV", "subtype": "FLOAT"}),
            (48_000, {"format": "FLAC", "subtype": "PCM_24"}),
            (44_100, {"format": "OGG", "subtype": "VORBIS"}),
        ):
            with self.subTest(**how):
                t = np.arange(rate) / rate
                read = read_recorded(self.written(0.5 * np.sin(2 * np.pi * 300 * t), rate, **how))
                self.assertEqual((read.rate, read.samples.shape[1], read.remarks), (rate, 1, []))
                self.assertAlmostEqual(float(np.sqrt(np.mean(read.samples**2))), 0.5 / np.sqrt(2), delta=0.01)

    def test_of_ten_minutes_the_first_half_is_looked_at(self) -> None:
        read = read_recorded(self.written(np.zeros(600 * 8000), 8000, format="WAV", subtype="PCM_16"))
        self.assertEqual(len(read.samples), 30 * 8000)
        self.assertEqual(read.remarks, ["Of 600 s the first 30 s are looked at."])

    def test_of_many_channels_two_are_read_and_a_file_of_too_many_is_refused_by_its_header(self) -> None:
        t = np.arange(8000) / 8000
        many = np.stack([np.sin(2 * np.pi * 100 * (n + 1) * t) for n in range(8)], axis=1)
        read = read_recorded(self.written(0.5 * many, 8000, format="WAV", subtype="FLOAT"))
        np.testing.assert_allclose(read.samples, 0.5 * many[:, :2], atol=1e-6)
        readers: dict[Callable[[bytes], object], int] = {
            read_recorded: 9,
            read_beat: 9,
            read_cycles: 17,
            read_recording: 17,
        }
        for read_one, first in readers.items():
            for count in (first, 255):
                data = self.written(np.zeros((800, count)), 192_000, format="OGG", subtype="VORBIS")
                refused = self.assertRaisesRegex(Problem, f"{count} channels")
                with self.subTest(channels=count, reader=read_one.__name__), refused:
                    read_one(data)

    def test_what_is_no_sound_is_refused(self) -> None:
        with self.assertRaisesRegex(Problem, "no sample"):
            read_recorded(self.written(np.zeros(0), 8000, format="WAV", subtype="PCM_16"))
        for data, wanted in ((b"", "no sound"), (b"RIFF" + bytes(400), "no sound"), (bytes(60_000_001), "60 MB")):
            with self.subTest(wanted), self.assertRaisesRegex(Problem, wanted):
                read_recorded(data)


class Matches(unittest.TestCase):
    def test_a_note_by_formulas_becomes_a_patch(self) -> None:
        near = matched(found())
        self.assertLess(near.distance.level_db, 1.0)
        self.assertLess(near.distance.pitch_cents or 99.0, 3.0)
        self.assertLess(near.distance.brightness_oct or 9.0, 0.1)
        # A second look, at the patch's own sound as a recording, finds the same note.
        again = recorded(render(near.patch).samples, 48_000)
        self.assertAlmostEqual(again.level.attack_s, 0.08, delta=0.01)
        self.assertAlmostEqual(again.facts()["vibrato"]["rate_hz"], 5.5, delta=0.05)
        self.assertAlmostEqual(again.facts()["vibrato"]["start_s"], 0.5, delta=0.06)
        self.assertAlmostEqual(again.brightness.settle_hz / found().brightness.settle_hz, 1.0, delta=0.05)

    def moving(self) -> Patch:
        """A patch whose level, cutoff and pitch all move."""
        opening = {"id": "open", "kind": "envelope", "attack_s": 0.3, "decay_s": 0.5, "sustain": 0.4, "release_s": 0.3}
        amp = {"id": "vca", "kind": "envelope", "attack_s": 0.06, "decay_s": 0.2, "sustain": 0.7, "release_s": 0.3}
        shake = {"id": "vib", "kind": "lfo", "rate": 5.0, "delay_s": 0.4, "fade_in_s": 0.3}
        return edited(
            check_patch({**PLAIN, "performance": {"notes": [{"key": 50, "length_s": 1.5}], "tail_s": 0.6}}),
            base={"cutoff": 400.0, "amplitude": 0.6},
            more_modules=(opening, amp, shake),
            more_routes=(
                {"id": "a", "source": "open", "destination": "cutoff", "amount": 30},
                {"id": "b", "source": "vca", "destination": "amplitude", "mode": "scale", "amount": 1},
                {"id": "c", "source": "vib", "destination": "pitch", "amount": 0.25},
            ),
        )

    def test_a_patch_matched_to_itself_from_a_plain_start(self) -> None:
        sound = np.concatenate([np.zeros((4800, 2)), render(self.moving()).samples])
        told: list[float] = []
        near = matched(recorded(sound, 48_000), tell=told.append)
        self.assertLess(near.distance.level_db, 1.0)
        self.assertLess(near.distance.brightness_oct or 9.0, 0.25)
        self.assertLess(near.distance.pitch_cents or 99.0, 5.0)
        self.assertEqual(told, sorted(told))
        self.assertAlmostEqual(told[-1], 1.0)
        self.assertEqual({route.destination for route in near.patch.routes}, {"amplitude", "pitch", "cutoff"})

    def test_the_sources_that_a_patch_has_are_set_not_doubled(self) -> None:
        other = edited(self.moving(), modules={"vca": {"attack_s": 0.4}, "vib": {"rate": 3.0}}, base={"cutoff": 3000.0})
        sound = np.concatenate([np.zeros((4800, 2)), render(self.moving()).samples])
        near = matched(recorded(sound, 48_000), other)
        self.assertEqual([module.id for module in near.patch.modules], ["open", "vca", "vib"])
        assert near.before is not None
        self.assertGreater(near.before.level_db, 3 * near.distance.level_db)
        self.assertGreater(near.before.brightness_oct or 0.0, 3 * (near.distance.brightness_oct or 0.0))
        vca = near.patch.modules_by_id["vca"].model_dump()
        self.assertAlmostEqual(vca["attack_s"], 0.06, delta=0.01)
        self.assertAlmostEqual(near.patch.modules_by_id["vib"].model_dump()["rate"], 5.0, delta=0.05)

    def test_what_has_no_pitch_keeps_the_key_of_the_patch(self) -> None:
        rng = np.random.default_rng(2)
        t = np.arange(2 * RATE) / RATE
        near = matched(recorded(0.3 * rng.standard_normal(t.size) * np.exp(-t / 0.2), RATE), self.moving())
        self.assertEqual(near.patch.performance.notes[0].key, 50)
        self.assertIsNone(near.distance.pitch_cents)
        self.assertLess(near.distance.level_db, 3.0)


class OnTheCommandLine(unittest.TestCase):
    def test_what_is_found_and_a_patch_that_can_be_opened(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            wav, out = Path(folder) / "note.wav", Path(folder) / "near.json"
            soundfile.write(wav, note(), RATE, subtype="PCM_24")
            code, text = said("match", str(wav), "--fit", str(out), "--json")
            facts = json.loads(text)
            self.assertEqual(code, 0)
            self.assertAlmostEqual(facts["pitch_hz"], 220.0, delta=0.2)
            self.assertAlmostEqual(facts["vibrato"]["depth_cents"], 30.0, delta=1.5)
            self.assertEqual(len(facts["lanes"]["level_db"]), len(facts["lanes"]["time_s"]))
            self.assertLess(facts["fit"]["distance"]["level_db"], 1.0)
            self.assertEqual(check_patch(json.loads(out.read_text())).performance.notes[0].key, 57)
            code, text = said("match", str(wav), "--note-off", "1.7s")
            self.assertIn("Vibrato: 5.5 Hz", text)
            (Path(folder) / "none.wav").write_bytes(b"not a sound")
            self.assertEqual(said("match", str(Path(folder) / "none.wav"))[0], 2)
