"""Lanes: base, contributions, laws, polarity, bend, via, clamp, and what plays the pitch."""

import math
import unittest

import numpy as np

from jorvik.core.dsp.kernels import Floats
from tests.support import RATE, Json, note, traced

WAVE: Json = {"id": "w", "kind": "lfo", "rate": 3}
RISE: Json = {"id": "u", "kind": "lfo", "rate": 1, "shape": "saw_up", "polarity": "unipolar"}


class Laws(unittest.TestCase):
    def test_cutoff_moves_in_semitones(self) -> None:
        t = traced([WAVE], [{"source": "w", "destination": "cutoff", "amount": 24}], voice={"base": {"cutoff": 500}})
        np.testing.assert_allclose(t.lanes["cutoff"].value, 500 * 2 ** (2 * t.signals["w"]), rtol=1e-12)
        np.testing.assert_allclose(t.lanes["cutoff"].contributions["r0"], 24 * t.signals["w"], atol=1e-12)
        np.testing.assert_array_equal(t.lanes["cutoff"].base, 500)

    def test_adds_come_before_scales(self) -> None:
        routes = [
            {"source": "u", "destination": "amplitude", "mode": "scale", "amount": 0.8},
            {"source": "w", "destination": "amplitude", "amount": 0.2},
        ]
        t = traced([WAVE, RISE], routes, voice={"base": {"amplitude": 0.5}})
        factor = 1 - 0.8 + 0.8 * t.signals["u"]
        np.testing.assert_allclose(t.lanes["amplitude"].value, (0.5 + 0.2 * t.signals["w"]) * factor, atol=1e-12)
        np.testing.assert_allclose(t.lanes["amplitude"].contributions["r0"], factor, atol=1e-12)

    def test_the_clamp_keeps_what_was_before_it(self) -> None:
        t = traced([WAVE], [{"source": "w", "destination": "wavetable_position", "amount": 2}])
        np.testing.assert_allclose(t.lanes["wavetable_position"].raw, 2 * t.signals["w"], atol=1e-12)
        np.testing.assert_allclose(t.lanes["wavetable_position"].value, np.clip(2 * t.signals["w"], 0, 1), atol=1e-12)

    def test_a_range_takes_the_base_over(self) -> None:
        routes = [
            {"source": "u", "destination": "cutoff", "mode": "range", "low": 100, "high": 1600},
            {"source": "w", "destination": "cutoff", "amount": 12},
        ]
        t = traced([WAVE, RISE], routes)
        base = 100 * 16 ** t.signals["u"]
        np.testing.assert_allclose(t.lanes["cutoff"].base, base, rtol=1e-12)
        np.testing.assert_allclose(t.lanes["cutoff"].value, base * 2 ** t.signals["w"], rtol=1e-12)

    def test_module_parameters_move_in_octaves_seconds_or_their_own_unit(self) -> None:
        modules: list[Json] = [
            RISE,
            {"id": "l", "kind": "lfo", "rate": 4},
            {"id": "s", "kind": "slew", "input": "gate"},
        ]
        routes = [
            {"source": "u", "destination": "l.rate", "amount": -2},
            {"source": "u", "destination": "s.rise_s", "amount": 0.5},
            {"source": "u", "destination": "l.pulse_width", "amount": 0.3},
        ]
        t = traced(modules, routes)
        u = t.signals["u"]
        np.testing.assert_allclose(t.lanes["l.rate"].value, 4 * 2 ** (-2 * u), rtol=1e-12)
        np.testing.assert_allclose(t.lanes["s.rise_s"].value, 0.1 + 0.5 * u, atol=1e-12)
        np.testing.assert_allclose(t.lanes["l.pulse_width"].value, 0.5 + 0.3 * u, atol=1e-12)

    def test_a_note_value_is_moved_from_its_length_in_seconds(self) -> None:
        t = traced(
            [RISE, {"id": "l", "kind": "lfo", "rate": "1/4"}],
            [{"source": "u", "destination": "l.rate", "amount": 1}],
            performance=note(tempo_bpm=90),
        )
        np.testing.assert_allclose(t.lanes["l.rate"].value, 1.5 * 2 ** t.signals["u"], rtol=1e-12)


