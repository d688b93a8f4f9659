"""The gain of a plain attenuator, and how far a unison spreads, by other means."""

import math
import unittest

from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS
from jorvik.core.measure.context import Context
from tests.support import Json, note, patch

WAVE: Json = {"id": "w", "kind": "lfo", "rate": 4.0}


class Gain(unittest.TestCase):
    def test_a_plain_gain_is_the_ratio_of_what_comes_out(self) -> None:
        for fields in ({"gain": 0.25}, {"gain": -2.0}, {"gain": 0.5, "invert": True}):
            of = patch([WAVE, {"id": "a", "kind": "shape", "input": "w", **fields}], performance=note(1.0, 0.0))
            made = trace(of).signals
            [said] = KINDS["attenuated"](Context(of))
            ratio = float(abs(made["a"]).max() / abs(made["w"]).max())
            self.assertAlmostEqual(said.value, 20 * math.log10(ratio), places=6)
            turned = float((made["a"] * made["w"]).sum()) < 0
            self.assertEqual("180°" in said.words, turned)

    def test_each_input_of_a_mix(self) -> None:
        inputs = [{"source": "w", "gain": 0.5}, {"source": "gate", "gain": 0.0}]
        found = list(KINDS["attenuated"](Context(patch([WAVE, {"id": "m", "kind": "mix", "inputs": inputs}]))))
        self.assertAlmostEqual(found[0].value, -6.0206, places=3)
        self.assertEqual(found[1].words, "nothing passes")


class Spread(unittest.TestCase):
    def test_the_unison_counts_in_the_whole_spread(self) -> None:
        route = {"source": "w", "destination": "pitch", "amount": 0.2}
        voice = {"oscillators": {"unison": 3}, "base": {"detune": 14.0}}
        of = patch([WAVE], [route], performance=note(1.0, 0.0), voice=voice)
        said = {f.name: f for f in KINDS["beating"](Context(of))}
        self.assertAlmostEqual(said["spread while held"].value, 40.0, delta=0.01)
        self.assertAlmostEqual(said["spread with the unison"].value, 54.0, delta=0.01)


if __name__ == "__main__":
    unittest.main()
