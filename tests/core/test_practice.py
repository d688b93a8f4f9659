"""Tasks from seeds: one right answer each, marked by distance; what comes next; thresholds of a simulated listener."""

import itertools
import unittest
from copy import deepcopy
from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.patch import check_patch, edited
from jorvik.core.engine.trace import trace
from jorvik.core.findings import RULES, found_by
from jorvik.core.findings.shifted_pitch import find as shifted
from jorvik.core.measure.context import Context
from jorvik.core.practice.ears import TEXTBOOK, Trial, chance_of_right, next_difference, pair, threshold
from jorvik.core.practice.making import KINDS, abouts, made, seed_about
from jorvik.core.practice.marking import check_answer, check_task, habit, mark, yours
from jorvik.core.practice.near import HOP_S, apart
from jorvik.core.practice.progress import Practice, check_practice, next_seed, next_task, own_ear, skills, with_marks
from jorvik.core.practice.task import LEVELS, Instead, Made, TaskAnswer
from jorvik.core.practice.tolerance import TURN_S, Tolerance
from jorvik.core.problems import Problem
from jorvik.core.units.noticed import PITCH_ST
from tests.effort import count
from tests.support import RATE, document

SEEDS = count(200, 6)


def worsened(whole: Made, by: float) -> TaskAnswer:
    """The right answer, but for its first part, which is so many thresholds off."""
    answer = whole.answer
    if answer.lane:
        return answer.model_copy(update={"lane": [[at + by * TURN_S, value] for at, value in answer.lane]})
    if answer.patch is not None:
        right = check_patch(answer.patch)
        off = edited(right, base={"pitch": right.voice.base.get("pitch", 0.0) + by * PITCH_ST})
        return answer.model_copy(update={"patch": off.document()})
    values = dict(answer.values)
    name = next((one for one in values if one in whole.tolerances), None)
    if name is None:
        question = whole.task.questions[0]
        values[question.name] = next(one for one in question.choices if one != str(values[question.name]))
    else:
        values[name] = whole.tolerances[name].off_by(float(values[name]), by)
    return answer.model_copy(update={"values": values})