class Pulling(unittest.TestCase):
    def given(self, **route: object) -> tuple[np.ndarray, np.ndarray]:
        t = traced([WAVE, RISE], [{"destination": "pitch", "amount": 2, **route}])
        return t.lanes["pitch"].contributions["r0"] / 2, t.signals[str(route["source"])]

    def test_polarity(self) -> None:
        got, w = self.given(source="w", polarity="unipolar")
        np.testing.assert_allclose(got, (w + 1) / 2, atol=1e-12)
        got, u = self.given(source="u", polarity="bipolar")
        np.testing.assert_allclose(got, 2 * u - 1, atol=1e-12)

    def test_a_bend_keeps_the_sign(self) -> None:
        got, w = self.given(source="w", bend=4.0)
        np.testing.assert_allclose(got, np.sign(w) * (1 - np.exp(-4 * np.abs(w))) / (1 - math.exp(-4)), atol=1e-12)

    def test_via_scales_by_its_depth(self) -> None:
        got, w = self.given(source="w", via="u", via_depth=0.6)
        u = self.given(source="u")[1]
        np.testing.assert_allclose(got, w * (1 - 0.6 + 0.6 * u), atol=1e-12)

    def test_bend_comes_after_polarity(self) -> None:
        got, w = self.given(source="w", polarity="unipolar", bend=-3.0)
        x = (w + 1) / 2
        np.testing.assert_allclose(got, (1 - np.exp(3 * x)) / (1 - math.exp(3)), atol=1e-12)

    def test_amounts_move_in_their_routes_unit(self) -> None:
        routes = [
            {"id": "vib", "source": "w", "destination": "pitch", "amount": 1},
            {"id": "deep", "source": "u", "destination": "route:vib.amount", "amount": 3},
        ]
        t = traced([WAVE, RISE], routes)
        np.testing.assert_allclose(t.lanes["route:vib.amount"].value, 1 + 3 * t.signals["u"], atol=1e-12)
        np.testing.assert_allclose(t.lanes["pitch"].value, t.signals["w"] * (1 + 3 * t.signals["u"]), atol=1e-12)

    def test_a_muted_route_is_as_amount_0(self) -> None:
        routes = [
            {"source": "w", "destination": "pitch", "amount": 2, "enabled": False},
            {"source": "u", "destination": "pitch", "amount": 1},
        ]
        muted = traced([WAVE, RISE], routes).lanes["pitch"].value
        routes[0] = {"source": "w", "destination": "pitch", "amount": 0}
        np.testing.assert_array_equal(muted, traced([WAVE, RISE], routes).lanes["pitch"].value)


