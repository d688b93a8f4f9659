"""Sources that read themselves, as a reset and as what is heard: each rule on both sides of its line."""

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.engine.trace import trace
from jorvik.core.helpers.sentence import route_from
from jorvik.core.problems import Problem
from tests.core.judging import RuleCase, found
from tests.support import Json, note, patch

ROUTE = {"source": "w", "destination": "cutoff", "amount": 5}


class ReadingThemselves(RuleCase):
    def test_a_reset_by_itself(self) -> None:
        def at(reset: str | int) -> Patch:
            wave = {"id": "w", "kind": "lfo", "shape": "triangle", "rate": 2.0, "reset": reset}
            return patch([wave], [ROUTE], performance=note(1.0, 0.0))

        finding = self.sides("resets_itself", at("w"), at("gate"))
        # A triangle from 0 is at one half after an eighth of its period, and begins again: 16 times a second.
        self.assertIn("15 times", finding.sentence)
        self.assertAlmostEqual(finding.from_s, 1 / 16, delta=1e-3)
        self.assertLess(float(trace(at("w")).signals["w"].max()), 0.51)

    def test_a_reset_that_never_comes_is_told_too(self) -> None:
        quiet = {"id": "w", "kind": "envelope", "attack_s": 0.1, "velocity_depth": 1.0, "reset": "w"}
        of = patch([quiet], [ROUTE], performance=note(1.0, 0.0)).with_note(velocity=40)
        self.assertIn("0 times", found("resets_itself", of)[0].sentence)

    def test_a_signal_heard_that_its_own_loop_holds_still(self) -> None:
        def at(gain: float) -> Patch:
            loop = {"id": "w", "kind": "mix", "inputs": [{"source": "w", "gain": gain}, {"source": "gate"}]}
            return patch([loop], performance=note(1.0, 0.0), voice={"signal": "w", "base": {"signal_level": 0.5}})

        # Turned over at each sample it is a tone at half the rate; held by its own half it settles at 2.
        finding = self.sides("heard_still", at(0.5), at(-1.0))
        self.assertIn("at 2 ", finding.sentence)
        self.assertTrue(np.allclose(trace(at(0.5)).signals["w"][1000:40000], 2.0))
        with self.assertRaisesRegex(Problem, "the loop through w: found a signal that grows without end"):
            trace(at(1.5))

    def test_stuck_window(self) -> None:
        def at(
            rest: float,
            hysteresis: float,
            rise_s: float = 0.1,
            back: str = "b",
            law: str = "linear",
            fall_s: float = 0.1,
            length_s: float = 2.0,
        ) -> Patch:
            operands = {"a": rest, "b": "ramp"} if back == "b" else {"a": "ramp", "b": rest}
            turn = {"id": "turn", "kind": "compare", "hysteresis": hysteresis, **operands}
            ramp: Json = {"id": "ramp", "kind": "slew", "input": "turn", "rise_s": rise_s, "fall_s": fall_s, "law": law}
            route = {"source": "ramp", "destination": "cutoff", "amount": 14}
            return patch([turn, ramp], [route], performance=note(length_s, 0.2))

        # The ramp goes from 0 to 1: around 0.5 the window may reach 0.5 to either side, around 0.3 only 0.3.
        for rest, clear in ((0.5, 0.5), (0.3, 0.3), (0.8, 0.2)):
            finding = self.sides("stuck_window", at(rest, clear + 0.01), at(rest, clear - 0.01))
            assert finding.fix is not None
            runs = trace(finding.fix.patch).signals["turn"]
            self.assertGreater(np.count_nonzero(np.diff(runs)), 6)
            self.assertEqual(found("no_effect", at(rest, clear + 0.01)), [])
        self.assertIn(
            "would have to pass -0.1 and 1.1", found("stuck_window", at(0.5, 0.6))[0].sentence.replace("−", "-")
        )
        # Beside the range: the middle is moved into it.
        beside = self.sides("stuck_window", at(1.4, 0.1), at(0.4, 0.1))
        self.assertIn("a 0.5", beside.fix.label if beside.fix else "")
        # A slew that comes near its end and never there; of one that has not come far by note-off nothing is known.
        self.sides("stuck_window", at(0.5, 0.5, law="exponential"), at(0.5, 0.4, law="exponential"))
        self.assertEqual(found("stuck_window", at(0.5, 0.4, rise_s=9.0)), [])
        # It runs, though the note ends before it switches for the second time.
        self.assertEqual(found("stuck_window", at(0.5, 0.4, rise_s=0.9, fall_s=0.9, length_s=1.0)), [])
        # With the other operand fed back it keeps its state on purpose: a latch.
        self.assertEqual(found("stuck_window", at(0.5, 0.6, back="a")), [])

    def test_nothing_is_said_of_a_signal_that_is_shut_out(self) -> None:
        constant = {"id": "w", "kind": "constant", "value": 0.5}
        of = patch([constant], performance=note(1.0, 0.0), voice={"signal": "w", "base": {"signal_level": 0.0}})
        self.assertEqual(found("heard_still", of), [])


class AnotherLanguage(RuleCase):
    def test_a_sentence_in_another_language_is_told_how_one_is_said(self) -> None:
        of = patch([{"id": "swell", "kind": "envelope"}])
        for said in ("Schwellung hebt cutoff um 22 st", "swell élève cutoff de 22 st", "うねりが上げる", "\u202eswell"):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, "swell raises cutoff 22 st"):
                route_from(of, said)
        self.assertEqual(list(of.routes), [])


if __name__ == "__main__":
    import unittest

    unittest.main()
