"""A filter that sings: in tune, at its level, bounded, and only where it was asked to."""

import math
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.svf import SINGING_LEVEL
from jorvik.core.voice.render import render
from tests.core.judging import RuleCase
from tests.support import RATE, Json, note, patch

ALONE: Json = {"osc1_level": 0.0, "resonance": 1.0}


def sung(cutoff: float, sings: bool = True, length: float = 1.0, **more: Any) -> NDArray[np.float64]:
    """The left channel of a filter with nothing to filter, or what more is said."""
    voice = {"base": {**ALONE, "cutoff": cutoff, **more.pop("base", {})}, "filter": {"sings": sings, **more}}
    return render(patch(performance=note(length, 0.0), voice=voice)).samples[:, 0]


def pitch_hz(samples: NDArray[np.float64]) -> float:
    """The frequency of a steady tone, by the turn of its phase between two windows half a second apart."""
    window = np.hanning(8192)
    spectra = [np.fft.rfft(samples[first : first + 8192] * window) for first in (20_000, 20_064)]
    at = int(np.abs(spectra[0]).argmax())
    turned = np.angle(spectra[1][at] / spectra[0][at])
    expected = 2 * np.pi * at * 64 / 8192
    return float((expected + (turned - expected + np.pi) % (2 * np.pi) - np.pi) * RATE / (2 * np.pi * 64))


class Sings(RuleCase):
    def test_it_is_in_tune_within_three_cents_up_to_8_khz(self) -> None:
        for cutoff in (130.8, 261.6, 523.3, 1046.5, 2093.0, 4186.0, 7902.0):
            cents = 1200 * math.log2(pitch_hz(sung(cutoff)) / cutoff)
            self.assertLess(abs(cents), 3.0, f"{cutoff} Hz")

    def test_it_sings_at_the_level_of_a_tone_whatever_its_pitch(self) -> None:
        for cutoff in (200.0, 1000.0, 5000.0):
            steady = sung(cutoff)[36_000:]
            self.assertAlmostEqual(float(np.abs(steady).max()), SINGING_LEVEL, delta=0.03 * SINGING_LEVEL)

    def test_steep_and_long_it_sings_at_the_same_level(self) -> None:
        steady = sung(900.0, length=8.0, slope="steep")[48_000:]
        self.assertAlmostEqual(float(np.abs(steady).max()), SINGING_LEVEL, delta=0.03 * SINGING_LEVEL)

    def test_it_is_silent_unless_it_was_asked_to_and_under_97_per_cent(self) -> None:
        self.assertEqual(float(np.abs(sung(500.0, sings=False)).max()), 0.0)
        self.assertLess(float(np.abs(sung(500.0, base={"resonance": 0.96})[24_000:]).max()), 1e-4)

    def test_loud_and_steep_it_stays_bounded(self) -> None:
        loud = {"osc1_level": 1.0, "wavetable_position": 0.9, "noise_level": 1.0}
        ways: list[Json] = [{}, {"slope": "steep"}, {"response": "band"}]
        for more in ways:
            samples = sung(900.0, base=loud, **more)
            self.assertTrue(np.isfinite(samples).all())
            self.assertLessEqual(float(np.abs(samples).max()), 1.0)

    def test_what_does_not_sing_is_as_it_was(self) -> None:
        voice = {"base": {"cutoff": 800.0, "resonance": 0.6, "wavetable_position": 0.7}}
        plain = render(patch(performance=note(0.3, 0.0), voice=voice)).samples
        asked = render(patch(performance=note(0.3, 0.0), voice={**voice, "filter": {"sings": True}})).samples
        np.testing.assert_allclose(asked, plain, atol=1e-3)
        self.assertGreater(float(np.abs(plain).max()), 0.05)

    def test_a_caution_stands_before_it(self) -> None:
        def at(resonance: float) -> Any:
            voice = {"base": {"cutoff": 600.0, "resonance": resonance}, "filter": {"sings": True}}
            return patch(performance=note(0.3, 0.0), voice=voice)

        finding = self.sides("filter_sings", at(0.98), at(0.96))
        self.assertIn("600 Hz", finding.sentence)


if __name__ == "__main__":
    unittest.main()
