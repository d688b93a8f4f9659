"""Figures of a sound, against sounds whose figures are known."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import check_patch
from jorvik.core.measure.sound import (
    BANDS,
    band_levels,
    fundamental,
    level_deviation,
    level_gains,
    levels,
    loudness,
    partials,
    spectral_centroid,
    spectrogram,
    spectrum_at,
    thinned,
    while_held,
)
from jorvik.core.measure.volts import lane_volts
from jorvik.core.units.levels import SILENCE_DB
from jorvik.core.units.pitch import KEY60_HZ
from jorvik.core.voice.render import render
from tests.support import RATE, document, note

Floats = NDArray[np.float64]


def tone(*parts: tuple[float, float], seconds: float = 1.0) -> Floats:
    t = np.arange(round(seconds * RATE)) / RATE
    y = np.sum([level * np.sin(2 * np.pi * hz * t) for hz, level in parts], axis=0)
    return np.stack([y, y], axis=1)


class Levels(unittest.TestCase):
    def test_gains_make_sounds_as_loud_as_the_quietest_that_is_heard(self) -> None:
        tones = [tone((997.0, level), seconds=1.0) for level in (1.0, 0.25, 0.0)]
        gains = level_gains([loudness(samples, RATE) for samples in tones])
        made = [loudness(of * 10.0 ** (gain / 20.0), RATE) for of, gain in zip(tones, gains, strict=True)]
        self.assertAlmostEqual(made[0], made[1], places=6)
        self.assertAlmostEqual(gains[0], 20.0 * np.log10(0.25), places=6)
        self.assertEqual(gains[1:], [0.0, 0.0])
        self.assertEqual(level_gains([]), [])

    def test_a_sine(self) -> None:
        found = levels(tone((997.0, 0.5)), RATE)
        self.assertAlmostEqual(found.peak_db, -6.02, delta=0.01)
        self.assertAlmostEqual(found.crest_db, 3.01, delta=0.01)
        self.assertAlmostEqual(found.dc, 0.0, delta=1e-3)

    def test_full_scale_at_997_hz_in_both_channels_is_0_lufs(self) -> None:
        """BS.1770: -3.01 LUFS for one channel, so 0 for two."""
        self.assertAlmostEqual(loudness(tone((997.0, 1.0), seconds=3.0), RATE), 0.0, delta=0.1)
        self.assertAlmostEqual(loudness(tone((997.0, 0.1), seconds=3.0), RATE), -20.0, delta=0.1)
        self.assertAlmostEqual(loudness(tone((997.0, 0.1), seconds=0.1), RATE), -20.0, delta=0.6)

    def test_the_true_peak_lies_between_the_samples(self) -> None:
        t = np.arange(RATE)
        y = np.sin(2 * np.pi * t / 4 + math.pi / 4)
        found = levels(np.stack([y, y], axis=1), RATE)
        self.assertAlmostEqual(found.peak_db, -3.01, delta=0.01)
        self.assertAlmostEqual(found.true_peak_db, 0.0, delta=0.15)

    def test_dc_names_the_worse_side(self) -> None:
        y = tone((500.0, 0.1))
        y[:, 1] -= 0.25
        self.assertAlmostEqual(levels(y, RATE).dc, -0.25, delta=1e-6)

    def test_silence_has_figures(self) -> None:
        found = levels(np.zeros((4800, 2)), RATE)
        self.assertEqual((found.peak_db, found.loudness_lufs, found.dc), (SILENCE_DB, SILENCE_DB, 0.0))


class Spectrum(unittest.TestCase):
    def test_partials_have_their_number_level_and_pitch(self) -> None:
        y = tone((110.7, 0.5), (221.4, 0.25), (332.1, 0.05))
        hz, size = spectrum_at(y, RATE, 0.5)
        note = fundamental(hz, size, 110.0)
        found = partials(hz, size, note, RATE)
        for number, level in ((1, 0.5), (2, 0.25), (3, 0.05)):
            partial = found[number - 1]
            self.assertEqual(partial.number, number)
            self.assertAlmostEqual(partial.hz, 110.7 * number, delta=0.2)
            self.assertAlmostEqual(partial.db, 20 * math.log10(level), delta=0.1)
            self.assertAlmostEqual(partial.key, 69 + 12 * math.log2(110.7 * number / 440), delta=0.02)
        self.assertLess(found[3].db, -80)

    def test_it_looks_at_the_moment_asked_for(self) -> None:
        y = np.concatenate([tone((300.0, 0.5)), tone((3000.0, 0.5))])
        for at, wanted in ((0.4, 300), (1.6, 3000)):
            hz, size = spectrum_at(y, RATE, at)
            self.assertAlmostEqual(float(hz[size.argmax()]), wanted, delta=2)

    def test_thinning_keeps_the_peaks(self) -> None:
        hz, size = spectrum_at(tone((440.0, 0.5)), RATE, 0.5)
        at, db = thinned(hz, size, 300)
        self.assertAlmostEqual(float(db.max()), -6.02, delta=0.1)
        self.assertAlmostEqual(float(at[db.argmax()]), 440, delta=10)

    def test_the_spectrogram_shows_the_rise(self) -> None:
        t = np.arange(RATE) / RATE
        y = 0.5 * np.sin(2 * np.pi * 100 * (2 ** (5 * t) - 1) / (5 * math.log(2)))
        picture = spectrogram(np.stack([y, y], axis=1), RATE, 50, 96)
        rows = picture.db.argmax(axis=0)
        octaves = math.log2(picture.high_hz / picture.low_hz)
        for column in range(5, 45):
            hz = picture.low_hz * 2 ** (octaves * (rows[column] + 0.5) / 96)
            self.assertAlmostEqual(math.log2(hz / 100), 5 * (column + 0.5) / 50, delta=0.2)

    def test_bands_part_low_middle_and_high(self) -> None:
        for band, hz in enumerate((80.0, 700.0, 6000.0)):
            found = band_levels(tone((hz, 0.5)), RATE, 20)[:, 10]
            self.assertAlmostEqual(found[band], -6.02, delta=0.2)
            for other in range(len(BANDS)):
                if other != band:
                    self.assertLess(found[other], -55)

    def test_unsteadiness_is_the_spread_in_db(self) -> None:
        swing = 6.0 * np.sin(np.linspace(0, 20 * np.pi, 4000)) - 20
        self.assertAlmostEqual(level_deviation(swing), 6 / math.sqrt(2), delta=0.05)
        self.assertEqual(level_deviation(np.full(10, -12.0)), 0.0)

    def test_a_tone_that_nothing_moves_stands_still_in_every_band(self) -> None:
        for key in (33, 57, 81):
            of = check_patch(document(performance=note(1.5, 0.8, key=key), voice={"base": {"cutoff": 20_000.0}}))
            heard = render(of, RATE).samples
            seconds = len(heard) / RATE
            bands = band_levels(heard, RATE, 360)
            held = while_held(bands, seconds, RATE, 0.0, 1.5)
            self.assertLess(max(level_deviation(band) for band in held), 0.1)
            # With its onset and its release it would seem to move.
            self.assertGreater(max(level_deviation(band) for band in bands), 0.5)

    def test_the_spectral_centroid_is_the_middle_of_the_power(self) -> None:
        self.assertAlmostEqual(spectral_centroid(tone((1000.0, 0.3), (3000.0, 0.3)), RATE), 2000, delta=5)


class Volts(unittest.TestCase):
    def test_pitches_stand_at_one_volt_an_octave(self) -> None:
        y = lane_volts(np.array([-12.0, 0.0, 7.0]), VOICE["pitch"], 5.0)
        np.testing.assert_allclose(y, [-1, 0, 7 / 12])
        np.testing.assert_allclose(lane_volts(np.array([KEY60_HZ * 4]), VOICE["cutoff"], 5.0), [2])

    def test_the_rest_fills_the_range(self) -> None:
        np.testing.assert_allclose(lane_volts(np.array([0.0, 1.0]), VOICE["amplitude"], 5.0), [0, 5])
        np.testing.assert_allclose(lane_volts(np.array([20.0]), VOICE["fm_index"], 5.0), [5])


if __name__ == "__main__":
    unittest.main()
