"""Figures of staves, each against another way of finding it."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS, with_figure
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from tests.core.judging import CLOCK, HELD, NOISE, FigureCase, seeded
from tests.support import RATE, Json, demos, note, patch

Floats = NDArray[np.float64]


class OfStaves(FigureCase):
    def test_how_far_chance_reaches_and_how_much_falls_silent(self) -> None:
        floor: Json = {"id": "s", "kind": "shape", "input": "h", "gain": 0.6, "offset": 0.4}
        route: Json = {"source": "s", "destination": "fold", "amount": 1}
        of = patch([NOISE, CLOCK, HELD, floor], [route], performance=note(3.0, 0.0))
        said = self.read("reach", of)
        self.assertAlmostEqual(said["greatest"].value, 1.0)
        self.assertAlmostEqual(said["least"].value, 0.0)
        # Of a uniform number in -1..1 scaled so, this much lies at or under a hundredth.
        self.assertAlmostEqual(said["falls silent"].value, ((0.01 - 0.4) / 0.6 + 1) / 2, delta=0.05)
        fixed = self.read("reach", patch([NOISE, CLOCK, HELD, {**floor, "offset": 0.4 + 0.21}], [route]))
        self.assertEqual(fixed["falls silent"].value, 0.0)
        self.assertAlmostEqual(said["offset that removes it"].value, 0.21)

    def test_reach_through_a_mix_a_scale_and_a_cutoff(self) -> None:
        both: Json = {"id": "m", "kind": "mix", "inputs": [{"source": "h", "gain": 2}, {"source": "h", "offset": -1}]}
        tuned: Json = {"id": "q", "kind": "quantise", "input": "h", "scale": "major_triad", "root": 2}
        of = patch(
            [NOISE, CLOCK, HELD, {**both, "operation": "max"}, tuned],
            [
                {"source": "m", "destination": "cutoff", "amount": 6},
                {"source": "q", "destination": "pitch", "amount": 12},
            ],
            performance=note(8.0, 0.0),
        )
        context = Context(of)
        found = {(r.about, r.name): r for r in KINDS["reach"](context)}
        # Twice it, or it less one: from -2 to 2 whichever is the larger, so that -2 becomes -2.
        self.assertAlmostEqual(found["cutoff", "greatest"].value, 1000 * 2.0)
        self.assertAlmostEqual(found["cutoff", "least"].value, 500.0)
        pitch = context.trace.lanes["pitch"].value
        self.assertLessEqual(found["pitch", "least"].value, round(float(pitch.min())))
        self.assertGreaterEqual(found["pitch", "greatest"].value, round(float(pitch.max())))
        self.assertEqual({round(float(v)) % 12 for v in np.unique(pitch)}, {2, 6, 9})
        self.assertIn(round(found["pitch", "least"].value) % 12, {2, 6, 9})

    def test_reach_of_sources_that_run_free_is_the_sum_of_their_ranges(self) -> None:
        modules: list[Json] = [
            {"id": "sway", "kind": "lfo", "rate": 0.31, "start": "free"},
            {"id": "drift", "kind": "random", "rate": 0.5, "start": "free", "shape": "cosine"},
            {"id": "bow", "kind": "envelope", "attack_s": 0.5},
        ]
        routes: list[Json] = [
            {"source": "sway", "destination": "pitch", "amount": 0.04},
            {"source": "drift", "destination": "pitch", "amount": 0.03},
        ]
        said = self.read("reach", patch(modules, routes, performance=note(1.0, 0.2)))
        self.assertAlmostEqual(said["greatest"].value, 0.07)
        self.assertAlmostEqual(said["least"].value, -0.07)
        # Scaled by an envelope from 0.4 of it on, and by an amount that the envelope takes away.
        via = {**routes[0], "via": "bow", "via_depth": 0.6}
        said = self.read("reach", patch(modules, [via, routes[1]], performance=note(0.2, 0.2)))
        self.assertAlmostEqual(said["greatest"].value, 0.07)
        less = {"source": "bow", "destination": "route:r1.amount", "amount": -0.02}
        said = self.read("reach", patch(modules, [routes[0], routes[1], less], performance=note(0.2, 0.2)))
        self.assertAlmostEqual(said["greatest"].value, 0.07)
        self.assertAlmostEqual(said["least"].value, -0.07)

    def test_reach_holds_every_value_that_the_lane_comes_to(self) -> None:
        for name, document in demos().items():
            of = check_patch(document)
            found = {(one.about, one.name): one.value for one in KINDS["reach"](Context(of))}
            for lane in {about for about, _ in found}:
                values = trace(of).lanes[lane].value
                with self.subTest(name, lane=lane):
                    self.assertLessEqual(found[lane, "least"], float(values.min()) + 1e-9)
                    self.assertGreaterEqual(found[lane, "greatest"], float(values.max()) - 1e-9)

    def test_the_share_of_silence_is_exact_for_one_even_source(self) -> None:
        low: Json = {"id": "low", "kind": "shape", "input": "h", "gain": 0.6, "offset": 0.4}
        of = patch(
            [NOISE, CLOCK, HELD, low],
            [{"source": "low", "destination": "fold", "amount": 1}],
            performance=note(0.2, 0.0),
        )
        # Of -0.2..1 the part at or under a hundredth.
        self.assertAlmostEqual(self.reach_of(of, "falls silent"), 0.21 / 1.2, places=9)
        drawn = np.concatenate([np.unique(seeded(of, seed).lanes["fold"].raw) for seed in range(300)])
        self.assertAlmostEqual(float((drawn <= 0.01).mean()), 0.21 / 1.2, delta=0.03)

    def test_the_share_of_silence_is_counted_for_a_sum_of_two(self) -> None:
        more: Json = {**HELD, "id": "k", "input": "n2"}
        of = patch(
            [NOISE, {"id": "n2", "kind": "noise"}, CLOCK, HELD, more],
            [{"source": name, "destination": "fold", "amount": 1} for name in ("h", "k")],
            performance=note(4.0, 0.0),
            voice={"base": {"fold": 1.0}},
        )
        # 1 + a + b is at or under 0.01 where the sum of two even numbers of -1..1 is under -0.99: (2 - 0.99)^2 / 8.
        self.assertAlmostEqual(self.reach_of(of, "falls silent"), 1.01**2 / 8, delta=0.04)

    def reach_of(self, of: Patch, name: str) -> float:
        return next(r.value for r in KINDS["reach"](Context(of)) if r.name == name)

    def test_one_chance_that_comes_in_twice_is_counted_once(self) -> None:
        both: Json = {"id": "m", "kind": "mix", "inputs": [{"source": "h", "gain": 1}, {"source": "h", "gain": -0.5}]}
        of = patch(
            [NOISE, CLOCK, HELD, both],
            [
                {"source": "h", "destination": "cutoff", "amount": 12},
                {"source": "h", "destination": "cutoff", "amount": -6},
                {"source": "m", "destination": "pitch", "amount": 4},
            ],
            performance=note(8.0, 0.0),
        )
        found = {(r.about, r.name): r.value for r in KINDS["reach"](Context(of))}
        self.assertAlmostEqual(found["cutoff", "greatest"], 1000 * 2**0.5)
        self.assertAlmostEqual(found["cutoff", "least"], 1000 / 2**0.5)
        self.assertAlmostEqual(found["pitch", "greatest"], 2.0)
        self.assertAlmostEqual(found["pitch", "least"], -2.0)

    def test_notes_and_intervals_of_a_known_row(self) -> None:
        row: Json = {"id": "r", "kind": "steps", "values": [0, 0.5, 1, 0.5], "step": 0.1, "gate": 1, "loop": True}
        routes: list[Json] = [{"source": "r", "destination": "pitch", "amount": 12}]
        of = patch([row], routes, performance=note(1.2, 0.0, key=57))
        said = self.read("notes_met", of)
        self.assertEqual(said["range"].said, "A3 to A4, 12 st")
        self.assertAlmostEqual(said["D#4"].value, 0.5)
        self.assertAlmostEqual(said["A3"].value, 0.25)
        self.assertAlmostEqual(said["+6 st"].value + said["−6 st"].value, 1.0)

    def test_when_it_rises_and_dips(self) -> None:
        first: Json = {"id": "a", "kind": "envelope", "mode": "trigger", "attack_s": 0.1, "decay_s": 0.3, "sustain": 0}
        second: Json = {"id": "b", "kind": "envelope", "delay_s": 0.3, "attack_s": 0.4, "sustain": 1, "release_s": 0.1}
        larger: Json = {
            "id": "m",
            "kind": "mix",
            "operation": "max",
            "inputs": [{"source": "a"}, {"source": "b", "gain": 0.8}],
        }
        of = patch([first, second, larger], [{"source": "m", "destination": "fold", "amount": 1}])
        said = {r.name: r for r in KINDS["rises"](Context(of)) if r.about == "fold"}
        self.assertAlmostEqual(said["rise 1"].value, 0.1, places=4)
        # Where the falling line 1 - (t - 0.1) / 0.3 meets the rising one 0.8 (t - 0.3) / 0.4.
        t = (1 + 1 / 3 + 0.6) / (1 / 0.3 + 2.0)
        self.assertAlmostEqual(said["dip 1"].value, 2.0 * (t - 0.3), places=3)

    def test_an_uneven_wave_shifts_the_mean(self) -> None:
        wave: Json = {
            "id": "o",
            "kind": "oscillator",
            "tracks": "none",
            "hz": 200.0,
            "shape": "square",
            "pulse_width": 0.3,
        }
        of = patch([wave], [{"source": "o", "destination": "pitch", "amount": 2}])
        self.assertAlmostEqual(
            self.read("shifted_mean", of)["shifts the average pitch by"].value, 200 * (0.6 - 1), delta=1
        )

    def test_the_nearest_a_width_comes_to_its_end(self) -> None:
        wave: Json = {"id": "w", "kind": "lfo", "rate": 2.0}
        of = patch(
            [wave],
            [{"source": "w", "destination": "pulse_width", "amount": 0.45}],
            voice={"base": {"pulse_width": 0.48}},
        )
        said = self.read("collapse", of)
        self.assertAlmostEqual(said["clear of collapse by"].value, 0.03, places=6)
        self.assertAlmostEqual(said["greatest width"].value, 0.93, places=6)

    def test_the_depth_that_keeps_clear(self) -> None:
        lfo: Json = {"id": "l", "kind": "lfo", "rate": 2.0}
        of = patch(
            [lfo], [{"source": "l", "destination": "pulse_width", "amount": 0.2}], voice={"base": {"pulse_width": 0.4}}
        )
        for clear, amount in ((0.1, 0.3), (0.35, 0.05)):
            with_value = with_figure(Context(of), "collapse", "pulse_width", "clear of collapse by", clear)
            self.assertAlmostEqual(with_value.routes[0].amount, amount, places=4)
            width = trace(with_value).lanes["pulse_width"].value
            self.assertAlmostEqual(float(width.min()), clear, places=4)
        with self.assertRaisesRegex(Problem, "nearer to 50 %"):
            with_figure(Context(of), "collapse", "pulse_width", "clear of collapse by", 0.45)

    def test_sidebands_by_the_spectrum_of_what_is_said(self) -> None:
        of = patch([], voice={"base": {"fm_index": 2.5, "fm_ratio": 2.0}}, performance=note(1.0, 0.0, key=45))
        t = np.arange(RATE) / RATE
        tone = np.sin(2 * np.pi * 110 * t + 2.5 * np.sin(2 * np.pi * 220 * t))
        spectrum = np.abs(np.fft.rfft(tone)) * 2 / RATE
        said = self.read("fm_sidebands", of)
        self.assertGreaterEqual(len(said), 5)
        for figure in said.values():
            level = float(figure.said.rpartition(", ")[2].removesuffix(" dB").replace("−", "-"))
            self.assertAlmostEqual(level, 20 * math.log10(spectrum[round(figure.value)]), delta=0.06)

    def test_the_modulator_has_its_own_pitch(self) -> None:
        of = patch([], [], voice={"base": {"fm_index": 1.5, "osc2_pitch": 12.0, "fm_ratio": 1.5, "pitch": 7.0}})
        said = self.read("fm_sidebands", of)
        modulator = 3.0 * said["carrier"].value
        self.assertAlmostEqual(said["carrier"].value, 440.0 * 2 ** ((67 - 69) / 12), places=3)
        self.assertAlmostEqual(said["+1"].value - said["carrier"].value, modulator, places=3)

    def test_the_next_note_by_the_phase_of_a_free_wave(self) -> None:
        wave: Json = {"id": "w", "kind": "lfo", "rate": 5.0, "start": "free"}
        route: Json = {"source": "w", "destination": "pitch", "amount": 0.4}
        for mode, dies_away in (("poly", 0.0), ("mono", 0.2)):
            of = patch([wave], [route], performance=note(1.0, 0.2), voice={"mode": mode})
            turn = 2 * math.pi * 5.0 * (1.0 + dies_away + 0.37)
            expected = 40 * 2 * abs(math.sin(turn / 2))
            self.assertAlmostEqual(self.read("note_to_note", of)["next note differs by"].value, expected, delta=0.05)
        tied = patch([{**wave, "start": "note"}], [{"source": "w", "destination": "pitch", "amount": 0.4}])
        self.assertEqual(self.read("note_to_note", tied), {})

    def test_a_detuned_pair_beats_as_its_envelope_does(self) -> None:
        of = patch([], voice={"base": {"osc2_level": 1.0, "osc2_pitch": 0.3}}, performance=note(1.0, 0.0, key=57))
        hz = self.read("beating", of)["oscillators 1 and 2 beat at"].value
        t = np.arange(4 * RATE) / RATE
        pair = np.sin(2 * np.pi * 220 * t) + np.sin(2 * np.pi * 220 * 2 ** (30 / 1200) * t)
        size = np.abs(signal.hilbert(pair))[RATE // 4 : -RATE // 4]
        dips = np.flatnonzero((size[1:-1] < size[:-2]) & (size[1:-1] <= size[2:]) & (size[1:-1] < 0.2))
        self.assertAlmostEqual(hz, RATE / float(np.diff(dips).mean()), delta=0.01)
        wide = patch([], voice={"base": {"detune": 20.0}, "oscillators": {"unison": 3}}, performance=note(1, 0, key=57))
        apart = 220 * (2 ** (10 / 1200) - 2 ** (-10 / 1200))
        self.assertAlmostEqual(self.read("beating", wide)["outer unison voices beat at"].value, apart, places=6)

    def test_where_the_filter_no_longer_changes_the_tone(self) -> None:
        row: Json = {"id": "r", "kind": "steps", "values": [1, 0.01], "step": 0.1, "gate": 1, "loop": True}
        of = patch(
            [row],
            [{"source": "r", "destination": "cutoff", "amount": 55}],
            voice={"base": {"cutoff": 800.0, "wavetable_position": 0.0}},
            performance=note(1.0, 0.0, key=60),
        )
        # At position 0 the ladder is a sine at 262 Hz. A filter of Q 0.5 loses 20 lg(1 + (f / f_c)^2) dB there.
        lost = [20 * math.log10(1 + (261.63 / hz) ** 2) for hz in (800 * 2 ** (55 / 12), 800 * 2 ** (0.55 / 12))]
        self.assertLess(lost[0], 1.0)
        self.assertLess(lost[1], 1.0)
        self.assertEqual(self.read("unchanged", of)["steps that change nothing"].value, 1.0)
        bright = patch(
            [row],
            [{"source": "r", "destination": "cutoff", "amount": 55}],
            voice={"base": {"cutoff": 300.0, "wavetable_position": 0.0}},
            performance=note(1.0, 0.0, key=60),
        )
        self.assertEqual(self.read("unchanged", bright)["steps that change nothing"].value, 0.5)

    def test_how_much_lies_outside_of_what_is_useful(self) -> None:
        row: Json = {
            "id": "r",
            "kind": "steps",
            "values": [0, 0.25, 0.5, 0.75, 1],
            "step": 0.1,
            "gate": 1,
            "loop": True,
        }
        # Two octaves up from 200 Hz: steps at 200, 283, 400, 566 and 800 Hz.
        of = patch(
            [row],
            [{"source": "r", "destination": "cutoff", "amount": 24}],
            voice={"base": {"cutoff": 200.0}},
            performance=note(1.0, 0.0, key=60),
            useful_ranges={"cutoff": {"low": 250, "high": 450}, "resonance": {"low": 0.1, "high": 0.2}},
        )
        found = self.read("outside_useful", of)
        self.assertEqual(list(found), ["steps outside of what is useful"])
        self.assertAlmostEqual(found["steps outside of what is useful"].value, 3 / 5)
        self.assertEqual(found["steps outside of what is useful"].said, "60 %: 20 % of steps under it, 40 % over it")
        ramp: Json = {"id": "r", "kind": "curve", "points": [[0, 0], [1, 1]]}
        smooth = of.with_document({**of.document(), "modules": [ramp]})
        # Straight up in semitones: of two octaves the first 0.32 and the last 0.83.
        share = (math.log2(250 / 200) + math.log2(800 / 450)) / 2
        self.assertAlmostEqual(
            self.read("outside_useful", smooth)["time outside of what is useful"].value, share, places=3
        )


if __name__ == "__main__":
    unittest.main()
