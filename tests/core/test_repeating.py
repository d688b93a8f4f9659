"""What a repeating signal does in each turn, against closed forms."""

import unittest

import numpy as np

from jorvik.core.figures import KINDS
from jorvik.core.figures.repeating import turns
from jorvik.core.measure.context import Context
from tests.support import RATE, Json, note, patch


class EachTurn(unittest.TestCase):
    def read(self, *modules: Json, name: str = "x") -> dict[str, float]:
        of = patch(list(modules), performance=note(1.0, 0.0))
        return {f.name: f.value for f in KINDS["repeating"](Context(of)) if f.about == f"signal.{name}"}

    def test_a_pulse(self) -> None:
        found = self.read({"id": "x", "kind": "lfo", "shape": "square", "rate": 12.5, "pulse_width": 0.3})
        self.assertAlmostEqual(found["repeats at"], 12.5, delta=0.01)
        self.assertAlmostEqual(found["duty"], 0.3, delta=0.001)
        self.assertEqual((found["rises in"], found["falls in"]), (0.0, 0.0))
        self.assertEqual(found["steps"], 2.0)

    def test_a_triangle_and_a_saw(self) -> None:
        found = self.read({"id": "x", "kind": "lfo", "shape": "triangle", "rate": 8.0})
        # Four fifths of the half turn that it takes each way.
        self.assertAlmostEqual(found["rises in"], 0.8 / 16, delta=2 / RATE)
        self.assertAlmostEqual(found["falls in"], 0.8 / 16, delta=2 / RATE)
        self.assertNotIn("steps", found)
        saw = self.read({"id": "x", "kind": "lfo", "shape": "saw_up", "rate": 8.0})
        self.assertAlmostEqual(saw["rises in"], 0.8 / 8, delta=2 / RATE)
        self.assertEqual(saw["falls in"], 0.0)

    def test_a_square_made_slow_by_a_slew(self) -> None:
        square: Json = {"id": "s", "kind": "lfo", "shape": "square", "rate": 5.0, "polarity": "unipolar"}
        slew: Json = {"id": "x", "kind": "slew", "input": "s", "rise_s": 0.02, "fall_s": 0.05}
        found = self.read(square, slew)
        self.assertAlmostEqual(found["rises in"], 0.8 * 0.02, delta=2 / RATE)
        self.assertAlmostEqual(found["falls in"], 0.8 * 0.05, delta=2 / RATE)

    def test_a_staircase(self) -> None:
        ramp: Json = {"id": "r", "kind": "lfo", "shape": "saw_up", "rate": 5.0, "polarity": "unipolar"}
        clock: Json = {"id": "c", "kind": "clock", "rate": 40.0}
        found = self.read(ramp, clock, {"id": "x", "kind": "sample_hold", "input": "r", "clock": "c"})
        self.assertAlmostEqual(found["repeats at"], 5.0, delta=0.01)
        # Eight levels an eighth apart; the eighth change is the fall back.
        self.assertEqual(found["steps"], 8.0)

    def test_what_does_not_repeat_has_none(self) -> None:
        for module in (
            {"id": "x", "kind": "envelope"},
            {"id": "x", "kind": "noise"},
            {"id": "x", "kind": "lfo", "rate": 2.0},
            {"id": "x", "kind": "constant", "value": 0.4},
        ):
            self.assertEqual(self.read(module), {}, module["kind"])

    def test_a_rise_that_falls_back_a_little_counts_once(self) -> None:
        t = np.arange(RATE) / RATE
        wavering = np.sin(2 * np.pi * 10 * t) + 0.04 * np.sin(2 * np.pi * 900 * t)
        found = turns(wavering)
        assert found is not None
        self.assertAlmostEqual(RATE / found.samples, 10.0, delta=0.1)


if __name__ == "__main__":
    unittest.main()
