"""Rules about the sound itself, on both sides: jumps, steps, thin and loud tones, what lies beyond hearing."""

import unittest

from jorvik.core.document.patch import Patch
from tests.core.judging import ENV, RuleCase, found
from tests.support import Json, note, patch


class OfTheSound(RuleCase):
    def test_click(self) -> None:
        def at(attack: float) -> Patch:
            env = {**ENV, "attack_s": attack, "sustain": 1.0}
            route = {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}
            return patch([env], [route], performance=note(0.5, 0.2))

        self.sides("click", at(0.0005), at(0.003))

    def clicks(self, of: Patch) -> list[str]:
        """What clicks, each checked to be gone with its fix."""
        said = found("click", of)
        for finding in said:
            assert finding.fix is not None, finding
            self.assertNotIn(finding.which, [left.which for left in found("click", finding.fix.patch)], finding)
        return [finding.which for finding in said]

    def test_a_gate_alone_clicks_at_both_ends(self) -> None:
        route: Json = {"source": "gate", "destination": "amplitude", "mode": "scale", "amount": 1.0}
        self.assertEqual(self.clicks(patch([], [route], performance=note(0.5, 0.2))), ["opens", "closes"])
        self.assertEqual(self.clicks(patch([], [{**route, "amount": 0.3}], performance=note(0.5, 0.2))), ["opens"])

    def test_an_amplifier_that_only_answers_to_velocity_clicks_as_it_opens(self) -> None:
        route: Json = {"source": "velocity", "destination": "amplitude", "mode": "scale", "amount": 1.0}
        for velocity, expected in ((120, ["opens"]), (40, [])):
            of = patch([], [route], performance=note(0.5, 0.2, velocity=velocity))
            self.assertEqual(self.clicks(of), expected)

    def test_a_retrigger_from_zero_clicks(self) -> None:
        def at(restart: str) -> Patch:
            env: Json = {**ENV, "attack_s": 0.02, "sustain": 0.8, "release_s": 0.2, "restart": restart}
            route = {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1}
            notes = [{"start_s": 0.4 * n, "length_s": 0.3} for n in range(3)]
            return patch([env], [route], voice={"mode": "mono"}, performance={"notes": notes})

        self.assertEqual(self.clicks(at("zero")), ["falls"])
        self.assertEqual(self.clicks(at("current")), [])

    def test_a_square_wave_on_the_amplifier_clicks_unless_it_is_a_tone(self) -> None:
        def at(rate: float) -> Patch:
            env: Json = {**ENV, "attack_s": 0.02, "sustain": 1.0}
            square: Json = {"id": "l", "kind": "lfo", "shape": "square", "polarity": "unipolar", "rate": rate}
            routes: list[Json] = [
                {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1},
                {"source": "l", "destination": "amplitude", "mode": "scale", "amount": 1},
            ]
            return patch([env, square], routes, performance=note(0.9, 0.2))

        self.assertEqual(self.clicks(at(4.0)), ["jumps"])
        self.assertEqual(self.clicks(at(300.0)), [])

    def test_coarse_steps(self) -> None:
        ramp: Json = {"id": "ramp", "kind": "lfo", "shape": "saw_up", "polarity": "unipolar", "rate": 0.8}

        def at(amount: float) -> Patch:
            return patch([ramp], [{"source": "ramp", "destination": "pitch", "amount": amount, "resolution": "7bit"}])

        self.sides("coarse_steps", at(12), at(6))  # 9.4 and 4.7 cents

    def test_steps_of_a_level_are_told_in_decibels(self) -> None:
        fall: Json = {"id": "fall", "kind": "lfo", "shape": "saw_down", "polarity": "unipolar", "rate": 0.5}

        def at(base: float) -> Patch:
            route = {"source": "fall", "destination": "amplitude", "amount": 1 - base, "resolution": "7bit"}
            return patch([fall], [route], voice={"base": {"amplitude": base}}, performance=note(1.9, 0.0))

        # The last steps of a level that falls to nothing are the large ones: from two steps to one is 6 dB.
        finding = self.sides("coarse_steps", at(0.0), at(0.1))
        self.assertIn("dB", finding.sentence)

    def test_shifted_pitch(self) -> None:
        def at(width: float) -> Patch:
            osc: Json = {"id": "o", "kind": "oscillator", "shape": "square", "pulse_width": width}
            return patch([osc], [{"source": "o", "destination": "pitch", "amount": 0.5}])

        finding = self.sides("shifted_pitch", at(0.2), at(0.5), is_fixed=False)
        self.assertIn("-30 cents", finding.sentence)  # 0.5 st x (2 x 0.2 - 1)

    def test_thin_pulse(self) -> None:
        def at(depth: float, table: str = "pulse") -> Patch:
            lfo: Json = {"id": "l", "kind": "lfo", "rate": 2}
            voice: Json = {"oscillators": {"osc1": {"table": table}}}
            return patch([lfo], [{"source": "l", "destination": "pulse_width", "amount": depth}], voice=voice)

        self.sides("thin_pulse", at(0.48), at(0.45))
        self.assertEqual(found("thin_pulse", at(0.48, "ladder")), [])

    def test_loud_jump(self) -> None:
        def at(resonance: float) -> Patch:
            route = {"source": "e", "destination": "cutoff", "amount": 24}
            return patch([ENV], [route], voice={"base": {"cutoff": 300, "resonance": resonance}})

        self.sides("loud_jump", at(0.9), at(0.6))

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

    def test_subsonic(self) -> None:
        def at(phase: float, index: float = 1.8) -> Patch:
            voice = {
                "base": {"fm_index": index, "fm_ratio": 1.0, "cutoff": 9000.0},
                "oscillators": {"osc2": {"phase": phase}},
            }
            return patch([], voice=voice, performance=note(0.6, 0.0, key=60))

        # sin(x + I cos x) has the mean J_1(I), sin(x + I sin x) none.
        finding = self.sides("subsonic", at(0.25), at(0.0))
        self.assertIn("DC", finding.sentence)
        self.assertEqual(found("subsonic", at(0.25, 0.01)), [])

    def test_a_low_note_is_no_subsonic_fault(self) -> None:
        self.assertEqual(found("subsonic", patch([], performance=note(1.0, 0.0, key=24))), [])


if __name__ == "__main__":
    unittest.main()