class Playing(unittest.TestCase):
    def test_glide_is_straight_in_semitones_whatever_the_distance(self) -> None:
        notes = [{"key": 48, "start_s": 0, "length_s": 0.5}, {"key": 60, "start_s": 0.5, "length_s": 0.5}]
        t = traced(performance={"notes": notes, "tail_s": 0}, voice={"mode": "mono", "glide_ms": 200})
        sounding = 12 * t.performance["key"] + t.lanes["pitch"].value
        at = np.arange(RATE) / RATE
        wanted = np.where(at < 0.5, -12, -12 + 12 * np.clip((at - 0.5) / 0.2, 0, 1))
        np.testing.assert_allclose(sounding, wanted, atol=1e-9)

    def test_a_glide_cut_short_starts_the_next_where_it_was(self) -> None:
        notes = [{"key": k, "start_s": s, "length_s": 0.5} for k, s in ((48, 0), (60, 0.4), (50, 0.5))]
        t = traced(performance={"notes": notes, "tail_s": 0}, voice={"mode": "legato", "glide_ms": 200})
        sounding = 60 + 12 * t.performance["key"] + t.lanes["pitch"].value
        self.assertAlmostEqual(sounding[24_000], 54.0, places=6)
        self.assertAlmostEqual(sounding[24_000 + 4_800], 52.0, places=6)

    def test_pitch_bend_adds_its_range(self) -> None:
        played = note(controls={"pitch_bend": [[0, 0], [1, 1]]})
        t = traced(performance=played, voice={"bend_range_st": 12})
        np.testing.assert_allclose(t.lanes["pitch"].value, 12 * np.clip(t.time_s, 0, 1), atol=1e-9)

    def test_performance_signals(self) -> None:
        t = traced(performance=note(0.5, 0.5, key=72, velocity=127, start_s=0.25, controls={"pressure": [[0.5, 0.2]]}))
        gate = (t.time_s >= 0.25) & (t.time_s < 0.75)
        np.testing.assert_array_equal(t.performance["gate"], gate)
        self.assertEqual(np.flatnonzero(t.performance["trigger"]).tolist(), [12_000])
        self.assertEqual(set(t.performance["velocity"]), {1.0})
        self.assertEqual(set(t.performance["key"]), {1.0})
        self.assertEqual(set(t.performance["pressure"]), {0.2})
        self.assertEqual(t.time_s.size, round(1.25 * RATE))

    def test_a_new_note_takes_a_mono_voice_over(self) -> None:
        notes = [{"start_s": 0, "length_s": 2.0, "velocity": 127}, {"start_s": 0.5, "length_s": 0.5, "velocity": 0}]
        t = traced(performance={"notes": notes, "tail_s": 0}, voice={"mode": "mono"})
        np.testing.assert_array_equal(t.performance["gate"], t.time_s < 1.0)
        np.testing.assert_array_equal(t.performance["velocity"], t.time_s < 0.5)

    def test_a_macro_is_its_value_its_lane_or_moved(self) -> None:
        macro = {"id": "m", "kind": "macro", "value": 0.3}
        still = traced([macro]).signals["m"]
        self.assertEqual(set(still), {0.3})
        played = note(controls={"macro:m": [[0, 0], [1, 1]]})
        t = traced([macro, WAVE], [{"source": "w", "destination": "m.value", "amount": 0.5}], performance=played)
        lane = np.clip(np.clip(t.time_s, 0, 1) + 0.5 * t.signals["w"], 0, 1)
        np.testing.assert_allclose(t.signals["m"], lane, atol=1e-9)


class Stepping(unittest.TestCase):
    RAMP: Json = {"id": "ramp", "kind": "lfo", "shape": "saw_up", "polarity": "unipolar", "rate": 1.0}

    def lane(self, looped: bool = False, **how: object) -> Floats:
        routes: list[Json] = [{"source": "ramp", "destination": "cutoff", "amount": 24, **how}]
        if looped:
            routes.append({"source": "ramp", "destination": "ramp.pulse_width", "amount": 0})
            routes.append({"source": "ramp", "destination": "route:r0.amount", "amount": 0})
        lanes = traced([self.RAMP], routes, performance=note(0.9, 0.0)).lanes
        return lanes["cutoff"].contributions["r0"]

    def test_7_bits_are_128_values_of_equal_steps(self) -> None:
        y = self.lane(resolution="7bit")
        steps = np.unique(np.round(y, 9))
        np.testing.assert_allclose(np.diff(steps), 24 / 127, atol=1e-8)
        self.assertLessEqual(np.abs(y - self.lane()).max(), 24 / 127 / 2 + 1e-9)

    def test_14_bits_are_finer(self) -> None:
        self.assertLessEqual(np.abs(self.lane(resolution="14bit") - self.lane()).max(), 24 / 16383 / 2 + 1e-9)

    def test_a_slow_control_rate_holds_between_updates(self) -> None:
        smooth, y = self.lane(), self.lane(update_every=1000)
        np.testing.assert_array_equal(y, smooth[np.arange(y.size) // 1000 * 1000])

    def test_within_a_loop_as_without(self) -> None:
        for how in ({"resolution": "7bit"}, {"update_every": 333}):
            np.testing.assert_allclose(self.lane(looped=True, **how), self.lane(**how), atol=1e-9)


if __name__ == "__main__":
    unittest.main()
