"""Judging patches of any kind: odd, silent, still and made up at random."""

import math
import unittest

from hypothesis import given

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Cancelled
from jorvik.core.figures import figures
from jorvik.core.findings import RULES, findings
from jorvik.core.judgement import judge
from jorvik.core.limits import MAX_MODULES, MAX_ROUTES
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import PatchMeasures, measure_patch
from jorvik.core.measure.sweep import MAX_SWEEP_S, at_step, sweep
from jorvik.core.problems import Problem
from tests.core.test_reference import documents
from tests.effort import examples
from tests.support import Json, demos, note, patch


class Judged(unittest.TestCase):
    def judge(self, of: Patch, rate: int = 48_000) -> list[str]:
        """Judge a patch, check what every judgement keeps to, and return the rules that spoke."""
        context = Context(of, rate)
        found, read = judge(context)
        keys = [finding.key for finding in found]
        self.assertEqual(len(keys), len(set(keys)), keys)
        for finding in found:
            self.assertTrue(math.isfinite(finding.from_s) and finding.to_s >= finding.from_s, finding)
            self.assertNotRegex(finding.sentence, r"\b(nan|inf)\b")
            if finding.fix is not None:
                # A fix is a whole patch that is read again as it was written.
                self.assertEqual(check_patch(finding.fix.patch.document()), finding.fix.patch)
        for figure in read:
            self.assertTrue(math.isfinite(figure.value), figure)
            self.assertNotRegex(figure.said, r"\b(nan|inf)\b")
        return [finding.rule for finding in found]

    @examples(40)
    @given(documents())
    def test_any_patch_can_be_judged(self, doc: Json) -> None:
        self.judge(check_patch(doc), 8000)

    def test_side_by_side_says_what_one_after_the_other_does(self) -> None:
        for name in ("tide-organ", "grit-fold", "wrong-click", "wrong-unlike-loops"):
            of = check_patch(demos()[name])
            judged, alone = judge(Context(of)), Context(of)
            self.assertEqual([f.key for f in judged.findings], [f.key for f in findings(alone)])
            self.assertEqual(judged.figures, figures(alone))

    def test_a_judgement_that_is_no_longer_wanted_stops(self) -> None:
        with self.assertRaises(Cancelled):
            judge(Context(check_patch(demos()["tide-organ"]), cancelled=lambda: True))

    def test_an_empty_patch_has_nothing_to_point_out(self) -> None:
        self.assertEqual(self.judge(patch()), [])

    def test_a_silent_patch(self) -> None:
        env: Json = {"id": "e", "kind": "envelope"}
        routes: list[Json] = [
            {"source": "e", "destination": "cutoff", "amount": 24},
            {"source": "e", "destination": "amplitude", "mode": "scale", "amount": 1},
        ]
        self.judge(patch([env], routes, voice={"base": {"amplitude": 0.0}}))
        self.judge(patch(voice={"base": {"osc1_level": 0.0}}))

    def test_a_lane_that_never_moves_is_said_to_do_nothing(self) -> None:
        still: Json = {"id": "k", "kind": "constant", "value": 0.0}
        of = patch([still], [{"source": "k", "destination": "cutoff", "amount": 24}])
        self.assertEqual(self.judge(of), ["no_effect"])
        measures = measure_patch(of).lanes["cutoff"]
        self.assertEqual((measures.distance, measures.shares), (0.0, {"r0": 0.0}))
        self.assertEqual(measures.measures.settle, 1000.0)
        self.assertIsNone(measures.measures.rise_s)

    def test_a_patch_as_large_as_can_be_is_judged_without_the_fixes_that_need_room(self) -> None:
        held: list[Json] = [
            {"id": "swell", "kind": "envelope", "attack_s": 0.01},
            {"id": "soft", "kind": "filter", "input": "swell", "frequency_hz": 8.0, "q": 2.0},
            {"id": "late", "kind": "sample_hold", "input": "swell", "clock": "gate"},
        ]
        full = [*held, *({"id": f"c{n}", "kind": "constant"} for n in range(MAX_MODULES - len(held)))]
        routes: list[Json] = [
            {"source": "gate", "destination": "amplitude", "mode": "scale", "amount": 1.0},
            {"source": "soft", "destination": "cutoff", "amount": 12.0},
            {"source": "late", "destination": "fold", "amount": 1.0},
            *({"source": "soft", "destination": "pan", "enabled": False} for _ in range(MAX_ROUTES - 3)),
        ]
        of = patch(full, [{**route, "id": f"r{n}"} for n, route in enumerate(routes)])
        spoke = self.judge(of)
        for rule in ("click", "softened_attack", "falling_edge"):
            self.assertIn(rule, spoke)
            self.assertEqual([f.fix for f in RULES[rule](Context(of)) if f.fix is not None], [])

    def test_a_note_shorter_than_its_attack(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 1.0}
        of = patch([env], [{"source": "e", "destination": "cutoff", "amount": 24}], performance=note(0.1, 0.5))
        self.assertIn("slow_envelope", self.judge(of))
        measures = measure_patch(of).lanes["cutoff"].measures
        self.assertAlmostEqual(measures.peak, 1000 * 2 ** (0.1 * 2), delta=0.1)
        self.assertIsNone(measures.settle)

    def test_a_note_of_one_sample(self) -> None:
        env: Json = {"id": "e", "kind": "envelope", "attack_s": 0.0}
        wave: Json = {"id": "w", "kind": "lfo", "start": "free"}
        routes: list[Json] = [{"source": s, "destination": "pitch", "amount": 1} for s in "ew"]
        self.judge(patch([env, wave], routes, performance=note(1 / 48_000, 0.0)))

    def test_notes_on_top_of_each_other(self) -> None:
        wave: Json = {"id": "w", "kind": "random", "rate": 9.0}
        notes = [{"start_s": 0.1, "length_s": 0.3, "key": 60 + i} for i in range(64)]
        for mode in ("poly", "mono", "legato"):
            of = patch(
                [wave],
                [{"source": "w", "destination": "fold", "amount": 0.5}],
                performance={"notes": notes, "tail_s": 0.1},
                voice={"mode": mode, "glide_ms": 40},
            )
            self.judge(of)

    def measured(self, of: Patch, cache: RowCache) -> PatchMeasures:
        return measure_patch(of, cache=cache)

    def test_a_sweep_says_of_each_step_what_it_is_alone(self) -> None:
        steps = [check_patch(doc) for doc in demos().values()]
        self.assertEqual(sweep(steps, self.measured, 2), [measure_patch(step) for step in steps])

    def test_a_sweep_of_127_velocities_of_the_longest_note_is_refused_and_says_what_would_do(self) -> None:
        of = patch(performance=note(59.0, 1.0))
        steps = [at_step(of, "velocity", velocity) for velocity in range(1, 128)]
        with self.assertRaises(Problem) as refused:
            sweep(steps, self.measured, 2)
        self.assertIn("127 steps, 7620 s", str(refused.exception))
        self.assertIn(f"{MAX_SWEEP_S:.0f} s in all", str(refused.exception))
        short = [at_step(patch(performance=note(0.05, 0.0)), "velocity", velocity) for velocity in range(1, 128)]
        self.assertEqual(len(sweep(short, self.measured, 2)), 127)


if __name__ == "__main__":
    unittest.main()