class Tasks(unittest.TestCase):
    def test_each_seed_has_a_right_answer_and_no_two_neighbours_are_alike(self) -> None:
        for kind in KINDS:
            for level in range(1, LEVELS + 1):
                with self.subTest(kind=kind, level=level):
                    before = None
                    for seed in range(SEEDS):
                        whole = made(kind, level, seed)
                        self.assertEqual(mark(whole.task, whole.answer).marks, 1.0, seed)
                        self.assertLess(mark(whole.task, worsened(whole, 2.0)).marks, 1.0, seed)
                        said = whole.task.model_dump(exclude={"seed"})
                        self.assertNotEqual(said, before, seed)
                        before = said
                        # One answer is right: of a choice no two are the same.
                        for question in whole.task.questions:
                            self.assertEqual(len(set(question.choices)), len(question.choices))

    def test_within_a_threshold_it_is_right_and_three_off_it_is_wrong(self) -> None:
        for kind in ("read", "work_out", "play"):
            for level in range(1, LEVELS + 1):
                for seed in range(20):
                    whole = made(kind, level, seed)
                    if not whole.tolerances and not whole.answer.lane:
                        continue
                    with self.subTest(kind=kind, level=level, seed=seed):
                        self.assertEqual(mark(whole.task, worsened(whole, 0.9)).parts[0].verdict, "right")
                        self.assertEqual(mark(whole.task, worsened(whole, 2.0)).parts[0].verdict, "nearly")
                        self.assertEqual(mark(whole.task, worsened(whole, 4.0)).parts[0].verdict, "wrong")

    def test_what_is_read_is_what_the_engine_makes(self) -> None:
        for seed in range(30):
            whole = made("read", 1, seed)
            lane = trace(check_patch(whole.task.patch), RATE).lanes["cutoff"].value
            values = {name: float(value) for name, value in whole.answer.values.items()}
            self.assertAlmostEqual(float(lane.max()) / values["peak"], 1.0, delta=2e-3)
            self.assertAlmostEqual(float(lane.argmax()) / RATE, values["attack"], delta=1e-3)
            self.assertAlmostEqual(float(lane[round(1.4 * RATE)]) / values["settles"], 1.0, delta=1e-4)
            late = made("read", 3, seed)
            moved = trace(check_patch(late.task.patch), RATE).lanes["pitch"].value
            begins = float(np.flatnonzero(np.abs(moved) > 1e-6)[0]) / RATE
            self.assertAlmostEqual(begins, float(late.answer.values["delay"]), delta=0.03)

    def test_what_is_worked_out_by_velocity_is_what_the_engine_makes(self) -> None:
        seeds = [seed for seed in range(60) if made("work_out", 1, seed).task.about == "reach"]
        self.assertGreater(len(seeds), 10)
        for seed in seeds:
            whole = made("work_out", 1, seed)
            lane = trace(check_patch(whole.task.patch), RATE).lanes["cutoff"].value
            self.assertAlmostEqual(float(lane[RATE]) / float(whole.answer.values["cutoff"]), 1.0, delta=1e-4)

    def test_a_wrong_patch_has_what_the_rule_finds_and_the_right_one_has_nothing(self) -> None:
        for seed in range(12):
            whole = made("find", 3, seed)
            self.assertTrue(found_by(RULES[whole.rule], Context(check_patch(whole.task.patch))))
            right = Context(check_patch(whole.answer.patch))
            self.assertEqual([f.rule for rule in RULES.values() for f in found_by(rule, right)], [], whole.rule)

    def test_a_cure_that_changes_the_rest_is_worth_less(self) -> None:
        whole = next(one for seed in range(60) if (one := made("find", 2, seed)).rule == "click")
        other = edited(check_patch(whole.answer.patch), base={"pitch": 3.0})
        marked = mark(whole.task, TaskAnswer(values=whole.answer.values, patch=other.document()))
        parts = {part.name: part for part in marked.parts}
        self.assertEqual((parts["put right"].verdict, parts["the rest"].verdict), ("right", "wrong"))
        self.assertIn("pitch", parts["the rest"].given)

    def test_more_changes_than_there_had_to_be_are_worth_less(self) -> None:
        whole = made("make", 1, 3)
        more = edited(check_patch(whole.answer.patch), base={"fold": 0.2})
        marked = mark(whole.task, TaskAnswer(patch=more.document()))
        self.assertEqual([part.verdict for part in marked.parts], ["right", "nearly"])
        self.assertLess(marked.marks, 1.0)
        # Tried at another note, it is the same patch.
        played = check_patch(whole.answer.patch).with_note(velocity=20.0, key=70.0, length_s=0.2)
        self.assertEqual(mark(whole.task, TaskAnswer(patch=played.document())).marks, 1.0)
        # What it is called, and what is said of it, is no change.
        called = {**(whole.answer.patch or {}), "name": "Mine", "tags": ["practice"], "notes": "tried"}
        self.assertEqual(mark(whole.task, TaskAnswer(patch=called)).marks, 1.0)

    def test_each_change_that_there_had_to_be_is_needed(self) -> None:
        """What is left undone is seen, or heard where the sound is to be reached: no other answer does."""
        for level in range(1, LEVELS + 1):
            for seed in range(20):
                whole = made("make", level, seed)
                start, right = whole.task.patch or {}, whole.answer.patch or {}
                ways = [
                    (part, place, name)
                    for part in ("modules", "routes")
                    for place, (one, other) in enumerate(zip(start[part], right[part], strict=True))
                    for name in one
                    if one[name] != other[name]
                ]
                self.assertEqual(len(ways), whole.fewest)
                for part, place, name in ways:
                    with self.subTest(level=level, seed=seed, name=name):
                        undone = deepcopy(right)
                        undone[part][place][name] = start[part][place][name]
                        self.assertLess(mark(whole.task, TaskAnswer(patch=undone)).marks, 1.0)

    def test_a_sound_is_reached_by_what_is_heard_of_it(self) -> None:
        whole = made("make", 2, 5)
        self.assertTrue(whole.task.by_ear)
        self.assertEqual(whole.task.instead, Instead(kind="make", seed=4))
        self.assertFalse(made("make", 2, 4).task.by_ear)
        names = [part.name for part in mark(whole.task, whole.answer).parts]
        self.assertEqual(names, ["pitch", "tone", "changes"])
        # 2 dB more are two differences of every band, and none of pitch.
        right = check_patch(whole.answer.patch)
        louder = edited(right, base={"amplitude": right.base(VOICE["amplitude"]) * 10.0 ** (-2.0 / 20.0)})
        parts = {part.name: part for part in mark(whole.task, TaskAnswer(patch=louder.document())).parts}
        self.assertEqual(parts["pitch"].distance, 0.0)
        assert parts["tone"].distance is not None
        self.assertAlmostEqual(parts["tone"].distance, 2.0, delta=0.2)

    def test_a_curve_that_comes_a_little_late_is_no_further_off_than_it_is_late(self) -> None:
        """However steep it is: a curve that is late by half of what is noticed of a moment is right."""
        times = np.arange(300) * HOP_S
        steep = {"cutoff": np.where((times < 0.5) | (times % 0.2 < 0.1), 0.0, 48.0)}
        self.assertAlmostEqual(apart(steep, {"cutoff": np.roll(steep["cutoff"], 1)})["cutoff"].distance, 0.5)
        self.assertAlmostEqual(apart(steep, {"cutoff": steep["cutoff"] + 1.0})["cutoff"].distance, 2.0)
        bump = np.where((times > 1.0) & (times < 1.2), 4.0 * (times - 1.0), 0.0)
        self.assertAlmostEqual(apart(steep, {"cutoff": steep["cutoff"] + bump})["cutoff"].at_s, 1.19)

    def test_at_the_third_level_it_is_to_be_so_at_soft_and_at_hard(self) -> None:
        whole = made("make", 3, 2)
        names = [part.name for part in mark(whole.task, whole.answer).parts]
        self.assertEqual(names, ["pitch at 40", "cutoff at 40", "pitch at 118", "cutoff at 118", "changes"])
        # As far at its own velocity, and nothing by velocity: right at neither end.
        flat = deepcopy(whole.answer.patch or {})
        del flat["routes"][0]["via"]
        flat["routes"][0]["amount"] *= 96.0 / 127.0
        parts = {part.name: part.verdict for part in mark(whole.task, TaskAnswer(patch=flat)).parts}
        self.assertEqual((parts["pitch at 40"], parts["cutoff at 40"]), ("right", "wrong"))
        self.assertNotEqual(parts["cutoff at 118"], "right")

    def test_a_macro_that_nears_its_ends_turns_where_it_is_pressed_and_let_go(self) -> None:
        """As one finger plays it: each way by an exponential, with points as often as a screen is drawn."""
        for level in range(1, LEVELS + 1):
            for seed in range(20):
                whole = made("play", level, seed)
                strokes = [at + 0.01 for at in whole.task.strokes]
                times = np.unique([*np.arange(0.0, strokes[-1] + 0.5, 1 / 60), *strokes])
                value, lane = 1.0, [[0.0, 1.0]]
                for before, at in itertools.pairwise(times):
                    pressed = sum(stroke <= before for stroke in strokes) % 2
                    value = pressed + (value - pressed) * float(np.exp(-(at - before) / 0.25))
                    lane.append([float(at), value])
                marked = mark(whole.task, TaskAnswer(lane=lane))
                self.assertEqual(marked.marks, 1.0, (level, seed))
                self.assertIn("evenly", marked.parts[0].why)

    def test_a_habit_is_told(self) -> None:
        whole = made("play", 1, 5)
        late = TaskAnswer(lane=[[at + 0.03, value] for at, value in whole.answer.lane])
        self.assertIn("You play 30 ms late, evenly.", mark(whole.task, late).parts[0].why)
        self.assertIn("unevenly", habit([-0.05, 0.06, -0.04]))
        self.assertEqual(mark(whole.task, TaskAnswer()).marks, 0.0)

    def test_typed_answers_are_read_with_their_units(self) -> None:
        whole = made("read", 1, 7)
        typed = TaskAnswer(
            values={
                "attack": f"{1000 * float(whole.answer.values['attack']):.4f} ms",
                "peak": f"{float(whole.answer.values['peak']) / 1000:.6f}kHz",
                "settles": str(whole.answer.values["settles"]),
            }
        )
        self.assertEqual(mark(whole.task, typed).marks, 1.0)
        with self.assertRaisesRegex(Problem, "attack"):
            mark(whole.task, TaskAnswer(values={"attack": "quick"}))

    def test_what_is_heard_can_be_set_until_it_is_the_same(self) -> None:
        for seed in range(10):
            whole = made("hear", 3, seed)
            self.assertEqual(yours(whole.task, TaskAnswer()), whole.task.patch)
            same = check_patch(yours(whole.task, whole.answer))
            for one, other in zip(same.modules, check_patch(whole.task.patch).modules, strict=True):
                for name in ("attack_s", "sustain"):
                    self.assertAlmostEqual(getattr(one, name), getattr(other, name), places=9)
        with self.assertRaisesRegex(Problem, "one that is heard"):
            yours(made("read", 1, 1).task, TaskAnswer())

    def test_bad_tasks_and_answers_are_refused(self) -> None:
        for kind, level in (("nothing", 1), ("read", 0), ("read", 4)):
            with self.assertRaises(Problem):
                made(kind, level, 1)
        wrong: tuple[object, ...] = ([], {"kind": "read", "level": 9}, {"kind": "other"})
        for bad in wrong:
            with self.assertRaises(Problem):
                check_task(bad)
        with self.assertRaises(Problem):
            check_answer({"lane": [[1.0]]})

    def test_there_is_a_task_about_each_rule_that_is_offered(self) -> None:
        known = abouts()
        for about in ("click", "never_closes", "reach", "ringing", "sources_meet", "strikes"):
            kind, level = known[about][0]
            self.assertEqual(made(kind, level, seed_about(about, kind, level)).task.about, about)


