"""A recording as a tone: itself at its own key, in tune elsewhere, without aliases, round a loop without a jump."""

import unittest
from typing import Any

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.document.voice_settings import Recording, packed_samples
from jorvik.core.problems import Problem
from jorvik.core.voice.recording import Replay, recorded
from jorvik.core.voice.render import render
from tests.support import RATE, Json, document

Floats = np.ndarray[Any, np.dtype[np.float64]]


def sine(hz: float, seconds: float = 0.5, level: float = 0.5) -> Floats:
    return np.asarray(level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE))


def of(samples: Floats, **fields: Any) -> Replay:
    made = Recording(samples=packed_samples(samples), **fields)
    return Replay(recorded(made.model_dump_json()), RATE)


def played(replay: Replay, octaves: float, count: int, factor: int = 1) -> Floats:
    whole = [replay.block(np.full(500, octaves), factor) for _ in range(count // 500)]
    return np.concatenate(whole)


def decibels(power: Any) -> float:
    return float(10 * np.log10(max(power, 1e-30)))


class Replayed(unittest.TestCase):
    def test_at_its_own_key_it_is_the_recording_and_then_silence(self) -> None:
        samples = np.random.default_rng(4).uniform(-0.9, 0.9, 3000)
        found = played(of(samples, key=52.0), (52.0 - 60.0) / 12.0, 6000)
        np.testing.assert_allclose(found[:3000], samples, atol=1 / 32767)
        self.assertEqual(float(np.abs(found[3010:]).max()), 0.0)

    def test_at_another_key_it_is_in_tune_and_clean(self) -> None:
        for semitones in (-7, 3, 12, 19):
            for factor in (1, 2):
                found = played(of(sine(1000)), semitones / 12 - (0 if factor == 1 else 1), 8000, factor)[400:6400]
                at = np.arange(400, 400 + found.size) * 1000 * 2 ** (semitones / 12) / RATE / (1 if factor == 1 else 2)
                tones = np.stack([np.sin(2 * np.pi * at), np.cos(2 * np.pi * at)], axis=1)
                fit, *_ = np.linalg.lstsq(tones, found, rcond=None)
                with self.subTest(semitones=semitones, factor=factor):
                    self.assertAlmostEqual(float(np.hypot(*fit)), 0.5, delta=0.005)
                    rest = found - tones @ fit
                    self.assertLess(decibels(np.mean(rest**2)) - decibels(0.125), -75)

    def test_what_would_lie_over_half_the_rate_is_left_out(self) -> None:
        # 15 kHz an octave up would come back as 18 kHz; a fifth up 22.5 kHz is still there.
        up = played(of(sine(15_000)), 1.0, 8000)[400:]
        self.assertLess(decibels(np.mean(up**2)) - decibels(0.125), -70)
        down = played(of(sine(15_000)), -1.0, 8000)[400:]
        self.assertAlmostEqual(decibels(np.mean(down**2)), decibels(0.125), delta=0.1)

    def test_a_glide_past_an_octave_makes_no_jump(self) -> None:
        replay = of(sine(300, 2.0))
        found = replay.block(np.linspace(0.8, 1.3, 20_000), 1)
        self.assertLess(float(np.abs(np.diff(found)).max()), 0.5 * 2 * np.pi * 300 * 2**1.3 / RATE * 1.02)

    def test_a_loop_goes_round_in_time_and_without_a_jump(self) -> None:
        # 0.1 s of a loop that does not fit the wave: it repeats every 4800 samples.
        samples = sine(333, 0.4)
        found = played(of(samples, loop=[0.2, 0.3], fade_s=0.02), 0.0, 40_000)
        np.testing.assert_allclose(found[15_000:19_800], found[19_800:24_600], atol=1e-9)
        step = float(np.abs(np.diff(samples)).max())
        self.assertLess(float(np.abs(np.diff(found[9000:])).max()), 2 * step)
        self.assertGreater(float(np.abs(found[-2000:]).max()), 0.3)

    def test_within_a_patch_it_follows_key_and_pitch_and_its_level(self) -> None:
        recording: Json = {"samples": packed_samples(sine(500, 1.0)), "key": 60}
        base = {"osc1_level": 0, "recording_level": 0.5, "cutoff": 20_000, "pitch": 5}
        at = {"notes": [{"key": 67, "velocity": 96, "start_s": 0, "length_s": 0.5}], "tail_s": 0.1}
        voice: Json = {"base": base, "oscillators": {"recording": recording}}
        sound = render(check_patch(document(voice=voice, performance=at)), RATE).samples[2000:18_384, 0]
        spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size)))
        self.assertAlmostEqual(float(spectrum.argmax() * RATE / sound.size), 1000.0, delta=RATE / sound.size)
        self.assertAlmostEqual(float(np.abs(sound).max()), 0.25, delta=0.03)
        silent = {**voice, "base": {**base, "recording_level": 0}}
        self.assertLess(float(np.abs(render(check_patch(document(voice=silent)), RATE).samples).max()), 1e-9)

    def test_what_is_no_recording_is_refused(self) -> None:
        samples = packed_samples(sine(500, 0.1))
        for fields, said in (
            ({"samples": "?"}, "base64 of 16-bit samples"),
            ({"samples": "AA=="}, "base64 of 16-bit samples"),
            ({"samples": packed_samples(np.zeros(17 * 8000)), "rate": 8000}, "16 s at most"),
            ({"samples": samples, "loop": [0.0, 0.2]}, "within the 0.1 s"),
            ({"samples": samples, "loop": [0.05, 0.05]}, "a loop as"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                check_patch(document(voice={"oscillators": {"recording": fields}}))


if __name__ == "__main__":
    unittest.main()
