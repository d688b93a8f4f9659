"""A patch made louder or softer: the sound is the same, times a number."""

import unittest

import numpy as np

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.helpers.gain import with_gain
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.support import RATE, Json, demos, note, patch


class Gain(unittest.TestCase):
    def check(self, of: Patch, gain_db: float, within: float = 1e-9) -> None:
        before = render(with_gain(of, -20.0), RATE)
        after = render(with_gain(of, -20.0 + gain_db), RATE)
        self.assertEqual((before.limited_db, after.limited_db), (0.0, 0.0))
        self.assertGreater(float(np.abs(before.samples).max()), 1e-4)
        np.testing.assert_allclose(after.samples, before.samples * 10 ** (gain_db / 20), rtol=0, atol=within)

    def test_demos_whatever_moves_their_amplitude(self) -> None:
        for name in ("ferry-horn", "barge-bell", "grit-fold", "night-watch", "lantern-hum"):
            with self.subTest(name):
                # A room is made in single precision.
                self.check(check_patch(demos()[name]), -6.0, within=1e-6)

    def test_an_amount_that_is_moved_and_a_range(self) -> None:
        modules: list[Json] = [
            {"id": "e", "kind": "envelope", "attack_s": 0.01, "sustain": 0.6},
            {"id": "m", "kind": "macro", "value": 0.4},
        ]
        add: list[Json] = [
            {"id": "a", "source": "e", "destination": "amplitude", "amount": 0.5},
            {"id": "b", "source": "velocity", "destination": "route:a.amount", "amount": -0.3},
        ]
        ends: list[Json] = [
            {"id": "a", "source": "m", "destination": "amplitude", "mode": "range", "low": 0.1, "high": 0.9}
        ]
        for routes in (add, ends):
            self.check(patch(modules, routes, performance=note(0.3), voice={"base": {"amplitude": 0.2}}), 4.0)

    def test_more_than_full_is_refused_with_what_would_do(self) -> None:
        half = patch(voice={"base": {"amplitude": 0.5}})
        self.assertAlmostEqual(with_gain(half, 6.0).voice.base["amplitude"], 0.9976, places=4)
        with self.assertRaisesRegex(Problem, r"\+6.0 dB at most"):
            with_gain(half, 7.0)