class Distances(unittest.TestCase):
    def test_a_tolerance_is_a_share_or_its_own_unit_whichever_is_more(self) -> None:
        one = Tolerance(share=0.1, least=0.05)
        self.assertAlmostEqual(one.distance(1.1, 1.0), 1.0)
        self.assertAlmostEqual(one.distance(0.15, 0.1), 1.0)
        self.assertAlmostEqual(one.distance(one.off_by(2.0, 2.5), 2.0), 2.5)
        self.assertEqual(one.distance(float("nan"), 1.0), float("inf"))


class Ears(unittest.TestCase):
    def listened(self, dimension: str, true: float, seed: int) -> list[Trial]:
        rng, trials = Random(f"{dimension} {seed}"), list[Trial]()
        while not threshold(dimension, trials).sure:
            apart = next_difference(dimension, trials)
            trials.append(Trial(difference=apart, right=rng.random() < float(chance_of_right(apart, true))))
        return trials

    def test_a_simulated_listeners_threshold_is_found(self) -> None:
        off = []
        for dimension, usual in TEXTBOOK.items():
            for seed in range(10):
                true = usual * Random(seed).uniform(0.5, 2.5)
                off.append(threshold(dimension, self.listened(dimension, true, seed)).value / true - 1.0)
        # Nineteen of twenty listeners, and all of them together without a bias.
        self.assertLess(float(np.quantile(np.abs(off), 0.95)), 0.15)
        self.assertLess(abs(float(np.mean(off))), 0.05)

    def test_a_pair_is_as_far_apart_as_it_says(self) -> None:
        for seed in range(10):
            patches, more = pair("pitch", 40.0, seed)
            keys = [check_patch(one).voice.base.get("pitch", 0.0) for one in patches]
            self.assertAlmostEqual(keys[more] - keys[1 - more], 0.4)
            patches, more = pair("level", 6.0, seed)
            levels = [float(trace(check_patch(one), 8000).lanes["amplitude"].value.max()) for one in patches]
            self.assertAlmostEqual(20 * np.log10(levels[more] / levels[1 - more]), 6.0, places=6)
        self.assertEqual({pair("pitch", 40.0, seed)[1] for seed in range(10)}, {0, 1})

    def test_what_nobody_could_hear_is_guessed(self) -> None:
        self.assertAlmostEqual(float(chance_of_right(1e-6, 1.0)), 0.5, places=3)
        self.assertAlmostEqual(float(chance_of_right(100.0, 1.0)), 0.98, places=3)

    def test_findings_go_by_ones_own_ear_where_it_is_known_and_wanted(self) -> None:
        trials = self.listened("pitch", 12.0, 1)
        practice = Practice(trials={"pitch": trials})
        self.assertEqual(own_ear(practice).pitch_st, PITCH_ST)
        ear = own_ear(practice.model_copy(update={"own_thresholds": True}))
        self.assertAlmostEqual(ear.pitch_st / PITCH_ST, threshold("pitch", trials).value / TEXTBOOK["pitch"])
        sway: dict[str, Any] = {"id": "sway", "kind": "lfo", "rate": 60.0, "polarity": "unipolar"}
        of = check_patch(document([sway], [{"source": "sway", "destination": "pitch", "amount": 0.2}]))
        by_textbook = list(shifted(Context(of)))
        by_own = list(shifted(Context(of, ear=ear)))
        self.assertEqual((len(by_textbook), len(by_own)), (1, 0))


