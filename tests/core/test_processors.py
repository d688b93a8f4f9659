"""Processors and random sources against exponentials, scipy's designs, and the laws of chance."""

import math
import unittest
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from scipy import signal, stats

from jorvik.core.units.scales import SCALES
from tests.support import RATE, Json, note, traced

Floats = NDArray[np.float64]
GATED: Json = {"id": "gate source", "kind": "envelope", "attack_s": 0, "decay_s": 0, "sustain": 1, "release_s": 0}


def run(*modules: Json, **rest: object) -> Mapping[str, Floats]:
    return traced(list(modules), **{"performance": note(1.0, 1.0), **rest}).signals  # type: ignore[arg-type]


def ramp(rate: float = 0.5) -> Json:
    return {"id": "in", "kind": "lfo", "shape": "saw_up", "rate": rate}


class Smoothing(unittest.TestCase):
    def test_exponential_slew_is_the_exponential(self) -> None:
        y = run({"id": "s", "kind": "slew", "input": "gate", "law": "exponential", "rise_s": 0.1, "fall_s": 0.2})["s"]
        t = np.arange(y.size - RATE) / RATE
        np.testing.assert_array_equal(y[:RATE], 1.0)
        np.testing.assert_allclose(y[RATE:], np.exp(-(t + 1 / RATE) / 0.2), atol=1e-9)

    def test_linear_slew_is_limited_each_way(self) -> None:
        y = run({"id": "s", "kind": "slew", "input": "gate", "rise_s": 0.1, "fall_s": 0.5})["s"]
        fall = np.clip(1 - (np.arange(RATE) + 1) / (0.5 * RATE), 0, 1)
        np.testing.assert_allclose(y[RATE:], fall, atol=1e-9)

    def test_the_follower_starts_from_0(self) -> None:
        y = run({"id": "f", "kind": "follower", "input": "gate", "attack_s": 0.05, "release_s": 0.3})["f"]
        n = np.arange(RATE)
        np.testing.assert_allclose(y[:RATE], 1 - np.exp(-(n + 1) / (0.05 * RATE)), atol=1e-9)
        np.testing.assert_allclose(y[RATE:], y[RATE - 1] * np.exp(-(n + 1) / (0.3 * RATE)), atol=1e-9)


class ControlFilter(unittest.TestCase):
    @staticmethod
    def analogue(response: str, q: float) -> tuple[list[float], list[float]]:
        top = {"low": [1.0], "high": [1.0, 0, 0], "band": [1 / q, 0], "notch": [1.0, 0, 1.0]}[response]
        return top, [1.0, 1 / q, 1.0]

    def test_all_responses_are_scipys_bilinear_design(self) -> None:
        for response in ("low", "high", "band", "notch"):
            for hz, q in ((7.5, 7.0), (900.0, 0.5), (6000.0, 2.0)):
                with self.subTest(response=response, hz=hz, q=q):
                    module = {"id": "f", "kind": "filter", "input": "in", "response": response}
                    out = run(ramp(3.0), {**module, "frequency_hz": hz, "q": q})
                    warped = 2 * RATE * math.tan(math.pi * hz / RATE)
                    top, bottom = self.analogue(response, q)
                    degree = len(top) - 1
                    b = [c * warped ** (2 - degree + i) for i, c in enumerate(top)]
                    a = [c * warped**i for i, c in enumerate(bottom)]
                    bz, az = signal.bilinear(b, a, RATE)
                    np.testing.assert_allclose(out["f"], signal.lfilter(bz, az, out["in"]), atol=1e-6)

    def test_ring_frequency_and_decay(self) -> None:
        hz, q = 12.0, 9.0
        y = run({"id": "f", "kind": "filter", "input": "gate", "frequency_hz": hz, "q": q})["f"][:RATE] - 1.0
        crossings = np.flatnonzero(np.diff(np.signbit(y)))
        period = 2 * np.mean(np.diff(crossings)) / RATE
        self.assertAlmostEqual(1 / period, hz * math.sqrt(1 - 1 / (4 * q * q)), delta=0.02)
        peaks, _ = signal.find_peaks(np.abs(y))
        slope = np.polyfit(peaks / RATE, np.log(np.abs(y[peaks])), 1)[0]
        self.assertAlmostEqual(math.log(1000) / -slope, math.log(1000) * q / (math.pi * hz), delta=0.01)

    def test_ac_coupling_takes_a_standing_offset_out(self) -> None:
        module = {"id": "f", "kind": "filter", "input": "gate", "frequency_hz": 200, "coupling": "ac"}
        y = run({**module, "coupling_hz": 5.0})["f"]
        self.assertGreater(y[:2000].max(), 0.8)
        self.assertLess(abs(y[RATE - 1]), 1e-9)


