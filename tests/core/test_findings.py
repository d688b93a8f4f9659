"""Each rule on both sides of its threshold, and its fix tried."""

import json
import unittest
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.trace import trace
from jorvik.core.findings import RULES, check
from jorvik.core.judgement import judge
from jorvik.core.measure.closed_forms import ring
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text
from jorvik.place import ROOT
from tests.core.judging import CLOCK, ENV, HELD, NOISE, RuleCase, found
from tests.support import Json, demos, note, patch


class Rules(RuleCase):
    def test_clamped_lane(self) -> None:
        def at(amount: float) -> Patch:
            route = {"source": "e", "destination": "cutoff", "amount": amount}
            return patch([ENV], [route], performance=note(1.0, 0.2), voice={"base": {"cutoff": 5000}})

        finding = self.sides("clamped_lane", at(60), at(23))
        self.assertIn("20 kHz", finding.sentence)
        self.assertIsNotNone(finding.fix)

    def test_no_effect(self) -> None:
        def at(amount: float) -> Patch:
            return patch([ENV], [{"source": "e", "destination": "pitch", "amount": amount}])

        self.sides("no_effect", at(0.005), at(0.02))

    def test_silent_settling(self) -> None:
        def at(release: float) -> Patch:
            slow = {**ENV, "id": "slow", "release_s": 1.0}
            amp = {**ENV, "release_s": release}
            routes = [
                {"source": "slow", "destination": "cutoff", "amount": 24},
                {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1},
            ]
            return patch([amp, slow], routes, performance=note(0.5, 1.5))

        self.sides("silent_settling", at(0.1), at(1.0))

    def test_harder_thinner(self) -> None:
        def at(amount: float) -> Patch:
            routes = [
                {"source": "e", "destination": "cutoff", "amount": 24},
                {"source": "velocity", "destination": "cutoff", "amount": amount},
            ]
            return patch([ENV], routes, performance=note(1.0, 0.2))

        finding = self.sides("harder_thinner", at(-6), at(-2))
        self.assertIn("3.685 st lower", finding.sentence)  # 6 x (118 - 40) / 127

    def test_missed_cancel(self) -> None:
        def at(amount: float) -> Patch:
            routes = [
                {"id": "v", "source": "vib", "destination": "pitch", "amount": 0.3},
                {"id": "c", "source": "velocity", "destination": "route:v.amount", "amount": amount},
            ]
            return patch([{"id": "vib", "kind": "lfo", "rate": 5}], routes)

        finding = self.sides("missed_cancel", at(-0.25), at(-0.3))
        self.assertIn("exactly −0.3 st", finding.fix.label if finding.fix else "")
        self.assertIn("passes zero", found("missed_cancel", at(-0.35))[0].sentence)
        self.assertEqual(found("missed_cancel", at(-0.1)), [])

    def test_equal_routes(self) -> None:
        def at(**second: Any) -> Patch:
            route = {"source": "e", "destination": "cutoff", "amount": 12}
            return patch([ENV], [route, {**route, **second}])

        finding = self.sides("equal_routes", at(), at(amount=7))
        for other in ({"via": "velocity"}, {"enabled": False}, {"polarity": "bipolar"}):
            self.assertEqual(found("equal_routes", at(**other)), [])
        assert finding.fix is not None
        twice, once = (trace(of).lanes["cutoff"].value.max() for of in (at(), finding.fix.patch))
        self.assertAlmostEqual(float(twice / once), 2.0, places=6)

    def test_two_routes_that_each_cancel_leave_the_whole_turned_over(self) -> None:
        def at(*amounts: float) -> Patch:
            routes = [{"id": "v", "source": "vib", "destination": "pitch", "amount": 0.3}]
            onto = {"source": "velocity", "destination": "route:v.amount"}
            routes += [{"id": f"c{n}", "amount": amount, **onto} for n, amount in enumerate(amounts)]
            return patch([{"id": "vib", "kind": "lfo", "rate": 5}], routes, performance=note(1.0, velocity=127))

        finding = self.sides("missed_cancel", at(-0.3, -0.3), at(-0.1, -0.2))
        self.assertIn("passes zero by 0.3", finding.sentence)
        # By another way: at full velocity the vibrato goes as far as before, and nowhere once it is fixed.
        assert finding.fix is not None
        for of, depth in ((at(-0.3, -0.3), 0.3), (finding.fix.patch, 0.0)):
            self.assertAlmostEqual(float(np.abs(trace(of).lanes["pitch"].value).max()), depth, places=3)

    def test_softened_attack(self) -> None:
        def at(hz: float) -> Patch:
            ring: Json = {"id": "ring", "kind": "filter", "input": "e", "frequency_hz": hz, "q": 0.5}
            return patch([ENV, ring], [{"source": "ring", "destination": "cutoff", "amount": 24}])

        self.sides("softened_attack", at(8.0), at(200.0))

    def test_long_ring(self) -> None:
        def at(q: float) -> Patch:
            ring: Json = {"id": "ring", "kind": "filter", "input": "e", "frequency_hz": 10.0, "q": q}
            route = {"source": "ring", "destination": "cutoff", "amount": 24}
            return patch([ENV, ring], [route], performance=note(0.5, 1.0))

        self.assertAlmostEqual(ring(10.0, 8.0).time_s, 1.759, places=3)
        self.sides("long_ring", at(8.0), at(4.0))

    def test_a_ring_struck_at_note_on_does_not_begin_again_at_note_off(self) -> None:
        """It rings for 1.76 s from note-on, and the run ends after 2.5 s; a gate strikes it once more at note-off."""

        def at(source: str, length_s: float = 1.5) -> Patch:
            ring: Json = {"id": "ring", "kind": "filter", "input": source, "frequency_hz": 10.0, "q": 8.0}
            route = {"source": "ring", "destination": "cutoff", "amount": 24}
            return patch([ring], [route], performance=note(length_s, 1.0))

        self.sides("long_ring", at("gate"), at("trigger"))
        left = found("long_ring", at("gate"))[0]
        self.assertIn("760 ms", left.sentence.replace("759", "760"))
        # Struck at note-on in a run of 1.1 s, 0.66 s of it is left.
        early = found("long_ring", at("trigger", 0.1))[0]
        self.assertIn("659", early.sentence)

    def test_never_closes(self) -> None:
        flicker: Json = {"id": "l", "kind": "lfo", "rate": 5, "polarity": "unipolar"}
        route = {"source": "l", "destination": "amplitude", "mode": "scale", "amount": 0.4}
        closing = {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}
        slow = {**ENV, "release_s": 8.0}
        finding = self.sides("never_closes", patch([flicker], [route]), patch([flicker, ENV], [route, closing]))
        self.assertIn("500 ms after note-off", finding.sentence)
        # A release of eight seconds is on its way, and a tail of nothing tells nothing.
        self.assertEqual(found("never_closes", patch([slow], [closing])), [])
        self.assertEqual(found("never_closes", patch([flicker], [route], performance=note(1.0, 0.0))), [])
        assert finding.fix is not None
        self.assertLess(trace(finding.fix.patch).lanes["amplitude"].value[-1], 1e-9)

    def test_a_vibrato_that_nobody_hears(self) -> None:
        def at(delay_s: float, closes: bool) -> Patch:
            lfo: Json = {"id": "v", "kind": "lfo", "rate": 5.5, "delay_s": delay_s}
            pluck: Json = {"id": "p", "kind": "envelope", "attack_s": 0.005, "decay_s": 0.3, "sustain": 0.0}
            routes: list[Json] = [{"source": "v", "destination": "pitch", "amount": 0.3}]
            if closes:
                routes.append({"source": "p", "destination": "amplitude", "mode": "scale", "amount": 1})
            return patch([lfo, pluck], routes, performance=note(1.2, 0.5))

        self.sides("vibrato", at(0.6, True), at(0.2, True))
        self.sides("vibrato", at(1.3, False), at(0.9, False))

    def test_idle_cutoff(self) -> None:
        """A saw of 65 Hz: ten octaves of harmonics, and nothing of them 40 dB down until the cutoff is far below."""

        def at(base: float, reach: float = 6.0) -> Patch:
            modules = [NOISE, CLOCK, HELD]
            route = {"source": "h", "destination": "cutoff", "amount": reach}
            voice = {"base": {"cutoff": base}}
            return patch(modules, [route], performance=note(2.0, 0.2, key=84), voice=voice)

        silent = self.sides("idle_cutoff", at(60.0), at(2000.0))
        self.assertEqual(silent.which, "silent")
        # Two octaves and more under the tone a gentle low-pass takes 24 dB, and 40 dB from 3.3 octaves on.
        self.assertEqual(found("idle_cutoff", at(400.0, 0.1)), [])
        self.assertTrue(found("idle_cutoff", at(1046.5 / 2**3.5, 0.1)))

        def hum(base: float) -> Patch:
            swing: Json = {"id": "l", "kind": "lfo", "rate": 2}
            voice: Json = {
                "base": {"cutoff": base},
                "oscillators": {"osc1": {"table": "plain"}, "tables": [{"name": "plain", "frames": [[[1.0, 0.0]]]}]},
            }
            route = {"source": "l", "destination": "cutoff", "amount": 2}
            return patch([swing], [route], performance=note(1.0, 0.2, key=36), voice=voice)

        self.assertEqual(self.sides("idle_cutoff", hum(8000.0), hum(100.0)).which, "idle")

    def test_breaks_elsewhere(self) -> None:
        def at(gain: float) -> Patch:
            mix: Json = {"id": "a", "kind": "mix", "inputs": [{"source": "b"}, {"source": "trigger"}]}
            turn: Json = {"id": "b", "kind": "shape", "input": "a", "gain": 0.8}
            routes = [
                {"source": "velocity", "destination": "b.gain", "amount": gain},
                {"source": "b", "destination": "fold", "amount": 1},
            ]
            return patch([mix, turn], routes, performance=note(0.5, 0.2, velocity=40))

        # Round the loop 0.8 + gain x velocity / 127: over 1 at the hardest where gain is over 0.2.
        finding = self.sides("breaks_elsewhere", at(0.4), at(0.19))
        self.assertIn("At velocity 127", finding.sentence)
        self.assertIn("the loop through a", finding.sentence)
        self.assertTrue(judge(Context(at(0.4))).figures)

    def test_a_route_by_which_nothing_sounds(self) -> None:
        wave: Json = {"id": "l", "kind": "lfo", "rate": 3.0}

        def on(destination: str, **voice: Any) -> Patch:
            return patch([wave], [{"source": "l", "destination": destination, "amount": 0.4}], voice=voice)

        for destination, why, heard in (
            ("osc2_pitch", "oscillator 2 level and fm index stand at 0", {"base": {"osc2_level": 0.5}}),
            ("fm_ratio", "stand at 0", {"base": {"fm_index": 1.0}}),
            ("pulse_width", "no pulse", {"oscillators": {"osc1": {"table": "pulse"}}}),
            ("detune", "one voice", {"oscillators": {"unison": 3}}),
        ):
            finding = self.sides("no_effect", on(destination), on(destination, **heard))
            self.assertIn(why, finding.sentence)

    def test_a_level_that_a_macro_may_raise_is_no_silence(self) -> None:
        wave: Json = {"id": "l", "kind": "lfo", "rate": 3.0}
        hand: Json = {"id": "m", "kind": "macro", "value": 0.0}
        routes: list[Json] = [
            {"source": "l", "destination": "osc2_pitch", "amount": 0.4},
            {"source": "m", "destination": "osc2_level", "amount": 0.8},
        ]
        self.assertEqual(found("no_effect", patch([wave, hand], routes)), [])

    def test_a_hard_note_is_thinner_however_velocity_gets_there(self) -> None:
        def at(amount: float) -> Patch:
            routes: list[Json] = [
                {"id": "up", "source": "e", "destination": "cutoff", "amount": 24},
                {"source": "velocity", "destination": "route:up.amount", "amount": amount},
            ]
            return patch([{**ENV, "sustain": 0.5}], routes, performance=note(1.0, 0.2))

        # Half of 78/127 of the amount: 2.1 and 1.8 semitones.
        self.sides("harder_thinner", at(-7.0), at(-6.0), is_fixed=False)

    def test_slow_envelope(self) -> None:
        def at(attack: float) -> Patch:
            env = {**ENV, "attack_s": attack}
            return patch([env], [{"source": "e", "destination": "cutoff", "amount": 24}], performance=note(0.4, 0.2))

        finding = self.sides("slow_envelope", at(0.8), at(0.4))
        self.assertIn("50 %", finding.sentence)

    def test_vibrato(self) -> None:
        def at(rate: float, delay: float) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": rate, "delay_s": delay, "fade_in_s": 0.2}
            return patch([lfo], [{"source": "l", "destination": "pitch", "amount": 0.3}], performance=note(1.0, 0.2))

        self.sides("vibrato", at(10, 0.2), at(6, 0.2))
        early = self.sides("vibrato", at(6, 0.0), at(6, 0.1))
        # The sentence and the figure beside it are one moment: the first time that the pitch is 5 cents off.
        first = int(np.argmax(np.abs(trace(at(6, 0.0)).lanes["pitch"].value) >= 0.05)) / 48_000
        self.assertIn(f"heard {time_text(first)} after", early.sentence)

    def test_cancelling_routes(self) -> None:
        def at(amount: float) -> Patch:
            routes = [
                {"source": "e", "destination": "cutoff", "amount": 24},
                {"source": "e", "destination": "cutoff", "amount": amount},
            ]
            return patch([ENV], routes)

        self.sides("cancelling_routes", at(-22), at(-12))

    def test_dead_macro(self) -> None:
        def at(base: float) -> Patch:
            route = {"source": "m", "destination": "cutoff", "amount": 48}
            return patch([{"id": "m", "kind": "macro"}], [route], voice={"base": {"cutoff": base}})

        self.sides("dead_macro", at(5000), at(1000))

    def test_voltage_range(self) -> None:
        def at(gain: float) -> Patch:
            return patch([ENV, {"id": "g", "kind": "shape", "input": "e", "gain": gain}])

        finding = self.sides("voltage_range", at(2.4), at(1.9))
        self.assertIn("12 V", finding.sentence)

    def test_idle_travel(self) -> None:
        def at(low: float, high: float, **more: Json) -> Patch:
            route = {"source": "m", "destination": "cutoff", "mode": "range", "low": low, "high": high}
            return patch(
                [{"id": "m", "kind": "macro"}], [route], useful_ranges={"cutoff": {"low": 100, "high": 1600}, **more}
            )

        # Seven octaves, of which three are of no use; of a little over four less than one.
        finding = self.sides("idle_travel", at(50.0, 6400.0), at(100.0, 2000.0))
        self.assertIn("43 %", finding.sentence)
        assert finding.fix is not None
        mended = finding.fix.patch.routes[0]
        self.assertEqual((mended.low, mended.high), (100.0, 1600.0))
        down = next(f for f in check(at(6400.0, 50.0)) if f.rule == "idle_travel")
        assert down.fix is not None
        self.assertEqual((down.fix.patch.routes[0].low, down.fix.patch.routes[0].high), (1600.0, 100.0))
        # What a macro adds goes from the set value as far as its amount: from 1 kHz up four octaves.
        adds = patch(
            [{"id": "m", "kind": "macro"}],
            [{"source": "m", "destination": "cutoff", "amount": 48}],
            useful_ranges={"cutoff": {"low": 100, "high": 1600}},
        )
        self.assertIn("83 %", next(f for f in check(adds) if f.rule == "idle_travel").sentence)
        narrow: Json = {"macro:m": {"low": 0.5, "high": 0.9}}
        said = [f.sentence for f in check(at(100.0, 1600.0, **narrow)) if f.rule == "idle_travel"]
        self.assertEqual(said, ["m is of use over 40 % of its travel only."])

    def test_random_range(self) -> None:
        held: list[Json] = [
            {"id": "n", "kind": "noise"},
            {"id": "c", "kind": "clock", "rate": 8.0},
            {"id": "s", "kind": "sample_hold", "input": "n", "clock": "c"},
        ]

        def pitch(amount: float) -> Patch:
            return patch(held, [{"source": "s", "destination": "pitch", "amount": amount}], performance=note(4.0, 0.1))

        self.sides("random_range", pitch(12), pitch(3), is_fixed=False)

        def level(base: float) -> Patch:
            route = {"source": "s", "destination": "osc1_level", "amount": 0.4}
            return patch(held, [route], performance=note(2.0, 0.1), voice={"base": {"osc1_level": base}})

        finding = self.sides("random_range", level(0.2), level(0.45))
        self.assertIn("fall silent", finding.why)

    def test_unlike_loops(self) -> None:
        def at(count: int) -> Patch:
            modules: list[Json] = [
                {"id": "a", "kind": "steps", "values": [1, 0, 1], "step": "1/8", "loop": True},
                {"id": "b", "kind": "steps", "values": [1.0] * count, "step": "1/8", "loop": True},
            ]
            routes = [{"source": s, "destination": "cutoff", "amount": 6} for s in "ab"]
            return patch(modules, routes)

        finding = self.sides("unlike_loops", at(4), at(3))
        self.assertIn("after 6 beats", finding.sentence)  # 12 eighths
        assert finding.fix is not None
        self.assertEqual(finding.fix.patch.modules[0].values, [1, 0, 1, 1])  # type: ignore[attr-defined]

    def test_ring_drift(self) -> None:
        notes = [{"key": 60, "start_s": 0.25 * i, "length_s": 0.2, "velocity": 90} for i in range(6)]

        def at(hz: float) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": hz, "start": "free"}
            route = {"source": "l", "destination": "cutoff", "amount": 12}
            return patch([lfo], [route], performance={"notes": notes, "tail_s": 0.1}, voice={"mode": "mono"})

        finding = self.sides("ring_drift", at(4.5), at(4.0))
        self.assertIn("every 8 notes", finding.sentence)

    def test_off_scale(self) -> None:
        def at(amount: float) -> Patch:
            modules: list[Json] = [
                {"id": "r", "kind": "steps", "values": [0, 0.25, 0.6], "step": 0.2, "gate": 1, "loop": True},
                {"id": "q", "kind": "quantise", "input": "r", "scale": "major"},
            ]
            return patch(modules, [{"source": "q", "destination": "pitch", "amount": amount}])

        finding = self.sides("off_scale", at(11.0), at(12.0))
        # 0.25 and 0.6 octaves are kept to 2 or 4, and 7 semitones: elevenths of those lie a third to a half off.
        self.assertIn("42 cents", finding.sentence)
        self.assertEqual(found("off_scale", at(24.0)), [])

    def test_falling_edge(self) -> None:
        def at(start: str) -> Patch:
            modules: list[Json] = [
                {"id": "w", "kind": "lfo", "shape": "saw_up", "rate": 0.8, "polarity": "unipolar", "start": start},
                {"id": "s", "kind": "sample_hold", "input": "w", "clock": "gate"},
            ]
            performance = {"notes": [{"start_s": 0, "length_s": 0.3}, {"start_s": 0.7, "length_s": 0.4}], "tail_s": 0.5}
            routes = [{"source": "s", "destination": "fold", "amount": 1}]
            return patch(modules, routes, performance=performance, voice={"mode": "mono"})

        finding = self.sides("falling_edge", at("note"), at("free"))
        assert finding.fix is not None
        taken = trace(finding.fix.patch).signals["s"]
        # Turned over, it takes what the saw has come to when each gate falls: 0.8 times the length of the note.
        self.assertAlmostEqual(float(taken[round(0.31 * 48_000)]), 0.24, places=4)
        self.assertAlmostEqual(float(taken[-1]), 0.32, places=4)
        # One note shows one value, and the next note another: of chance, and of a cycle that runs free.
        for source in (
            {"kind": "noise"},
            {"kind": "random", "rate": 0.5},
            {"kind": "lfo", "rate": 0.8, "start": "free"},
        ):
            held = {"id": "s", "kind": "sample_hold", "input": "w", "clock": "trigger"}
            self.assertEqual(found("falling_edge", patch([{"id": "w", **source}, held])), [], source)


