import unittest
from typing import Any

import numpy as np

from jorvik.core.changes.documents import changes
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.limits import MAX_POINTS
from jorvik.core.phrases.simplifying import scaled_records, with_simplified_lane, within_limit
from jorvik.core.problems import Problem


def rubbed(count: int = 200) -> list[list[float]]:
    """Return a lane like one played by hand: a slow swing with a fine tremble."""
    at = np.linspace(0.0, 8.0, count)
    values = 0.5 + 0.4 * np.sin(at) + 0.01 * np.sin(31.0 * at)
    return np.stack([at, values], axis=1).tolist()


def phrase(**fields: Any) -> Phrase:
    return check_phrase({"format": "jorvik-phrase", "version": 1, "controls": {"mod_wheel": rubbed()}, **fields})


def farthest(recorded: list[list[float]], kept: list[list[float]]) -> float:
    at, values = np.array(recorded).T
    return float(np.abs(values - np.interp(at, *np.array(kept).T)).max())


class Records(unittest.TestCase):
    def test_a_simplified_lane_keeps_its_error_against_what_was_recorded(self) -> None:
        once = with_simplified_lane(phrase(), "mod_wheel", 0.02)
        record = once.simplified["mod_wheel"]
        self.assertEqual((record.points_before, record.points_after), (200, len(once.controls["mod_wheel"])))
        self.assertLess(record.points_after, 40)
        self.assertAlmostEqual(record.greatest_error, farthest(rubbed(), once.controls["mod_wheel"]), places=12)
        self.assertGreater(record.greatest_error, 0.0)

        twice = with_simplified_lane(once, "mod_wheel", 0.08)
        record = twice.simplified["mod_wheel"]
        self.assertEqual((record.points_before, record.points_after), (200, len(twice.controls["mod_wheel"])))
        self.assertLess(record.points_after, once.simplified["mod_wheel"].points_after)
        self.assertGreaterEqual(record.greatest_error, farthest(rubbed(), twice.controls["mod_wheel"]))
        self.assertLessEqual(record.greatest_error, 0.1)

    def test_the_record_is_kept_in_the_document(self) -> None:
        once = with_simplified_lane(phrase(), "mod_wheel", 0.02)
        self.assertEqual(check_phrase(once.document()), once)
        # The lane itself is what changed for the reader; its record goes with it.
        self.assertEqual(len(changes(phrase().document(), once.document())), 1)

    def test_the_error_is_scaled_with_the_values(self) -> None:
        once = with_simplified_lane(phrase(), "mod_wheel", 0.02)
        error = once.simplified["mod_wheel"].greatest_error
        self.assertAlmostEqual(scaled_records(once, "mod_wheel", -0.5)["mod_wheel"]["greatest_error"], 0.5 * error)
        self.assertEqual(scaled_records(phrase(), "mod_wheel", 2.0), {})

    def test_a_lane_with_too_many_points_gets_a_record(self) -> None:
        fields = within_limit({"mod_wheel": rubbed(3000), "pitch_bend": [[0.0, 0.0], [1.0, 1.0]]})
        self.assertEqual(list(fields["simplified"]), ["mod_wheel"])
        record = fields["simplified"]["mod_wheel"]
        self.assertEqual(record["points_before"], 3000)
        self.assertLessEqual(record["points_after"], MAX_POINTS)
        self.assertAlmostEqual(record["greatest_error"], farthest(rubbed(3000), fields["controls"]["mod_wheel"]))

    def test_a_record_of_a_lane_that_is_missing_is_refused(self) -> None:
        record = {"points_before": 9, "points_after": 3, "greatest_error": 0.1}
        with self.assertRaisesRegex(Problem, "no lane .*pressure"):
            phrase(simplified={"pressure": record})


if __name__ == "__main__":
    unittest.main()