class Holding(unittest.TestCase):
    CLOCK: Json = {"id": "c", "kind": "lfo", "shape": "square", "rate": 4}

    def test_it_takes_at_sample_0_and_at_rising_edges_only(self) -> None:
        out = run(ramp(), self.CLOCK, {"id": "h", "kind": "sample_hold", "input": "in", "clock": "c"})
        edges = np.arange(0, 2 * RATE, RATE // 4)
        np.testing.assert_allclose(out["h"], np.repeat(out["in"][edges], RATE // 4), atol=1e-9)

    def test_a_clock_that_never_rises_holds_the_first_value(self) -> None:
        out = run(ramp(), {"id": "h", "kind": "sample_hold", "input": "in", "clock": 1.0})
        np.testing.assert_array_equal(out["h"], out["in"][0])

    def test_track_follows_while_the_clock_is_high(self) -> None:
        out = run(ramp(), self.CLOCK, {"id": "h", "kind": "sample_hold", "input": "in", "clock": "c", "track": True})
        high = out["c"] > 0.5
        np.testing.assert_array_equal(out["h"][high], out["in"][high])
        self.assertEqual(out["h"][7000], out["in"][5999])

    def test_a_loop_repeats_what_it_took(self) -> None:
        out = run(ramp(), self.CLOCK, {"id": "h", "kind": "sample_hold", "input": "in", "clock": "c", "loop": 3})
        held = out["h"][:: RATE // 4]
        np.testing.assert_array_equal(held[3:6], held[:3])
        np.testing.assert_array_equal(held[6:8], held[:2])
        self.assertEqual(len(set(held[:3])), 3)

    def test_threshold(self) -> None:
        out = run(ramp(1.0), {"id": "h", "kind": "sample_hold", "input": "in", "clock": "in", "threshold": -0.2})
        self.assertEqual(int(np.argmax(out["h"] != out["h"][0])), int(np.argmax(out["in"] > -0.2)))


class Arithmetic(unittest.TestCase):
    def test_mix_operations(self) -> None:
        inputs = [{"source": "in", "gain": 0.5, "offset": 0.2}, {"source": "gate", "gain": 0.3}]
        a, b = 0.5 * run(ramp())["in"] + 0.2, 0.3 * (np.arange(2 * RATE) < RATE)
        wanted = {"sum": a + b, "max": np.maximum(a, b), "min": np.minimum(a, b), "product": a * b}
        for operation, values in wanted.items():
            y = run(ramp(), {"id": "m", "kind": "mix", "inputs": inputs, "operation": operation})["m"]
            np.testing.assert_allclose(y, values, atol=1e-12)

    def test_shape_does_its_steps_in_order(self) -> None:
        module = {"id": "s", "kind": "shape", "input": "in", "gain": 2.0, "offset": 0.5, "power": 2.0, "fold": True}
        out = run(ramp(), {**module, "points": [[-1, 0], [0, 0.4], [1, 1]], "clip": [0.1, 0.9]})
        x = 2.0 * out["in"] + 0.5
        x = np.sign(x) * np.abs(x) ** 2
        x = 2 / np.pi * np.arcsin(np.sin(np.pi / 2 * x))
        x = np.interp(x, [-1, 0, 1], [0, 0.4, 1])
        np.testing.assert_allclose(out["s"], np.clip(x, 0.1, 0.9), atol=1e-6)

    def test_compare_with_hysteresis(self) -> None:
        triangle = {"id": "in", "kind": "lfo", "shape": "triangle", "rate": 1}
        out = run(triangle, {"id": "c", "kind": "compare", "a": "in", "b": 0.1, "hysteresis": 0.3})
        flips = np.flatnonzero(np.diff(out["c"]))
        np.testing.assert_allclose(out["in"][flips[0]], 0.4, atol=2e-4)
        np.testing.assert_allclose(out["in"][flips[1]], -0.2, atol=2e-4)

    def test_quantise_gives_the_nearest_note_of_every_scale(self) -> None:
        for scale, degrees in SCALES.items():
            for root in (0, 5):
                module = {"id": "q", "kind": "quantise", "input": "in", "scale": scale, "root": root}
                out = run(ramp(), module)
                given, got = 60 + 12 * out["in"][::97], 60 + 12 * out["q"][::97]
                notes = np.array([o * 12 + root + d for o in range(2, 9) for d in degrees], dtype=float)
                nearest = np.abs(given[:, None] - notes).min(axis=1)
                np.testing.assert_allclose(np.abs(got - given), nearest, atol=1e-7)
                self.assertTrue(set(np.round(got - root) % 12) <= set(degrees))

    def test_a_tie_goes_down(self) -> None:
        module = {"id": "q", "kind": "quantise", "input": "v", "scale": [0, 4]}
        y = run({"id": "v", "kind": "constant", "value": 2 / 12}, module)["q"]
        self.assertAlmostEqual(y[0], 0.0)


class Steps(unittest.TestCase):
    def test_hits_gates_and_end(self) -> None:
        module = {"id": "s", "kind": "steps", "values": [1, 0.25, 0.5], "step": 0.2, "gate": 0.25}
        y = run(module)["s"]
        for index, strength in enumerate((1, 0.25, 0.5)):
            begin = round(index * 0.2 * RATE)
            np.testing.assert_array_equal(y[begin : begin + 2400], strength)
            np.testing.assert_array_equal(y[begin + 2400 : begin + 9600], 0)
        np.testing.assert_array_equal(y[28800:], 0)
        np.testing.assert_array_equal(run({**module, "loop": True})["s"][28800:31200], 1)


class Curves(unittest.TestCase):
    def test_once_through_in_seconds_and_beats(self) -> None:
        module = {"id": "c", "kind": "curve", "points": [[0, 0], [1, 1, -3], [2, 0.5]], "time": "1/8"}
        y = run(module, performance={**note(1.0, 1.0), "tempo_bpm": 75})["c"]
        x = np.arange(y.size) / RATE / 0.4
        second = 1 - 0.5 * (1 - np.exp(3 * (x - 1))) / (1 - math.exp(3))
        np.testing.assert_allclose(y, np.select([x < 1, x < 2], [x, second], 0.5), atol=1e-8)

    def test_it_waits_at_a_point_until_note_off(self) -> None:
        module = {"id": "c", "kind": "curve", "points": [[0, 0], [0.3, 1], [0.5, 0]], "hold_at": 1}
        y = run(module)["c"]
        np.testing.assert_allclose(y[14400:RATE], 1.0, atol=1e-9)
        np.testing.assert_allclose(y[RATE : RATE + 9600], 1 - np.arange(9600) / 9600, atol=1e-8)

    def test_a_loop_repeats_its_stretch(self) -> None:
        module = {"id": "c", "kind": "curve", "points": [[0, 0], [0.1, 1], [0.3, 0.2]], "loop": [1, 2]}
        y = run(module)["c"]
        np.testing.assert_allclose(y[4800:14400], y[14400:24000], atol=1e-8)
        np.testing.assert_allclose(y[4800:14400], y[4800 + 9600 * 8 : 14400 + 9600 * 8], atol=1e-8)


class Chance(unittest.TestCase):
    def noise(self, seed: int = 1, name: str = "n", **fields: object) -> Floats:
        return run({"id": name, "kind": "noise", **fields}, performance=note(2.0, 0.0, seed=seed))[name]

    def test_white_is_uniform_and_uncorrelated(self) -> None:
        y = self.noise()
        self.assertGreater(stats.kstest(y, stats.uniform(-1, 2).cdf).pvalue, 1e-3)
        for lag in (1, 2, 7, 512):
            self.assertLess(abs(np.corrcoef(y[:-lag], y[lag:])[0, 1]), 0.015)

    def test_streams_are_independent(self) -> None:
        y = self.noise()
        self.assertLess(abs(np.corrcoef(y, self.noise(name="m"))[0, 1]), 0.015)
        self.assertLess(abs(np.corrcoef(y, self.noise(seed=2))[0, 1]), 0.015)
        np.testing.assert_array_equal(y, self.noise())

    def test_spectra(self) -> None:
        slopes = {}
        for colour in ("white", "pink"):
            f, power = signal.welch(self.noise(colour=colour), RATE, nperseg=8192)
            band = (f > 40) & (f < 8000)
            slopes[colour] = np.polyfit(np.log10(f[band]), 10 * np.log10(power[band]), 1)[0]
        self.assertAlmostEqual(slopes["white"], 0.0, delta=0.7)
        self.assertAlmostEqual(slopes["pink"], -10.0, delta=1.2)

    def test_joins(self) -> None:
        played = note(2.0, 0.0)
        kinds = ("hold", "line", "cosine", "gradient", "walk")
        made = {k: run({"id": "r", "kind": "random", "shape": k, "rate": 20}, performance=played)["r"] for k in kinds}
        targets = made["hold"][:: RATE // 20]
        np.testing.assert_array_equal(made["hold"], np.repeat(targets, RATE // 20))
        np.testing.assert_allclose(made["line"][:: RATE // 20], targets, atol=1e-9)
        np.testing.assert_allclose(made["cosine"][:: RATE // 20], targets, atol=1e-9)
        np.testing.assert_allclose(made["gradient"][:: RATE // 20], 0, atol=1e-6)
        np.testing.assert_allclose(np.diff(made["line"][:2400], 2), 0, atol=1e-9)
        self.assertLessEqual(np.abs(np.diff(made["walk"][:: RATE // 20])).max(), 0.5)
        for values in made.values():
            self.assertLessEqual(np.abs(values).max(), 1.0)

    def test_each_note_has_its_own_random_number(self) -> None:
        notes = [{"start_s": i * 0.1, "length_s": 0.05} for i in range(60)]
        made = [
            traced(performance={"notes": notes[i : i + 1], "tail_s": 0, "seed": s}).performance["note_random"][-1]
            for i in range(1)
            for s in range(200)
        ]
        self.assertGreater(stats.kstest(made, stats.uniform(-1, 2).cdf).pvalue, 1e-3)


if __name__ == "__main__":
    unittest.main()