def under_its_phrase(doc: Json) -> Patch:
    """A patch made to be wrong, under the phrase that its tag names, where it is wrong only under one."""
    names = [tag.removeprefix("under ") for tag in doc["tags"] if tag.startswith("under ")]
    phrases = [check_phrase(json.loads((ROOT / "demo" / "phrases" / f"{name}.json").read_text())) for name in names]
    return check_patch(doc).under(phrases[0] if phrases else None)


class Bank(unittest.TestCase):
    def test_nothing_in_the_demo_bank_is_not_meant(self) -> None:
        for name, doc in demos().items():
            of = patch(**{k: v for k, v in doc.items() if k not in ("format", "version")})
            if "made to be wrong" in of.tags:
                continue
            meant = {aside.finding for aside in of.set_aside}
            left = [f"{f.severity} {f.key}" for f in check(of) if f.key not in meant]
            self.assertEqual(left, [], name)

    def test_each_rule_has_a_patch_made_to_be_wrong_with_a_fix(self) -> None:
        wrong = {name: doc for name, doc in demos().items() if "made to be wrong" in doc["tags"]}
        self.assertEqual({doc["tags"][1].replace(" ", "_") for doc in wrong.values()}, set(RULES))
        for name, doc in wrong.items():
            rule = doc["tags"][1].replace(" ", "_")
            said = found(rule, under_its_phrase(doc))
            self.assertTrue(said, f"{rule} is silent on {name}")
            for finding in said:
                assert finding.fix is not None, f"nothing puts {finding.key} of {name} right"


if __name__ == "__main__":
    unittest.main()
