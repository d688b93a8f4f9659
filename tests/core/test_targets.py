"""Targets for a lane: met where they can be, by what was chosen alone, and told where they cannot."""

import math
import unittest
from typing import Any

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.changeable import Target, changeable
from jorvik.core.helpers.targets import solve
from jorvik.core.problems import Problem
from tests.support import RATE, Json, note, patch

ENV: Json = {"id": "swell", "kind": "envelope", "attack_s": 0.1, "decay_s": 0.2, "sustain": 0.5}


class Targets(unittest.TestCase):
    def of(self) -> Patch:
        route = {"source": "swell", "destination": "cutoff", "amount": 12}
        return patch([ENV], [route], performance=note(1.0, 0.3), voice={"base": {"cutoff": 400}})

    def test_a_voice_of_a_phrase_is_brought_to_its_targets_alone(self) -> None:
        notes = [{"key": 48, "velocity": 40, "at": 0, "length": 2}, {"key": 60, "velocity": 120, "at": 1, "length": 2}]
        under = self.of().under(check_phrase({"format": "jorvik-phrase", "version": 1, "played": notes}))
        solved = solve(under, "cutoff", [Target("peak", 2000.0)], voice=1)
        self.assertTrue(solved.met[0].met)
        self.assertIsNotNone(solved.patch.phrase)
        peaks = [trace(solved.patch, RATE, voice).lanes["cutoff"].value.max() for voice in (0, 1)]
        self.assertAlmostEqual(12 * np.log2(peaks[1] / 2000.0), 0.0, delta=0.1)
        # At another key of that voice: the first note goes along.
        at = under.with_note_at(1, key=62.0).performance.notes
        self.assertEqual([note.key for note in at], [50.0, 62.0])

    def test_targets_that_can_be_met_are_met(self) -> None:
        solved = solve(self.of(), "cutoff", [Target("start", 250.0), Target("peak", 4000.0)])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        got = trace(solved.patch, 4000).lanes["cutoff"].value
        self.assertAlmostEqual(float(got[0]), 250, delta=2)
        self.assertAlmostEqual(float(got.max()), 4000, delta=30)
        self.assertAlmostEqual(solved.patch.routes[0].amount, 48.0, delta=0.2)  # 12 log2(4000 / 250)

    def test_a_time(self) -> None:
        solved = solve(self.of(), "cutoff", [Target("peak_s", 0.25), Target("peak", 1600.0)])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        self.assertAlmostEqual(solved.patch.modules[0].attack_s, 0.25, delta=0.004)  # type: ignore[attr-defined]

    def test_what_cannot_be_met_together_is_said(self) -> None:
        # With a sustain of one half the settled value lies half-way, in semitones, between start and peak.
        targets = [Target("start", 200.0), Target("peak", 3200.0), Target("settle", 3000.0)]
        solved = solve(self.of(), "cutoff", targets)
        self.assertFalse(all(met.met for met in solved.met))

    def test_what_is_no_longer_wanted_stops(self) -> None:
        tries: list[int] = []
        with self.assertRaises(InterruptedError):
            solve(
                self.of(),
                "cutoff",
                [Target("peak_s", 0.25), Target("peak", 1600.0)],
                cancelled=lambda: len(tries) >= 3,
                progress=tries.append,
            )
        self.assertEqual(tries, [1, 2, 3])

    def test_what_contradicts_is_met_half_way_with_the_least_change(self) -> None:
        """Nothing here answers to velocity, so that two peaks can only be met in their middle, in semitones."""
        targets = [Target("peak", 900.0, velocity=40), Target("peak", 2500.0, velocity=118)]
        solved = solve(self.of(), "cutoff", targets)
        for met in solved.met:
            self.assertFalse(met.met)
            self.assertAlmostEqual(met.got, 1500.0, delta=15)
        self.assertEqual(solved.patch.voice.base["cutoff"], 400.0)
        self.assertAlmostEqual(solved.patch.routes[0].amount, 12 * math.log2(1500 / 400), delta=0.2)

    def test_bad_wishes(self) -> None:
        with self.assertRaisesRegex(Problem, "16 to 20000 Hz"):
            solve(self.of(), "cutoff", [Target("peak", 99_000.0)])
        with self.assertRaisesRegex(Problem, "1 to 16"):
            solve(self.of(), "cutoff", [])
        with self.assertRaisesRegex(Problem, "a destination of this patch"):
            solve(self.of(), "swell.colour", [Target("peak", 1.0)])

    def test_levels_of_a_plain_sum_are_a_linear_system(self) -> None:
        tries: list[int] = []
        second: Json = {"id": "late", "kind": "envelope", "delay_s": 0.4, "attack_s": 0.2, "sustain": 1.0}
        routes: list[Json] = [
            {"source": "swell", "destination": "cutoff", "amount": 20},
            {"source": "late", "destination": "cutoff", "amount": 5},
        ]
        of = patch([ENV, second], routes, performance=note(1.0, 0.3), voice={"base": {"cutoff": 400}})
        targets = [Target("start", 300.0), Target("peak", 2400.0), Target("at_off", 1500.0)]
        solved = solve(of, "cutoff", targets, progress=tries.append)
        self.assertEqual(tries, [1])
        cutoff = trace(solved.patch).lanes["cutoff"].value
        # At the start both rest; at 0.1 s the swell is full; at the end half of it and all of the late one stand.
        rise = 12 * math.log2(2400 / 300)
        settled = 12 * math.log2(1500 / 300)
        self.assertAlmostEqual(solved.patch.routes[0].amount, rise, places=2)
        self.assertAlmostEqual(solved.patch.routes[1].amount, settled - rise / 2, places=2)
        self.assertAlmostEqual(float(cutoff[0]), 300, delta=0.1)
        self.assertAlmostEqual(float(cutoff.max()), 2400, delta=1)

    def test_a_target_for_the_peak_alone_leaves_the_set_value_alone(self) -> None:
        solved = solve(self.of(), "cutoff", [Target("peak", 1600.0)])
        self.assertAlmostEqual(float(trace(solved.patch, 4000).lanes["cutoff"].value.max()), 1600.0, delta=5)
        self.assertEqual(solved.patch.voice.base["cutoff"], 400.0)

    def test_targets_at_two_velocities_are_met_together(self) -> None:
        routes: list[Json] = [
            {"source": "swell", "destination": "cutoff", "amount": 12},
            {"source": "swell", "destination": "cutoff", "amount": 6, "via": "velocity"},
        ]
        of = patch([ENV], routes, performance=note(1.0, 0.3), voice={"base": {"cutoff": 400}})
        targets = [Target("start", 400.0), Target("peak", 1000.0, velocity=0), Target("peak", 4000.0, velocity=127)]
        solved = solve(of, "cutoff", targets)
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        self.assertAlmostEqual(solved.patch.routes[1].amount, 24.0, delta=0.05)  # two octaves more at full velocity

    def test_a_stave_of_a_source_s_own(self) -> None:
        wave: Json = {"id": "w", "kind": "lfo", "rate": 3.0}
        of = patch([ENV, wave], [{"source": "swell", "destination": "w.rate", "amount": 0.5}])
        solved = solve(of, "w.rate", [Target("start", 2.0), Target("peak", 8.0)])
        self.assertAlmostEqual(solved.patch.routes[0].amount, 2.0, places=3)
        self.assertAlmostEqual(solved.patch.modules[1].rate, 2.0, places=3)  # type: ignore[attr-defined]

    def test_a_clamp_in_the_way_falls_back_to_trying(self) -> None:
        tries: list[int] = []
        of = patch([ENV], [{"source": "swell", "destination": "fold", "amount": 3}], performance=note(1.0, 0.3))
        solved = solve(of, "fold", [Target("peak", 0.6), Target("start", 0.1)], progress=tries.append)
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        self.assertAlmostEqual(float(trace(solved.patch, 4000).lanes["fold"].value.max()), 0.6, delta=0.003)

    def test_two_times_of_a_fall_set_decay_and_bend(self) -> None:
        fall: Json = {"id": "fall", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.4, "sustain": 0.0}
        of = patch([fall], [{"source": "fall", "destination": "fold", "amount": 0.8}], performance=note(2.0, 0.1))
        solved = solve(of, "fold", [Target("half_s", 0.1), Target("tenth_s", 0.3)])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        made: Any = solved.patch.modules[0]
        for done, with_value in ((0.5, 0.1), (0.9, 0.3)):
            after = -math.log(1 - done * (1 - math.exp(-made.decay_bend))) / made.decay_bend
            self.assertAlmostEqual(made.decay_s * after, with_value, delta=0.003)
        self.assertEqual(solved.patch.routes[0].amount, 0.8)

    def test_one_time_of_a_fall_leaves_its_bend_alone(self) -> None:
        fall: Json = {"id": "fall", "kind": "envelope", "attack_s": 0.0, "decay_s": 0.4, "sustain": 0.0}
        of = patch([fall], [{"source": "fall", "destination": "fold", "amount": 0.8}], performance=note(2.0, 0.1))
        solved = solve(of, "fold", [Target("half_s", 0.35)])
        self.assertAlmostEqual(solved.patch.modules[0].decay_s, 0.7, delta=0.005)  # type: ignore[attr-defined]
        self.assertNotIn("decay_bend", solved.patch.modules[0].model_fields_set)

    def test_only_what_is_chosen_changes(self) -> None:
        of = self.of()
        for names, form in (
            (["cutoff"], Target("peak", 1600.0)),
            (["swell.sustain"], Target("settle", 600.0)),
            (["swell.attack_s"], Target("peak_s", 0.3)),
        ):
            solved = solve(of, "cutoff", [form], names)
            self.assertTrue(all(met.met for met in solved.met), (names, solved.met))
            changed = [
                name
                for name, before, after in (
                    ("cutoff", of.voice.base, solved.patch.voice.base),
                    ("route", of.routes, solved.patch.routes),
                    *(
                        (f"swell.{field}", getattr(of.modules[0], field), getattr(solved.patch.modules[0], field))
                        for field in type(of.modules[0]).model_fields
                    ),
                )
                if before != after
            ]
            self.assertEqual(changed, names)

    def test_a_sustain_that_is_chosen_makes_three_levels_possible(self) -> None:
        targets = [Target("start", 200.0), Target("peak", 3200.0), Target("settle", 2400.0)]
        of = self.of()
        solved = solve(of, "cutoff", targets, ["cutoff", f"route:{of.routes[0].id}.amount", "swell.sustain"])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        sustain = solved.patch.modules[0].sustain  # type: ignore[attr-defined]
        self.assertAlmostEqual(sustain, math.log2(2400 / 200) / math.log2(3200 / 200), delta=0.003)

    def test_what_moves_an_amount_can_be_chosen(self) -> None:
        routes: list[Json] = [
            {"id": "up", "source": "swell", "destination": "cutoff", "amount": 12},
            {"id": "harder", "source": "velocity", "destination": "route:up.amount", "amount": 1},
        ]
        of = patch([ENV], routes, performance=note(1.0, 0.3), voice={"base": {"cutoff": 400}})
        targets = [Target("peak", 800.0, velocity=0), Target("peak", 6400.0, velocity=127)]
        solved = solve(of, "cutoff", targets, ["route:up.amount", "route:harder.amount"])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        self.assertAlmostEqual(solved.patch.routes[0].amount, 12.0, delta=0.1)
        self.assertAlmostEqual(solved.patch.routes[1].amount, 36.0, delta=0.1)

    def test_the_ends_of_a_range(self) -> None:
        route: Json = {"source": "swell", "destination": "cutoff", "mode": "range", "low": 300, "high": 900}
        of = patch([ENV], [route], performance=note(1.0, 0.3))
        solved = solve(of, "cutoff", [Target("start", 200.0), Target("peak", 5000.0)])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        self.assertAlmostEqual(solved.patch.routes[0].low or 0, 200.0, delta=1.5)
        self.assertAlmostEqual(solved.patch.routes[0].high or 0, 5000.0, delta=30)

    def test_what_cannot_be_changed_is_named(self) -> None:
        for names, said in ((["swell.kind"], "one of cutoff"), ([], "at least one")):
            with self.assertRaisesRegex(Problem, said):
                solve(self.of(), "cutoff", [Target("peak", 1600.0)], names)

    def test_everything_that_reaches_a_lane_can_be_chosen(self) -> None:
        slow: Json = {"id": "slow", "kind": "slew", "input": "swell", "rise_s": 0.1}
        other: Json = {"id": "other", "kind": "lfo"}
        of = patch([ENV, slow, other], [{"source": "slow", "destination": "cutoff", "amount": 12}])
        names = [one.name for one in changeable(of, VOICE["cutoff"], [Target("peak_s", 0.2)])]
        self.assertIn("slow.rise_s", names)
        self.assertIn("swell.attack_bend", names)
        self.assertFalse([name for name in names if name.startswith("other")])
        usual = {one.name for one in changeable(of, VOICE["cutoff"], [Target("peak_s", 0.2)]) if one.usual}
        self.assertEqual(usual, {"swell.attack_s"})

    def test_times_alone_leave_levels_alone(self) -> None:
        usual = [c.name for c in changeable(self.of(), VOICE["cutoff"], [Target("peak_s", 0.2)]) if c.usual]
        self.assertEqual(usual, ["swell.attack_s"])
        wave: Json = {"id": "w", "kind": "lfo", "rate": 1.0}
        of = patch([wave], [{"id": "r", "source": "w", "destination": "cutoff", "amount": 12}])
        usual = [c.name for c in changeable(of, VOICE["cutoff"], [Target("peak_s", 0.2)]) if c.usual]
        self.assertEqual(usual, ["cutoff", "route:r.amount"])

    def test_key_and_velocity_are_left_alone_until_there_are_two(self) -> None:
        routes: list[Json] = [
            {"id": "up", "source": "swell", "destination": "cutoff", "amount": 12},
            {"id": "follow", "source": "key", "destination": "cutoff", "amount": 12},
            {"id": "harder", "source": "velocity", "destination": "route:up.amount", "amount": 1},
        ]
        of = patch([ENV], routes)
        one, two = Target("peak", 900.0), Target("peak", 1200.0, key=72, velocity=100)
        for targets, expected in (
            ([one], {"cutoff", "route:up.amount"}),
            ([one, two], {"cutoff", "route:up.amount", "route:follow.amount", "route:harder.amount"}),
        ):
            usual = {c.name for c in changeable(of, VOICE["cutoff"], targets) if c.usual}
            self.assertEqual(usual, expected)

    def test_key_follow_from_two_keys(self) -> None:
        follow: Json = {"id": "follow", "source": "key", "destination": "cutoff", "amount": 5}
        of = patch([], [follow], voice={"base": {"cutoff": 500}})
        solved = solve(of, "cutoff", [Target("start", 400.0, key=48), Target("start", 1600.0, key=72)])
        self.assertTrue(all(met.met for met in solved.met), solved.met)
        # Two octaves of cutoff over two of keys.
        self.assertAlmostEqual(solved.patch.routes[0].amount, 12.0, places=2)
        self.assertAlmostEqual(solved.patch.voice.base["cutoff"], 800.0, delta=0.5)
