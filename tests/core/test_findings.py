"""Each rule on both sides of its threshold, and its mend tried."""

import unittest
from typing import Any

from jorvik.core.findings import RULES, check
from jorvik.core.findings.base import Context, Finding
from jorvik.core.measure.closed_forms import ring
from jorvik.core.patch import Patch
from tests.support import Json, demos, note, patch

ENV: Json = {"id": "e", "kind": "envelope", "attack_s": 0.01, "decay_s": 0.2, "sustain": 0.5, "release_s": 0.1}


def found(rule: str, of: Patch) -> list[Finding]:
    return list(RULES[rule](Context(of)))


class Rules(unittest.TestCase):
    def sides(self, rule: str, wrong: Patch, right: Patch) -> Finding:
        """The rule speaks on one side and is silent on the other; where there is a mend it silences the rule."""
        said = found(rule, wrong)
        self.assertTrue(said, f"{rule} did not speak")
        self.assertEqual(found(rule, right), [], f"{rule} spoke where nothing is wrong")
        for finding in said:
            self.assertTrue(finding.sentence.endswith("."))
            self.assertGreaterEqual(finding.to_s, finding.from_s)
        mend = said[0].mend
        if mend is not None:
            left = [f.about for f in found(rule, mend.patch)]
            self.assertNotIn(said[0].about, left, f"the mend of {rule} does not mend")
        return said[0]

    def test_clamped_lane(self) -> None:
        def at(amount: float) -> Patch:
            route = {"source": "e", "destination": "cutoff", "amount": amount}
            return patch([ENV], [route], performance=note(1.0, 0.2), voice={"base": {"cutoff": 5000}})

        finding = self.sides("clamped_lane", at(60), at(23))
        self.assertIn("20000 Hz", finding.sentence)
        self.assertIsNotNone(finding.mend)

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
        self.assertIn("3.69 st lower", finding.sentence)  # 6 x (118 - 40) / 127

    def test_missed_cancel(self) -> None:
        def at(amount: float) -> Patch:
            routes = [
                {"id": "v", "source": "vib", "destination": "pitch", "amount": 0.3},
                {"id": "c", "source": "velocity", "destination": "route:v.amount", "amount": amount},
            ]
            return patch([{"id": "vib", "kind": "lfo", "rate": 5}], routes)

        finding = self.sides("missed_cancel", at(-0.25), at(-0.3))
        self.assertIn("exactly -0.3", finding.mend.label if finding.mend else "")
        self.assertIn("passes zero", found("missed_cancel", at(-0.35))[0].sentence)
        self.assertEqual(found("missed_cancel", at(-0.1)), [])

    def test_click(self) -> None:
        def at(attack: float) -> Patch:
            env = {**ENV, "attack_s": attack, "sustain": 1.0}
            route = {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}
            return patch([env], [route], performance=note(0.5, 0.2))

        self.sides("click", at(0.0005), at(0.003))

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

    def test_sampling(self) -> None:
        lfo: Json = {"id": "l", "kind": "lfo", "rate": 3, "polarity": "unipolar"}
        route = {"source": "s", "destination": "cutoff", "amount": 12}

        def at(**hold: Any) -> Patch:
            return patch([lfo, {"id": "s", "kind": "sample_hold", "input": "l", "clock": "l", **hold}], [route])

        self.sides("sampling", at(threshold=1.5), at(threshold=0.5))
        self.assertIn("never takes", found("sampling", at(clock=0.0))[0].sentence)
        self.assertIn("never moves", found("sampling", at(input=0.3))[0].sentence)
        fast: Json = {"id": "f", "kind": "oscillator", "tracks": "none", "hz": 20_000}
        of = patch([lfo, fast, {"id": "s", "kind": "sample_hold", "input": "l", "clock": "f"}], [route])
        self.assertIn("all samples", found("sampling", of)[0].sentence)
        self.assertIn("narrow", found("sampling", at(track=True, threshold=0.9999))[0].sentence)
        self.assertEqual(found("sampling", at(track=True)), [])

    def test_coarse_steps(self) -> None:
        ramp: Json = {"id": "ramp", "kind": "lfo", "shape": "saw_up", "polarity": "unipolar", "rate": 0.8}

        def at(amount: float) -> Patch:
            return patch([ramp], [{"source": "ramp", "destination": "pitch", "amount": amount, "resolution": "7bit"}])

        self.sides("coarse_steps", at(12), at(6))  # 9.4 and 4.7 cents

    def test_free_running(self) -> None:
        def at(start: str) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": 0.7, "start": start}
            return patch([lfo], [{"source": "l", "destination": "pitch", "amount": 0.3}])

        self.sides("free_running", at("free"), at("note"))

    def test_slow_envelope(self) -> None:
        def at(attack: float) -> Patch:
            env = {**ENV, "attack_s": attack}
            return patch([env], [{"source": "e", "destination": "cutoff", "amount": 24}], performance=note(0.4, 0.2))

        finding = self.sides("slow_envelope", at(0.8), at(0.4))
        self.assertIn("50 %", finding.sentence)

    def test_shifted_pitch(self) -> None:
        def at(width: float) -> Patch:
            osc: Json = {"id": "o", "kind": "oscillator", "shape": "square", "pulse_width": width}
            return patch([osc], [{"source": "o", "destination": "pitch", "amount": 0.5}])

        finding = self.sides("shifted_pitch", at(0.2), at(0.5))
        self.assertIn("-30 cents", finding.sentence)  # 0.5 st x (2 x 0.2 - 1)

    def test_thin_pulse(self) -> None:
        def at(depth: float) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": 2}
            return patch([lfo], [{"source": "l", "destination": "pulse_width", "amount": depth}])

        self.sides("thin_pulse", at(0.48), at(0.45))

    def test_vibrato(self) -> None:
        def at(rate: float, delay: float) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": rate, "delay_s": delay, "fade_in_s": 0.2}
            return patch([lfo], [{"source": "l", "destination": "pitch", "amount": 0.3}], performance=note(1.0, 0.2))

        self.sides("vibrato", at(10, 0.2), at(6, 0.2))
        self.sides("vibrato", at(6, 0.0), at(6, 0.1))

    def test_cancelling_movers(self) -> None:
        def at(amount: float) -> Patch:
            routes = [
                {"source": "e", "destination": "cutoff", "amount": 24},
                {"source": "e", "destination": "cutoff", "amount": amount},
            ]
            return patch([ENV], routes)

        self.sides("cancelling_movers", at(-22), at(-12))

    def test_dead_macro(self) -> None:
        def at(base: float) -> Patch:
            route = {"source": "m", "destination": "cutoff", "amount": 48}
            return patch([{"id": "m", "kind": "macro"}], [route], voice={"base": {"cutoff": base}})

        self.sides("dead_macro", at(5000), at(1000))

    def test_loud_jump(self) -> None:
        def at(resonance: float) -> Patch:
            route = {"source": "e", "destination": "cutoff", "amount": 24}
            return patch([ENV], [route], voice={"base": {"cutoff": 300, "resonance": resonance}})

        self.sides("loud_jump", at(0.9), at(0.6))

    def test_voltage_range(self) -> None:
        def at(gain: float) -> Patch:
            return patch([ENV, {"id": "g", "kind": "shape", "input": "e", "gain": gain}])

        finding = self.sides("voltage_range", at(2.4), at(1.9))
        self.assertIn("12 V", finding.sentence)

    def test_random_range(self) -> None:
        held: list[Json] = [
            {"id": "n", "kind": "noise"},
            {"id": "c", "kind": "clock", "rate": 8.0},
            {"id": "s", "kind": "sample_hold", "input": "n", "clock": "c"},
        ]

        def pitch(amount: float) -> Patch:
            return patch(held, [{"source": "s", "destination": "pitch", "amount": amount}], performance=note(4.0, 0.1))

        self.sides("random_range", pitch(12), pitch(3))

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

    def test_ring_drift(self) -> None:
        notes = [{"key": 60, "start_s": 0.25 * i, "length_s": 0.2, "velocity": 90} for i in range(6)]

        def at(hz: float) -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": hz, "start": "free"}
            route = {"source": "l", "destination": "cutoff", "amount": 12}
            return patch([lfo], [route], performance={"notes": notes, "tail_s": 0.1}, voice={"mode": "mono"})

        finding = self.sides("ring_drift", at(4.5), at(4.0))
        self.assertIn("every 8 notes", finding.sentence)

    def test_beyond_half_rate(self) -> None:
        def at(index: float) -> Patch:
            return patch(performance=note(0.3, 0.0, key=84), voice={"base": {"fm_index": index, "fm_ratio": 3.0}})

        self.sides("beyond_half_rate", at(10.0), at(0.5))

    def test_images_of_a_sampled_tone(self) -> None:
        def at(hz: float) -> Patch:
            modules: list[Json] = [
                {"id": "o", "kind": "oscillator", "tracks": "none", "hz": hz},
                {"id": "c", "kind": "oscillator", "tracks": "none", "hz": 1000, "shape": "square"},
                {"id": "s", "kind": "sample_hold", "input": "o", "clock": "c"},
            ]
            return patch(modules, [{"source": "s", "destination": "cutoff", "amount": 12}])

        finding = self.sides("beyond_half_rate", at(900.0), at(400.0))
        self.assertIn("at 100 Hz", finding.sentence)


class Bank(unittest.TestCase):
    def test_no_fault_in_the_demo_bank_and_nothing_that_is_not_meant(self) -> None:
        for name, doc in demos().items():
            of = patch(**{k: v for k, v in doc.items() if k not in ("format", "version")})
            if "made to be wrong" in of.tags:
                self.assertTrue([f for f in check(of) if f.severity != "note"], name)
                continue
            meant = {aside.finding for aside in of.set_aside}
            left = [f"{f.severity} {f.key}" for f in check(of) if f.severity != "note" and f.key not in meant]
            self.assertEqual(left, [], name)


if __name__ == "__main__":
    unittest.main()
