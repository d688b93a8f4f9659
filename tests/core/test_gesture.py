"""Gestures: thinned to the true minimum, their turning points against the beat, pulled towards it."""

import itertools
import unittest

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.run import Run
from jorvik.core.phrases.drawn import with_curve_of, with_lane_of
from jorvik.core.phrases.gesture import pulled, scaled, smoothed, thinned, thinned_to, turns
from jorvik.core.problems import Problem
from tests.support import Json, patch

Points = list[list[float]]


def off_by(points: Points, kept: Points) -> float:
    """How far lines through some points lie from all, for times that differ."""
    at, values = np.array(points).T
    return float(np.abs(np.interp(at, *np.array(kept).T) - values).max())


def searched(points: Points, within: float) -> int:
    """The fewest points, ends included, that stay within a tolerance: every choice of them tried."""
    inner = range(1, len(points) - 1)
    for count in range(len(points) - 1):
        for chosen in itertools.combinations(inner, count):
            if off_by(points, [points[i] for i in (0, *chosen, len(points) - 1)]) <= within * (1 + 1e-9):
                return count + 2
    raise AssertionError("all points are always enough")


class Thinning(unittest.TestCase):
    def test_never_a_point_more_than_an_exhaustive_search_finds(self) -> None:
        rng = np.random.default_rng(20)
        for case in range(60):
            count = int(rng.integers(2, 11))
            times = np.cumsum(rng.uniform(0.05, 1.0, count))
            values = np.cumsum(rng.normal(0, 0.3, count)) if case % 2 else rng.random(count)
            points = np.stack([times, values], axis=1).tolist()
            within = float(rng.choice([0.0, 0.05, 0.2, 0.6]))
            with self.subTest(case=case, within=within):
                found = thinned(points, within)
                self.assertEqual(found.points_after, searched(points, within))
                self.assertEqual((found.points[0], found.points[-1]), (points[0], points[-1]))
                self.assertTrue(all(point in points for point in found.points))
                self.assertLessEqual(found.greatest_error, within * (1 + 1e-9) + 1e-12)
                self.assertAlmostEqual(found.greatest_error, off_by(points, found.points), places=12)

    def test_turning_points_keep_their_time(self) -> None:
        def at(found: Points) -> list[float]:
            return [turn.at for turn in turns(found, 0.5)]

        rng = np.random.default_rng(8)
        moved = 0
        for case in range(40):
            times = np.cumsum(rng.uniform(0.01, 0.4, 60))
            values = np.cumsum(rng.normal(0, 0.3, 60))
            points = np.stack([times, values], axis=1).tolist()
            within = 0.02 * float(np.ptp(values))
            with self.subTest(case=case):
                found = thinned(points, within, keep_turns=True)
                self.assertEqual(at(found.points), at(points))
                self.assertLessEqual(off_by(points, found.points), within * (1 + 1e-9))
                moved += at(thinned(points, within).points) != at(points)
        # Without it some do move, so that the test can fail.
        self.assertGreater(moved, 5)

    def test_the_greatest_error_is_told_with_its_place(self) -> None:
        found = thinned([[0, 0], [1, 0.1], [2, 0.3], [4, 0.4], [5, 1.0]], 0.25)
        self.assertEqual(found.points, [[0, 0], [4, 0.4], [5, 1.0]])
        self.assertEqual((found.points_before, found.points_after, found.at), (5, 3, 2.0))
        self.assertAlmostEqual(found.greatest_error, 0.1)

    def test_a_jump_stays_where_it_is(self) -> None:
        jump = [[0.0, 0.0], [1.0, 0.0], [1.0, 0.5], [1.0, 1.0], [2.0, 1.0], [3.0, 1.0]]
        found = thinned(jump, 0.01)
        self.assertEqual(found.points, [[0, 0], [1, 0], [1, 1], [3, 1]])
        self.assertEqual(found.greatest_error, 0.0)
        # What goes beyond both ends of a jump is no part of it.
        beyond = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.5], [1.0, 1.0], [3.0, 1.0]]
        self.assertIn([1.0, 1.5], thinned(beyond, 0.01).points)

    def test_so_many_points_within_the_least_tolerance(self) -> None:
        at = np.linspace(0.0, 2.0 * np.pi, 2000)
        points = np.stack([at, np.sin(at)], axis=1).tolist()
        found = thinned_to(points, 40)
        self.assertLessEqual(found.points_after, 40)
        # A hair less is not enough; and n chords of a sine whose curvature is a half on average lie that near.
        self.assertGreater(thinned(points, 0.995 * found.greatest_error).points_after, 40)
        self.assertLess(found.greatest_error, (2.0 * np.pi / 39) ** 2 / 8)
        self.assertEqual(thinned_to(points[:9], 40).points, thinned(points[:9], 0.0).points)

    def test_what_cannot_be_thinned_is_refused(self) -> None:
        for points, within, said in (
            ([], 0.1, "0 points"),
            ([[0, 0]] * 10_001, 0.1, "10001 points"),
            ([[1, 0], [0, 0]], 0.1, "times that rise"),
            ([[0, float("nan")]], 0.1, "no numbers"),
            ([[0, 0]], -1.0, "0 or more"),
            ([[0, 0]], float("nan"), "0 or more"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                thinned(points, within)


class Turning(unittest.TestCase):
    def test_a_sine_turns_at_its_quarters(self) -> None:
        at = np.arange(0.0, 2.0, 0.001)
        points = np.stack([at, np.sin(2 * np.pi * at)], axis=1).tolist()
        found = turns(points, 0.5)
        self.assertEqual([turn.is_top for turn in found], [True, False, True, False])
        for turn, place in zip(found, (0.25, 0.75, 1.25, 1.75), strict=True):
            self.assertAlmostEqual(turn.at, place)
            # Half way between two lines of the grid: a quarter of a second from either.
            self.assertAlmostEqual(abs(turn.off), 0.25)

    def test_small_ripples_are_no_turns_and_early_is_negative(self) -> None:
        points: Points = [[0, 0], [0.5, 0.4], [0.6, 0.37], [0.98, 1], [1.5, 0.5], [1.6, 0.54], [2.03, 0]]
        found = turns([*points, [3, 0.2]], 1.0)
        self.assertEqual([(turn.at, turn.is_top, turn.number) for turn in found], [(0.98, True, 3), (2.03, False, 6)])
        self.assertAlmostEqual(found[0].off, -0.02)
        self.assertAlmostEqual(found[1].off, 0.03)
        # A ripple of six hundredths of the travel is one.
        points[2][1] = 0.34
        self.assertEqual([turn.at for turn in turns(points, 1.0)], [0.5, 0.6, 0.98])

    def test_a_held_top_turns_when_it_is_reached_and_the_ends_do_not(self) -> None:
        self.assertEqual([turn.at for turn in turns([[0, 0], [1, 1], [2, 1], [3, 0]], 1.0)], [1.0])
        self.assertEqual(turns([[0, 0], [1, 1]], 1.0), [])
        self.assertEqual(turns([[0, 1], [1, 1]], 1.0), [])

    def test_pulled_by_a_share_with_what_lies_between(self) -> None:
        points: Points = [[0, 0], [0.6, 0.5], [1.2, 1], [2.0, 0.5], [2.8, 0], [4, 0.4]]
        half = pulled(points, 1.0, 0.5, 4.0)
        # 1.2 goes to 1.1 and 2.8 to 2.9; what is half way between them stays half way.
        np.testing.assert_allclose([at for at, _ in half], [0, 0.55, 1.1, 2.0, 2.9, 4])
        self.assertEqual([value for _, value in half], [value for _, value in points])
        whole = pulled(points, 1.0, 1.0, 4.0)
        self.assertEqual([turn.off for turn in turns(whole, 1.0)], [0.0, 0.0])
        self.assertEqual(pulled(points, 1.0, 0.0, 4.0), [[float(at), value] for at, value in points])
        with self.assertRaises(Problem):
            pulled(points, 1.0, 1.5, 4.0)

    def test_two_turns_pulled_to_one_beat_keep_their_order(self) -> None:
        points: Points = [[0, 0], [0.9, 1], [1.1, 0], [2, 1]]
        times = [at for at, _ in pulled(points, 1.0, 1.0, 2.0)]
        self.assertEqual(times, sorted(times))
        self.assertEqual((times[0], times[-1]), (0.0, 2.0))


class Smoothing(unittest.TestCase):
    def test_each_point_is_the_mean_of_the_lines_around_it(self) -> None:
        rng = np.random.default_rng(8)
        points = np.stack([np.cumsum(rng.uniform(0.1, 1, 12)), rng.random(12)], axis=1).tolist()
        fine = np.linspace(points[0][0], points[-1][0], 400_001)
        heights = np.interp(fine, *np.array(points).T)
        found = smoothed(points, 0.6)
        for at, value in found[1:-1]:
            reach = min(0.3, at - fine[0], fine[-1] - at)
            inside = (fine >= at - reach) & (fine <= at + reach)
            with self.subTest(at=at):
                self.assertAlmostEqual(value, float(heights[inside].mean()), delta=2e-4)
        self.assertEqual((found[0], found[-1]), (points[0], points[-1]))

    def test_a_straight_line_stays_and_a_jump_becomes_a_ramp(self) -> None:
        for at, value in smoothed([[0, 0], [1, 0.25], [4, 1]], 0.8):
            self.assertAlmostEqual(value, at / 4)
        found = smoothed([[0, 0], [2, 0], [2, 1], [4, 1]], 1.0)
        for at, value in found:
            self.assertAlmostEqual(value, min(max(at - 1.5, 0.0), 1.0))
        self.assertEqual(smoothed([[0, 0], [1, 1]], 0.0), [[0, 0], [1, 1]])
        with self.assertRaisesRegex(Problem, "the width"):
            smoothed([[0, 0], [1, 1]], -1.0)

    def test_scaled_and_shifted_it_is_held_within_its_range(self) -> None:
        self.assertEqual(scaled([[0, 0.5], [1, 1.0]], 2.0, -0.5, 0.0, 1.0), [[0, 0.5], [1, 1.0]])
        self.assertEqual(scaled([[0, 0.2]], -1.0, 0.0, -1.0, 1.0), [[0, -0.2]])


class Drawn(unittest.TestCase):
    def setUp(self) -> None:
        head = {"format": "jorvik-phrase", "version": 1, "tempo_bpm": 90}
        self.phrase = check_phrase({**head, "controls": {"macro:warm": [[0, 0.1], [1.5, 0.9], [1.5, 0.3], [4, 0.5]]}})
        self.macro: Json = {"id": "warm", "kind": "macro"}

    def test_a_lane_as_a_curve_goes_as_the_lane_goes(self) -> None:
        made = with_curve_of(patch([self.macro]), self.phrase, "macro:warm")
        [name] = [module.id for module in made.modules if module.kind == "curve"]
        routes: list[Json] = [
            {"id": n, "source": n, "destination": d, "amount": 0.5} for n, d in ((name, "fold"), ("warm", "pan"))
        ]
        document = {**made.document(), "routes": routes}
        run = Run(check_patch(document).under(self.phrase), 8000)
        rows = run.whole()
        curve, lane = (rows[run.program.module_rows[module]] for module in (name, "warm"))
        # The curve is held where the lane jumps, a sample of which may lie to either side.
        apart = np.abs(curve - lane)
        self.assertLess(float(np.sort(apart)[-3]), 1e-9)
        back = with_lane_of(made, self.phrase, "mod_wheel", name)
        np.testing.assert_allclose(np.array(back.controls["mod_wheel"]), np.array(self.phrase.controls["macro:warm"]))

    def test_a_curve_that_bends_is_played_as_it_goes(self) -> None:
        curve: Json = {"id": "arc", "kind": "curve", "points": [[0, 0, 3], [2, 1, -2], [3, 0]], "time": 0.5}
        of = patch([curve, self.macro], [{"source": "arc", "destination": "fold", "amount": 0.5}])
        played = with_lane_of(of, self.phrase, "mod_wheel", "arc").controls["mod_wheel"]
        run = Run(of, 8000)
        drawn = run.whole()[run.program.module_rows["arc"]]
        at = np.arange(len(drawn)) / 8000
        lane = np.interp(at, *(np.array(played) * [[60 / 90, 1]]).T)
        inside = at < 1.5
        self.assertLess(float(np.abs(lane - drawn)[inside].max()), 1e-3)

    def test_what_does_not_go_is_refused(self) -> None:
        steep: Json = {"id": "steep", "kind": "curve", "points": [[0, 0], [1, 3]]}
        for act, said in (
            (lambda: with_curve_of(patch(), self.phrase, "mod_wheel"), "one that is played: macro:warm"),
            (lambda: with_lane_of(patch([self.macro]), self.phrase, "mod_wheel", "warm"), "it has none"),
            (lambda: with_lane_of(patch([steep]), self.phrase, "mod_wheel", "steep"), "within 0 to 1"),
        ):
            with self.subTest(said=said), self.assertRaisesRegex(Problem, said):
                act()


if __name__ == "__main__":
    unittest.main()
