"""What is heard of a patch, against what was asked for in it and against formulas."""

import math
import unittest

import numpy as np

from jorvik.core.analysis.heard import heard
from jorvik.core.document.patch import Patch
from tests.support import note, patch


def sounding(length_s: float = 1.5, **rest: object) -> Patch:
    modules = [
        {"id": "amp", "kind": "envelope", "attack_s": 0.02, "decay_s": 0.1, "sustain": 1.0, "release_s": 0.4},
        {"id": "shake", "kind": "lfo", "rate": 5.0, "delay_s": 0.4, "fade_in_s": 0.3},
        {"id": "fall", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.02, "sustain": 0.0, "release_s": 0.0},
    ]
    routes = [
        {"source": "amp", "destination": "amplitude", "mode": "scale", "amount": 1},
        {"source": "shake", "destination": "pitch", "amount": rest.get("depth", 0.3)},
        {"source": "fall", "destination": "cutoff", "amount": rest.get("click", 0.0)},
    ]
    base = {"wavetable_position": 0.7, "cutoff": 900.0}
    return patch(modules, routes, performance=note(length_s, 0.8, key=57), voice={"base": base})


class Sounding(unittest.TestCase):
    def test_level_pitch_and_brightness_are_what_was_asked_for(self) -> None:
        of = heard(sounding(depth=0.0))
        held = (of.lanes.times > 0.3) & (of.lanes.times < 1.4)
        self.assertLess(np.abs(of.pitch_st[held]).max(), 0.02)
        # A window of 10 ms holds two cycles and a bit, which is heard in its level.
        self.assertLess(np.ptp(of.lanes.level_db[held]), 0.9)
        # A straight release: at half of it 6 dB are gone.
        at = int((1.5 + 0.2) / 0.005)
        self.assertAlmostEqual(of.lanes.level_db[at] - of.lanes.level_db[held].mean(), -6.02, delta=0.4)

    def test_a_vibrato_is_heard_where_it_is_5_cents_off(self) -> None:
        of = heard(sounding())
        assert of.vibrato is not None
        self.assertAlmostEqual(of.vibrato.rate_hz, 5.0, delta=0.05)
        self.assertAlmostEqual(of.vibrato.depth_cents, 30.0, delta=1.5)
        t = np.arange(0, 1.5, 1e-4)
        asked = 30.0 * np.clip((t - 0.4) / 0.3, 0, 1) * np.abs(np.sin(2 * np.pi * 5.0 * t))
        self.assertAlmostEqual(of.vibrato.after_s, t[np.flatnonzero(asked >= 5.0)[0]], delta=0.06)
        self.assertIsNone(heard(sounding(depth=0.0)).vibrato)

    def test_the_tail_ends_at_the_threshold(self) -> None:
        # Straight down in 400 ms: 40 dB are gone when a hundredth is left, 20 when a tenth is.
        for threshold, left in ((-40.0, 0.01), (-20.0, 0.1)):
            of = heard(sounding(depth=0.0), threshold_db=threshold)
            self.assertAlmostEqual(of.inaudible_after_s, 1.5 + 0.4 * (1 - left), delta=0.012)

    def test_a_click_is_how_much_brighter_it_begins(self) -> None:
        self.assertIsNone(heard(sounding(depth=0.0)).click)
        small, large = heard(sounding(click=12.0)).click, heard(sounding(click=36.0)).click
        assert small is not None and large is not None
        self.assertGreater(large.octaves, small.octaves + 0.2)
        # It is gone with the fall that makes it, as sharply as windows of 11 ms tell.
        self.assertAlmostEqual(large.lasts_s, 0.01, delta=0.011)

    def test_of_a_phrase_one_voice_is_heard(self) -> None:
        two = sounding(0.5, depth=0.0)
        document = two.document()
        document["performance"]["notes"].append({"key": 64, "start_s": 1.0, "length_s": 0.5})
        of = heard(two.with_document(document), voice=1)
        self.assertEqual((of.key, of.on_s), (64, 1.0))
        held = (of.lanes.times > 1.1) & (of.lanes.times < 1.4)
        self.assertLess(np.abs(of.pitch_st[held]).max(), 0.02)
        self.assertTrue(math.isnan(of.lanes.pitch_hz[100]))
