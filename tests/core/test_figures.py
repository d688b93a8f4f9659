"""Figures in place, each against another way of finding it."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from jorvik.core.document.patch import Patch
from jorvik.core.engine.trace import trace
from jorvik.core.figures import KINDS, figures, with_figure
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from tests.core.judging import CLOCK, HELD, NOISE, FigureCase, seeded
from tests.support import RATE, Json, note, patch

Floats = NDArray[np.float64]


class OfSources(FigureCase):
    def test_bends_are_done_when_they_say_and_when_they_are_wished(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.4, "sustain": 0.2, "decay_bend": 3.0}
        of = patch([env], performance=note(1.0, 0.5))
        said = self.read("bends", of)
        for name, level in (("decay, −6 dB", 0.6), ("decay, −20 dB", 0.28)):
            down = trace(of).signals["e"][4800:]
            self.assertAlmostEqual(said[name].value, int((down <= level).argmax()) / RATE, places=4)
        with_value = with_figure(Context(of), "bends", "signal.e", "attack, half", 0.02)
        up = trace(with_value).signals["e"][:4800]
        self.assertAlmostEqual(int((up >= 0.5).argmax()) / RATE, 0.02, places=4)

    def test_bends_of_a_stage_that_is_moved_are_those_that_are_played(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.3, "attack_bend": -2.0}
        moves: list[Json] = [
            {"source": "velocity", "destination": "e.attack_s", "amount": -0.2},
            {"source": "velocity", "destination": "e.attack_bend", "amount": 1.0},
        ]
        of = patch([env], moves, performance=note(1.0, 0.5, velocity=127))

        def half_after(patch: Patch) -> float:
            return int((trace(patch).signals["e"] >= 0.5).argmax()) / RATE

        self.assertAlmostEqual(self.read("bends", of)["attack, half"].value, half_after(of), places=4)
        with_value = with_figure(Context(of), "bends", "signal.e", "attack, half", 0.03)
        self.assertAlmostEqual(half_after(with_value), 0.03, places=4)

    def test_a_ring_that_follows_the_key_rings_as_it_is_played(self) -> None:
        ring: Json = {"id": "r", "kind": "filter", "input": "gate", "frequency_hz": 3.0, "q": 6.0}
        follow: Json = {"source": "key", "destination": "r.frequency_hz", "amount": 1.0}
        of = patch([ring], [follow], performance=note(4.0, 0.5, key=72))
        self.assertAlmostEqual(self.read("ringing", of)["rings at"].value, 6.0 * math.sqrt(1 - 1 / 144), places=6)
        with_value = with_figure(Context(of), "ringing", "signal.r", "rings at", 10.0)
        at_step = trace(with_value).signals["r"]
        up = np.flatnonzero((at_step[:-1] < 1.0) & (at_step[1:] >= 1.0))[:6]
        self.assertAlmostEqual(RATE / float(np.diff(up).mean()), 10.0, delta=0.05)

    def test_a_target_out_of_reach_goes_as_far_as_bends_go(self) -> None:
        of = patch([{"id": "e", "kind": "envelope", "attack_s": 0.1}])
        with_value = with_figure(Context(of), "bends", "signal.e", "attack, half", 5.0)
        self.assertAlmostEqual(with_value.modules[0].attack_bend, -12.0, places=4)  # type: ignore[attr-defined]

    def test_what_cannot_be_wanted_for_is_refused_with_its_place(self) -> None:
        with self.assertRaises(Problem) as refused:
            with_figure(Context(patch([{"id": "e", "kind": "envelope"}])), "bends", "signal.e", "loudness", 1.0)
        self.assertIn("signal.e", str(refused.exception))
        with self.assertRaises(Problem):
            with_figure(Context(patch()), "nothing", "", "x", 1.0)

    def test_a_ring_by_its_crossings_and_its_fall(self) -> None:
        def of(hz: float, q: float) -> Patch:
            ringer = {"id": "r", "kind": "filter", "input": "trigger", "response": "band", "frequency_hz": hz, "q": q}
            return patch([ringer], performance={"notes": [{"length_s": 0.2, "start_s": k} for k in (0, 0.75, 1.5)]})

        with_value = with_figure(Context(of(9.0, 6.0)), "ringing", "signal.r", "rings at", 11.0)
        with_value = with_figure(Context(with_value), "ringing", "signal.r", "gone after", 2.0)
        settings: Json = with_value.document()["modules"][0]
        y = trace(patch([settings], performance=note(3.0, 0.0))).signals["r"]
        ups = np.flatnonzero((y[:-1] < 0) & (y[1:] >= 0))
        self.assertAlmostEqual(RATE / float(np.diff(ups[:9]).mean()), 11.0, delta=0.02)
        size = [float(np.abs(y[round(t * RATE) :][: RATE // 11]).max()) for t in (0.1, 1.1)]
        self.assertAlmostEqual(20 * math.log10(size[1] / size[0]), -30.0, delta=0.5)
        said = self.read("ringing", with_value)
        self.assertAlmostEqual(said["ring against note rate"].value, 11.0 * 0.75, places=3)
        short = self.read("ringing", patch([settings], performance=note(0.2, 1.5)))
        self.assertEqual(short["outlives the note by"].said, "more than 1.5 s, when the run ends")
        # Note-off strikes what the gate feeds again: the peak comes within a quarter of a cycle, and 2 s later it is
        # 60 dB down. The trigger strikes only once, and the ring has long ended 4 s later.
        for source, length, wanted in (("gate", 0.5, 2.0), ("gate", 3.0, 2.0), ("trigger", 0.5, 2.0)):
            again = self.read("ringing", patch([{**settings, "input": source}], performance=note(length, 3.0)))
            self.assertAlmostEqual(again["outlives the note by"].value, wanted, delta=0.25 / 11.0 + 0.5 / 11.0)
        over = self.read("ringing", patch([{**settings, "input": "trigger"}], performance=note(5.0, 1.0)))
        self.assertEqual(over["outlives the note by"].said, "not at all")

    def test_gain_and_phase_by_a_fit_to_the_trace(self) -> None:
        for response in ("low", "high", "band", "notch"):
            for coupling in ("dc", "ac"):
                wave: Json = {"id": "w", "kind": "lfo", "rate": 40.0}
                through: Json = {
                    "id": "f",
                    "kind": "filter",
                    "input": "w",
                    "response": response,
                    "coupling": coupling,
                    "frequency_hz": 55.0,
                    "q": 2.0,
                    "coupling_hz": 25.0,
                    "gain": 0.7,
                }
                of = patch([wave, through], performance=note(4.0, 0.0))
                last = slice(3 * RATE, 4 * RATE)
                turn = 2 * np.pi * 40.0 * np.arange(RATE) / RATE
                fit = np.linalg.lstsq(
                    np.stack([np.sin(turn), np.cos(turn)], 1), trace(of).signals["f"][last], rcond=None
                )[0]
                said = self.read("control_response", of)
                self.assertAlmostEqual(said["gain"].value, 20 * math.log10(math.hypot(*fit)), places=4)
                off = math.degrees(math.atan2(fit[1], fit[0])) - said["phase"].value
                self.assertAlmostEqual((off + 180) % 360 - 180, 0.0, places=3)

    def test_what_a_slew_costs_and_what_a_product_saves(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.05, "decay_s": 0.6, "sustain": 0.0, "decay_bend": 4.0}
        slew: Json = {"id": "s", "kind": "slew", "input": "e", "law": "exponential", "rise_s": 0.02, "fall_s": 0.02}
        both: Json = {"id": "p", "kind": "mix", "inputs": [{"source": "e"}] * 2, "operation": "product"}
        of = patch([env, slew, both], performance=note(1.0, 0.0))
        said, made = self.read("through", of), trace(of).signals
        ninety = [int((made[n] >= 0.9 * made[n].max()).argmax()) / RATE for n in "es"]
        self.assertAlmostEqual(said["signal.s attack"].value, ninety[1] - ninety[0], places=4)
        for share, name in ((0.5, "−6 dB"), (0.1, "−20 dB"), (0.01, "−40 dB")):
            # The product comes to a share of its peak where the envelope comes to the root of it.
            fallen = [int((made["e"][2400:] <= level).argmax()) / RATE for level in (share, math.sqrt(share))]
            self.assertAlmostEqual(said[f"signal.p falls to {name}"].value, fallen[1] - fallen[0], places=4)

    def test_moments_rate_and_images_of_what_is_sampled(self) -> None:
        tone: Json = {"id": "t", "kind": "oscillator", "tracks": "none", "hz": 1000.0}
        fast: Json = {"id": "c", "kind": "clock", "rate": 3000.0}
        of = patch([tone, fast, {**HELD, "input": "t"}], performance=note(1.0, 0.0))
        said = self.read("sampled", of)
        self.assertAlmostEqual(said["effective rate"].value, 3000.0, delta=0.01)
        spectrum = np.abs(np.fft.rfft(trace(of).signals["h"])) * 2 / RATE
        for figure in (r for r in said.values() if r.group):
            level = float(figure.said.rpartition(", ")[2].removesuffix(" dB").replace("−", "-"))
            self.assertAlmostEqual(20 * math.log10(spectrum[round(figure.value)]), level, delta=0.06)
        self.assertEqual(
            {round(r.value) for r in said.values() if r.group}, {1000, 2000, 4000, 5000, 7000, 8000, 10000}
        )

    def test_moments_are_counted_from_each_note(self) -> None:
        of = patch([NOISE, {**HELD, "clock": "gate"}], performance={"notes": [{"start_s": 0.3, "length_s": 0.2}]})
        self.assertEqual(self.read("sampled", of)["takes a value"].said, "once: 0 ms")

    def test_a_pattern_repeats_where_clock_and_wave_meet(self) -> None:
        saw: Json = {"id": "t", "kind": "lfo", "shape": "saw_up", "rate": 1.5, "start": "free"}
        of = patch([saw, {**CLOCK, "rate": 4.0}, {**HELD, "input": "t"}], performance=note(5.0, 0.0, tempo_bpm=60))
        after = self.read("sampled", of)["pattern repeats after"].value
        held = trace(of).signals["h"]
        period = next(n for n in range(12_000, held.size, 12_000) if np.allclose(held[n:], held[:-n], atol=1e-6))
        self.assertAlmostEqual(after, period / RATE)

    def test_waits_by_the_jumps_of_a_hold(self) -> None:
        pace: Json = {"id": "p", "kind": "lfo", "rate": 0.7}
        gusts: Json = {"id": "g", "kind": "random", "rate": 9.0, "shape": "hold"}
        of = patch([pace, gusts], [{"source": "p", "destination": "g.rate", "amount": 1.0}], performance=note(4.0, 0.0))
        jumps = np.flatnonzero(np.diff(trace(of).signals["g"])) + 1
        waits = np.diff(np.concatenate([[0], jumps])) / RATE
        said = self.read("waits", of)
        self.assertAlmostEqual(said["average wait"].value, float(waits.mean()), places=4)
        self.assertAlmostEqual(said["longest wait"].value, float(waits.max()), places=4)
        still = self.read("waits", patch([{**gusts, "shape": "line"}], performance=note(4.0, 0.0)))
        self.assertAlmostEqual(still["longest wait"].value, 1 / 9)
        self.assertLess(still["speed of change"].value, 9 * 2.0)

    def test_the_ends_of_a_shape_and_the_gain_and_offset_for_others(self) -> None:
        for gain in (0.5, -0.5):
            turned: Json = {"id": "s", "kind": "shape", "input": "h", "gain": gain, "offset": 0.2}
            of = patch([NOISE, CLOCK, HELD, turned], performance=note(2.0, 0.0))
            said = self.read("scaled", of)
            self.assertAlmostEqual(said["never below"].value, -0.3)
            with_value = with_figure(Context(of), "scaled", "signal.s", "never below", 0.12)
            with_value = with_figure(Context(with_value), "scaled", "signal.s", "never above", 0.9)
            many = np.concatenate([seeded(with_value, seed).signals["s"] for seed in range(12)])
            self.assertGreaterEqual(float(many.min()), 0.12 - 1e-9)
            self.assertLess(float(many.min()), 0.14)
            self.assertLessEqual(float(many.max()), 0.9 + 1e-9)
            self.assertGreater(float(many.max()), 0.88)
        with self.assertRaises(Problem):
            with_figure(Context(of), "scaled", "signal.s", "never below", 0.8)

    def test_note_values_in_time(self) -> None:
        clock: Json = {"id": "c", "kind": "clock", "rate": "1/8d"}
        said = self.read("note_values", patch([clock], performance=note(1.0, 0.0, tempo_bpm=96)))
        self.assertAlmostEqual(said["rate"].value, 60 / 96 * 0.75)
        self.assertEqual(said["rate"].said, "468.8 ms, 2.133 Hz")

    def test_loops_meet_where_the_first_common_moment_is(self) -> None:
        three: Json = {"id": "a", "kind": "steps", "values": [1, 0, 0.5], "step": "1/4", "loop": True}
        held: Json = {**HELD, "input": "a", "clock": "c", "loop": 5}
        beat: Json = {"id": "c", "kind": "clock", "rate": "1/8"}
        of = patch([three, beat, held], [{"source": s, "destination": "cutoff", "amount": 6} for s in ("a", "h")])
        said = self.read("repeats", of)
        together = next(beats for beats in np.arange(0.5, 99, 0.5) if beats % 3 == 0 and beats % 2.5 == 0)
        self.assertAlmostEqual(said["signal.a all loops meet after"].value, together)
        self.assertAlmostEqual(said["signal.h repeats after"].value, 2.5)


class OfRoutesAndThePatch(FigureCase):
    def test_the_amount_that_cancels_does(self) -> None:
        def of(amount: float) -> Patch:
            routes: list[Json] = [
                {"id": "vib", "source": "w", "destination": "pitch", "amount": 0.3},
                {"id": "less", "source": "velocity", "destination": "route:vib.amount", "amount": amount},
            ]
            return patch([{"id": "w", "kind": "lfo"}], routes, performance=note(1.0, 0.0, velocity=127))

        said = self.read("cancelling", of(-0.2))
        self.assertAlmostEqual(said["left at full velocity"].value, 0.1)
        exact = said["cancels at exactly"].value
        self.assertLess(float(np.abs(trace(of(exact)).lanes["pitch"].value).max()), 1e-12)

    def test_when_nothing_moves(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "delay_s": 0.2, "attack_s": 0.1, "hold_s": 0.3, "sustain": 1.0}
        of = patch([env], [{"source": "e", "destination": "fold", "amount": 1}], performance=note(1.0, 0.2))
        said = self.read("at_rest", of)["nothing moves"]
        self.assertAlmostEqual(said.value, 0.2 + 0.7, delta=0.011)
        self.assertTrue(said.said.startswith("0 to 200 ms"), said.said)

    def test_every_kind_speaks_of_something_and_each_place_exists(self) -> None:
        env: Json = {"id": "e", "kind": "envelope"}
        of = patch([env, NOISE, CLOCK, HELD], [{"source": "h", "destination": "cutoff", "amount": 12}])
        for figure in figures(Context(of)):
            head, _, name = figure.about.partition(".")
            known = {"signal": of.modules_by_id, "route": of.routes_by_id}.get(head, Context(of).trace.lanes)
            self.assertTrue(not figure.about or (name or head) in known, figure)
            self.assertIn(figure.kind, KINDS)


if __name__ == "__main__":
    unittest.main()
