"""Lanes as CSV, and what the command line makes of them."""

import json
import tempfile
import unittest
from pathlib import Path

from jorvik.core.problems import Problem
from jorvik.formats.lanes import read_lane, write_lane
from tests.test_judging_cli import said


class Lanes(unittest.TestCase):
    def test_what_is_written_is_read_again(self) -> None:
        points = [[0.0, 0.1], [0.1 + 0.2, -1.0], [0.5, 1e-9]]
        self.assertEqual(read_lane(write_lane(points).encode()), points)

    def test_what_cannot_be_read_names_its_row(self) -> None:
        for data, wanted in (
            (b"", "row 1"),
            (b"t,v\n0,1\n", "time_s,value"),
            (b"time_s,value\n", "no points"),
            (b"time_s,value\n0,1\nx,2\n", "row 3"),
            (b"time_s,value\n0,1,2\n", "row 2"),
            (b"time_s,value\n0,nan\n", "row 2"),
            (b"time_s,value\n1,0\n0.5,0\n", "row 3.*0.5 s"),
            (b"\xff\xfe\x00", "no text"),
            (b"time_s,value\n" + b"0,0\n" * 10_001, "10000 at most"),
        ):
            with self.subTest(wanted=wanted), self.assertRaisesRegex(Problem, wanted):
                read_lane(data)

    def test_thinned_and_read_against_the_beat_by_the_command_line(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lane, out = Path(folder) / "lane.csv", Path(folder) / "out.csv"
            lane.write_text(write_lane([[0, 0], [0.3, 0.46], [0.61, 1], [1.3, 0.1], [2.0, 0.5]]))
            code, text = said("thin", str(lane), "--within", "0.05", "--out", str(out))
            self.assertEqual(code, 0)
            found = json.loads(text)
            self.assertEqual((found["points_before"], found["points_after"], found["at_s"]), (5, 4, 0.3))
            self.assertAlmostEqual(found["greatest_error"], 0.3 / 0.61 - 0.46)
            self.assertEqual(read_lane(out.read_bytes()), [[0, 0], [0.61, 1], [1.3, 0.1], [2, 0.5]])
            # An eighth at 96 is 312.5 ms: the top is 15 ms early on the second, the bottom 50 ms late on the fourth.
            _, text = said("turns", str(lane), "--tempo", "96", "--grid", "1/8", "--json")
            turns = json.loads(text)["turns"]
            self.assertEqual([turn["is_top"] for turn in turns], [True, False])
            for turn, off in zip(turns, (-15.0, 50.0), strict=True):
                self.assertAlmostEqual(turn["off_ms"], off)
            _, text = said("turns", str(lane), "--tempo", "96", "--grid", "1/8")
            self.assertIn("-15.00 ms", text)
            self.assertEqual(said("turns", str(lane), "--grid", "often")[0], 2)
            self.assertEqual(said("thin", str(lane), "--within", "near")[0], 2)


if __name__ == "__main__":
    unittest.main()