class Progress(unittest.TestCase):
    def done(self, practice: Practice, kind: str, level: int, seed: int, right: bool) -> Practice:
        whole = made(kind, level, seed)
        answer = whole.answer if right else TaskAnswer()
        return with_marks(practice, whole.task.kind, level, seed, whole.task.about, mark(whole.task, answer))

    def test_what_was_right_comes_later_than_what_was_wrong(self) -> None:
        right = skills(self.done(Practice(), "read", 1, 1, True))[0]
        wrong = skills(self.done(Practice(), "read", 1, 1, False))[0]
        assert right.due is not None and wrong.due is not None
        self.assertGreater(right.due - datetime.now(UTC), timedelta(days=1))
        self.assertLess(wrong.due - datetime.now(UTC), timedelta(hours=1))
        self.assertEqual((right.state, wrong.marks), ("learning", 0.0))

    def test_the_next_level_opens_after_two_good_ones(self) -> None:
        practice = Practice()
        self.assertEqual([one.open for one in skills(practice)[:3]], [True, False, False])
        for seed in (1, 2):
            practice = self.done(practice, "read", 1, seed, True)
        self.assertEqual([one.open for one in skills(practice)[:3]], [True, True, False])
        self.assertEqual(skills(practice)[0].state, "sure")

    def test_kinds_change_and_no_task_comes_twice(self) -> None:
        practice = Practice()
        seen: list[tuple[str, int, int]] = []
        for _ in range(12):
            task = next_task(practice)
            self.assertNotIn(task, seen)
            if seen:
                self.assertNotEqual(task[0], seen[-1][0])
            seen.append(task)
            practice = self.done(practice, *task, right=True)
        self.assertEqual({kind for kind, _, _ in seen}, set(KINDS))

    def test_what_was_done_out_of_turn_does_not_come_again(self) -> None:
        practice = self.done(Practice(), "read", 1, 2, True)
        self.assertEqual(next_seed(practice, "read", 1), 3)
        practice = self.done(practice, "read", 1, 2**53, True)
        self.assertEqual(next_seed(practice, "read", 1), 3)
        self.assertEqual(next_seed(practice, "read", 2), 1)

    def test_what_is_due_comes_first(self) -> None:
        practice = self.done(Practice(), "work_out", 1, 1, True)
        practice = self.done(practice, "read", 1, 1, True)
        later = datetime.now(UTC) + timedelta(days=400)
        self.assertEqual(next_task(practice, at=later)[0], "work_out")
        self.assertEqual(next_task(practice, kind="play")[0], "play")

    def test_it_comes_back_as_it_was_taken_out(self) -> None:
        practice = self.done(Practice(), "read", 2, 4, True)
        practice = practice.model_copy(update={"trials": {"level": [Trial(difference=1.0, right=True)]}})
        self.assertEqual(check_practice(practice.document()), practice)
        wrong: tuple[object, ...] = (
            [],
            {"format": "other"},
            {"attempts": [{"kind": "read"}]},
            {"trials": {"smell": []}},
        )
        for bad in wrong:
            with self.assertRaises(Problem):
                check_practice(bad)


if __name__ == "__main__":
    unittest.main()
