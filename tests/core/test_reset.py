"""Modules that begin again where another says so, and streams of chance that two of them share."""

import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS
from jorvik.core.measure.context import Context
from tests.support import RATE, Json, note, patch

PERIOD = 6000
"""Samples from one reset to the next: an eighth of a second."""
TICK: Json = {"id": "tick", "kind": "clock", "rate": 8.0, "width": 0.25}


def made(module: Json, *others: Json, length: float = 1.0, **performance: Any) -> NDArray[np.float64]:
    """The signal of a module that the clock resets, or whatever it names."""
    whole = {"id": "x", "reset": "tick", **module}
    return trace(patch([TICK, *others, whole], performance={**note(length, 0.0), **performance})).signals["x"]


class Resets(unittest.TestCase):
    def repeats(self, values: NDArray[np.float64]) -> None:
        turns = values.reshape(-1, PERIOD)
        for turn in turns[1:]:
            np.testing.assert_allclose(turn, turns[0], atol=1e-12)
        self.assertGreater(float(np.ptp(turns[0])), 0.1)

    def test_every_kind_begins_again_as_at_note_on(self) -> None:
        for module in (
            {"kind": "envelope", "attack_s": 0.03, "decay_s": 0.2, "sustain": 0.4},
            {"kind": "curve", "points": [[0.0, 0.0], [0.1, 1.0, 2.0], [0.4, 0.3]]},
            {"kind": "lfo", "rate": 3.3, "phase": 0.2},
            {"kind": "lfo", "rate": 3.3, "start": "free"},
            {"kind": "lfo", "rate": 30.0, "start": "once", "delay_s": 0.01, "fade_in_s": 0.02},
            {"kind": "steps", "values": [1.0, 0.3, 0.6], "step": 0.03, "loop": True},
            {"kind": "clock", "rate": 11.0, "width": 0.4},
            {"kind": "random", "rate": 50.0, "shape": "line"},
            {"kind": "random", "rate": 50.0, "shape": "walk", "start": "free"},
        ):
            with self.subTest(module):
                self.repeats(made(module))

    def test_a_reset_envelope_is_the_one_of_a_note_that_begins_there(self) -> None:
        shape = {"kind": "envelope", "attack_s": 0.05, "decay_s": 0.1, "sustain": 0.5, "attack_bend": -2.0}
        values = made(shape)
        n = np.arange(1, PERIOD)
        rising = n < 0.05 * RATE
        k = -2.0
        expected = np.expm1(-k * n[rising] / (0.05 * RATE)) / np.expm1(-k)
        np.testing.assert_allclose(values[PERIOD : 2 * PERIOD][1:][rising], expected, atol=1e-9)

    def test_a_free_wave_is_reset_where_it_rises_and_only_there(self) -> None:
        gate_like = {"id": "slow", "kind": "lfo", "shape": "sine", "rate": 1.0}
        values = made({"kind": "lfo", "shape": "saw_up", "rate": 5.0, "start": "free", "reset": "slow"}, gate_like)
        rises = int(np.argmax(np.sin(2 * np.pi * np.arange(RATE) / RATE) > 0.5))
        n = np.arange(RATE)
        since = np.where(n < rises, n, n - rises)
        # Half a sample about a jump is left to rounding.
        phase = (5.0 * since / RATE) % 1.0
        clear = (phase > 1e-3) & (phase < 1 - 1e-3)
        np.testing.assert_allclose(values[clear], 2 * phase[clear] - 1, atol=1e-9)

    def test_a_loop_of_takes_goes_back_to_its_first(self) -> None:
        clock = {"id": "fast", "kind": "clock", "rate": 40.0}
        ramp = {"id": "ramp", "kind": "lfo", "shape": "saw_up", "rate": 1.0, "start": "free"}
        hold = {"kind": "sample_hold", "input": "ramp", "clock": "fast", "loop": 5}
        values = made(hold, clock, ramp)
        takes = 2.0 * np.arange(5) / 40.0 - 1.0
        np.testing.assert_allclose(values[600::1200], np.tile(takes, 8), atol=1e-9)
        # Reset before the loop is full: what was taken is heard again, then the rest is taken.
        early = {"id": "tock", "kind": "clock", "rate": 16.0, "width": 0.25}
        short = made({**hold, "loop": 8, "reset": "tock"}, clock, ramp, early)
        for sample, take in ((100, 0), (1300, 1), (2500, 2), (3100, 0), (3700, 1), (4900, 2), (6100, 0), (7300, 1)):
            self.assertAlmostEqual(float(short[sample]), takes[take], places=9, msg=f"at sample {sample}")

    def test_left_out_nothing_is_reset(self) -> None:
        values = made({"kind": "lfo", "shape": "saw_up", "rate": 1.0, "reset": 1.0})
        np.testing.assert_allclose(values, 2.0 * np.arange(RATE) / RATE - 1.0, atol=1e-9)


class Repeats(unittest.TestCase):
    def test_what_is_reset_repeats_as_often_as_it_is(self) -> None:
        hold: Json = {"id": "x", "kind": "sample_hold", "input": "n", "clock": "fast", "loop": 5, "reset": "tick"}
        modules = [TICK, {"id": "fast", "kind": "clock", "rate": 40.0}, {"id": "n", "kind": "noise"}, hold]
        route: Json = {"source": "x", "destination": "pitch", "amount": 1.0}
        said = {f.about: f for f in KINDS["repeats"](Context(patch(modules, [route], performance=note(1.0, 0.0))))}
        # At 120 beats a minute an eighth of a second is a quarter of a beat.
        self.assertAlmostEqual(said["signal.x"].value, 0.25)


class Streams(unittest.TestCase):
    def test_two_sources_with_one_stream_draw_the_same_targets_whatever_joins_them(self) -> None:
        hold = made({"kind": "random", "rate": 20.0, "reset": 0.0, "stream": "dice"})
        for shape in ("line", "cosine"):
            joined = made(
                {"kind": "random", "rate": 20.0, "shape": shape, "reset": 0.0, "stream": "dice", "id": "y"}
                | {"id": "x"}
            )
            np.testing.assert_allclose(joined[::2400], hold[::2400], atol=1e-9)
        other = made({"kind": "random", "rate": 20.0, "reset": 0.0, "stream": 7})
        self.assertGreater(float(np.abs(other[::2400] - hold[::2400]).max()), 0.1)

    def test_left_out_it_is_the_modules_own_name(self) -> None:
        def of(module: Json) -> NDArray[np.float64]:
            return trace(patch([module], performance=note(0.1, 0.0))).signals[module["id"]]

        named = of({"id": "gulls", "kind": "noise"})
        np.testing.assert_array_equal(of({"id": "terns", "kind": "noise", "stream": "gulls"}), named)
        self.assertFalse(np.array_equal(of({"id": "terns", "kind": "noise"}), named))
        np.testing.assert_array_equal(
            of({"id": "a", "kind": "noise", "stream": 7}), of({"id": "b", "kind": "noise", "stream": "7"})
        )


if __name__ == "__main__":
    unittest.main()
