"""Figures of lanes and signals, against signals whose figures are known."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.engine.trace import trace
from jorvik.core.measure.lane import correlation, measure, shares
from jorvik.core.measure.patch import measure_patch, over
from jorvik.core.problems import Problem
from tests.support import RATE, Json, note, patch

Floats = NDArray[np.float64]


class OfALine(unittest.TestCase):
    def test_start_peak_least_and_when(self) -> None:
        y = np.interp(np.arange(RATE), [0, 4800, 24_000, RATE], [0.2, 1.0, 0.1, 0.3])
        found = measure(y, 0, RATE, RATE)
        self.assertAlmostEqual(found.start, 0.2)
        self.assertEqual((found.peak, found.peak_s), (1.0, 0.1))
        self.assertAlmostEqual(found.least, 0.1)
        self.assertAlmostEqual(found.least_s, 0.5)
        self.assertIsNone(found.settle)

    def test_rise_is_from_start_to_peak(self) -> None:
        y = 1 - np.exp(-np.arange(RATE) / (0.05 * RATE))
        top = y[-1]
        found = measure(y, 0, RATE, RATE).rise_s
        assert found is not None
        for share, t in zip((0.1, 0.5, 0.9), found, strict=True):
            self.assertAlmostEqual(t, -0.05 * math.log(1 - share * top), places=5)

    def test_fall_of_an_exponential(self) -> None:
        y = np.concatenate([[0.0], np.exp(-np.arange(2 * RATE) / (0.1 * RATE))])
        found = measure(y, 0, RATE, RATE).fall_s
        assert found is not None
        for share, t in zip((0.5, 0.1, 0.01), found, strict=True):
            self.assertAlmostEqual(t or 0, -0.1 * math.log(share), places=4)

    def test_settle_overshoot_and_what_comes_after(self) -> None:
        n = np.arange(2 * RATE)
        y = np.where(n < RATE, 0.5 + 0.5 * np.exp(-n / 2400), 0.5 * np.exp(-(n - RATE) / 4800))
        found = measure(y, 0, RATE, RATE)
        self.assertAlmostEqual(found.settle or 0, 0.5, places=6)
        self.assertAlmostEqual(found.peak_above_sustain or 0, 0.5, places=6)
        self.assertIsNone(found.overshoot)
        self.assertAlmostEqual(found.after_off, 0.5, places=3)
        self.assertAlmostEqual(found.rest_after_off_s, 0.1 * math.log(0.5 / 0.01), delta=0.001)

    def test_a_swing_has_rate_and_depth(self) -> None:
        t = np.arange(2 * RATE) / RATE
        for rate, depth in ((5.3, 0.28), (40.0, 0.01), (2.5, 3.0)):
            found = measure(depth * np.sin(2 * np.pi * rate * t) + 7, 0, t.size, RATE).periodic
            assert found is not None
            self.assertAlmostEqual(found.rate_hz, rate, delta=1e-3 * rate)
            self.assertAlmostEqual(found.depth, depth, delta=1e-3 * depth)

    def test_noise_and_ramps_are_not_periodic(self) -> None:
        self.assertIsNone(measure(np.random.default_rng(1).random(RATE), 0, RATE, RATE).periodic)
        self.assertIsNone(measure(np.linspace(0, 1, RATE), 0, RATE, RATE).periodic)

    def test_what_never_moves(self) -> None:
        found = measure(np.full(100, 3.0), 0, 80, RATE)
        self.assertEqual((found.settle, found.rise_s, found.fall_s, found.greatest_step), (3.0, None, None, 0.0))

    def test_clamp_and_greatest_step(self) -> None:
        raw = np.linspace(0, 2, 1000)
        found = measure(np.minimum(raw, 1.0), 0, 1000, RATE, raw)
        self.assertAlmostEqual(found.clamped, 0.5, delta=0.001)
        self.assertAlmostEqual(found.greatest_step, 2 / 999, places=9)


class Together(unittest.TestCase):
    def test_correlation(self) -> None:
        x = np.random.default_rng(2).standard_normal(5000)
        z = np.random.default_rng(3).standard_normal(5000)
        self.assertAlmostEqual(correlation(x, 3 * x + 1) or 0, 1.0)
        self.assertAlmostEqual(correlation(x, -x) or 0, -1.0)
        self.assertAlmostEqual(correlation(x, z) or 0, float(np.corrcoef(x, z)[0, 1]))
        self.assertIsNone(correlation(x, np.ones(5000)))

    def test_shares_add_up_to_one(self) -> None:
        rng = np.random.default_rng(4)
        a, b = 2 * rng.standard_normal(200_000), rng.standard_normal(200_000)
        found = shares({"a": a, "b": b})
        self.assertAlmostEqual(sum(found.values()), 1.0)
        self.assertAlmostEqual(found["a"], 0.8, delta=0.01)


class OfAPatch(unittest.TestCase):
    def test_vibrato_rate_and_depth_and_whose_it_is(self) -> None:
        modules: list[Json] = [
            {"id": "vib", "kind": "lfo", "rate": 5.0},
            {"id": "drift", "kind": "lfo", "rate": 5.0, "phase": 0.25},
        ]
        routes = [
            {"id": "v", "source": "vib", "destination": "pitch", "amount": 0.3},
            {"id": "d", "source": "drift", "destination": "pitch", "amount": 0.1},
        ]
        found = measure_patch(patch(modules, routes, performance=note(2.0, 0.2))).lanes["pitch"]
        swing = found.measures.periodic
        assert swing is not None
        self.assertAlmostEqual(swing.rate_hz, 5.0, delta=0.01)
        self.assertAlmostEqual(swing.depth, math.hypot(0.3, 0.1), delta=1e-3)
        self.assertEqual(found.distance_unit, "cents")
        self.assertAlmostEqual(found.distance, 200 * math.hypot(0.3, 0.1), delta=0.3)
        self.assertAlmostEqual(found.shares["v"], 0.9, delta=0.01)

    def test_lanes_alike_and_opposed(self) -> None:
        modules: list[Json] = [{"id": "e", "kind": "envelope", "decay_s": 0.5}]
        routes = [
            {"source": "e", "destination": "cutoff", "amount": 24},
            {"source": "e", "destination": "wavetable_position", "amount": 0.5},
            {"source": "e", "destination": "fold", "amount": -0.4},
        ]
        of = patch(modules, routes, performance=note(1.0, 0.3), voice={"base": {"fold": 0.5}})
        pairs = {(p.a, p.b): p for p in measure_patch(of).pairs}
        self.assertEqual(pairs["cutoff", "wavetable_position"].word, "alike")
        self.assertAlmostEqual(pairs["cutoff", "wavetable_position"].correlation, 1.0)
        self.assertEqual(pairs["cutoff", "fold"].word, "opposed")

    def test_overshoot_is_how_far_a_filter_passes_its_input(self) -> None:
        step: Json = {"id": "step", "kind": "envelope", "attack_s": 0.001, "sustain": 1.0}
        for q in (0.8, 2.0, 7.0):
            ring: Json = {"id": "ring", "kind": "filter", "input": "step", "frequency_hz": 7.5, "q": q}
            found = measure_patch(patch([step, ring], performance=note(1.0, 0.2))).signals
            # The step response of a low-pass of second order passes its end by exp(-pi z / sqrt(1 - z^2)), z = 1/2q.
            z = 0.5 / q
            wanted = math.exp(-math.pi * z / math.sqrt(1 - z * z))
            self.assertAlmostEqual(found["ring"].overshoot or 0, wanted, delta=5e-3)
            self.assertIsNone(found["step"].overshoot)
        lag: Json = {"id": "lag", "kind": "slew", "input": "step", "rise_s": 0.05, "law": "exponential"}
        still: Json = {"id": "still", "kind": "filter", "input": "half", "frequency_hz": 7.5}
        half: Json = {"id": "half", "kind": "constant", "value": 0.5}
        found = measure_patch(patch([step, lag, half, still], performance=note(1.0, 0.2))).signals
        self.assertEqual(found["lag"].overshoot, 0.0)
        self.assertIsNone(found["still"].overshoot)
        # A performance signal is an input like any other: the wheel goes from 0 to 1, the velocity has no range.
        for source, passes in (("mod_wheel", True), ("velocity", False)):
            ring = {"id": "ring", "kind": "filter", "input": source, "frequency_hz": 7.5, "q": 2.0}
            performance = {**note(1.0, 0.2), "controls": {"mod_wheel": [[0.0, 0.0], [0.1, 0.0], [0.101, 1.0]]}}
            measured = measure_patch(patch([ring], performance=performance)).signals["ring"].overshoot
            if passes:
                self.assertAlmostEqual(measured or 0, math.exp(-math.pi * 0.25 / math.sqrt(1 - 0.25**2)), delta=5e-3)
            else:
                self.assertIsNone(measured)

    def test_a_ring_after_note_off_is_counted_from_there(self) -> None:
        # Whatever passes, it swings about what the input would leave standing, and falls by exp(-pi f t / q).
        decay_s = 5.0 / (math.pi * 8.0)
        for response in ("low", "high", "band", "notch"):
            for source in ("gate", "trigger"):
                ring: Json = {"id": "r", "kind": "filter", "input": source, "frequency_hz": 8.0, "q": 5.0, "gain": -3.0}
                of = patch([{**ring, "response": response}], performance=note(0.3, 3.0))
                found = measure_patch(of).signals["r"].ring_after_off_s
                with self.subTest(response=response, source=source):
                    self.assertIsNotNone(found)
                    self.assertAlmostEqual(found or 0.0, math.log(1000.0) * decay_s, delta=0.75 / 8.0)
        short = patch([{**ring, "response": "band"}], performance=note(0.3, 1.0))
        self.assertIsNone(measure_patch(short).signals["r"].ring_after_off_s)

    def test_where_nothing_moves(self) -> None:
        e: Json = {"id": "e", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.1, "sustain": 0.5}
        of = patch([e], [{"source": "e", "destination": "cutoff", "amount": 24}], performance=note(1.0, 0.2))
        ((first, last),) = measure_patch(of).still
        self.assertAlmostEqual(first, 0.2, delta=0.006)
        self.assertAlmostEqual(last, 1.0, delta=0.006)

    def test_a_vibrato_small_beside_a_drop_is_movement(self) -> None:
        drop: Json = {"id": "drop", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.1, "sustain": 0.0}
        sway: Json = {"id": "sway", "kind": "lfo", "rate": 6.0, "delay_s": 0.5}
        routes: list[Json] = [{"source": "drop", "destination": "pitch", "amount": 48}]
        vibrato = {"source": "sway", "destination": "pitch", "amount": 0.05}
        (alone,) = measure_patch(patch([drop], routes, performance=note(1.0, 0.2))).still
        self.assertAlmostEqual(alone[1], 1.0, delta=0.006)
        (before,) = measure_patch(patch([drop, sway], [*routes, vibrato], performance=note(1.0, 0.2))).still
        self.assertAlmostEqual(before[1], 0.5, delta=0.02)


class OverAStretch(unittest.TestCase):
    def test_who_moves_a_lane_changes_with_the_stretch(self) -> None:
        fall: Json = {"id": "fall", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.3, "sustain": 0.0}
        shake: Json = {"id": "shake", "kind": "lfo", "rate": 20.0, "delay_s": 0.5}
        routes: list[Json] = [
            {"id": "a", "source": "fall", "destination": "cutoff", "amount": 24},
            {"id": "b", "source": "shake", "destination": "cutoff", "amount": 2},
        ]
        of = trace(patch([fall, shake], routes, performance=note(1.0, 0.0)))
        first, last = over(of, "cutoff", 0.0, 0.3), over(of, "cutoff", 1.0, 0.6)
        self.assertAlmostEqual(first.shares["a"], 1.0)
        self.assertAlmostEqual(last.shares["b"], 1.0)
        self.assertAlmostEqual(first.distance, 24.0, delta=0.01)
        self.assertAlmostEqual(last.distance, 4.0, places=6)
        whole = over(of, "cutoff", 0.0, 1.0).shares
        self.assertAlmostEqual(sum(whole.values()), 1.0)
        for wrong in (("cutoff", 0.5, 0.5), ("cutoff", 3.0, 9.0), ("fold", 0.0, 1.0)):
            with self.assertRaises(Problem):
                over(of, *wrong)


if __name__ == "__main__":
    unittest.main()
