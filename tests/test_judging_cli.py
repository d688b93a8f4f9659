"""``jv measure`` and ``jv check``: figures and judgements without a database."""

import contextlib
import io
import json
import unittest

from jorvik.cli.main import main
from jorvik.place import ROOT


def said(*arguments: str) -> tuple[int, str]:
    """The exit code of a command and what it printed."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        code = main(arguments)
    return code, out.getvalue()


class Measuring(unittest.TestCase):
    def test_json_holds_every_lane_and_signal(self) -> None:
        code, text = said("measure", str(ROOT / "demo/ferry-horn.json"), "--json")
        found = json.loads(text)
        self.assertEqual(code, 0)
        self.assertEqual(set(found["signals"]), {"swell", "lip", "shake", "breath"})
        swell = found["signals"]["swell"]
        self.assertAlmostEqual(swell["peak_s"], 0.42)
        self.assertAlmostEqual(swell["settle"], 0.62)
        shake = found["lanes"]["pitch"]["measures"]["periodic"]
        self.assertAlmostEqual(shake["rate_hz"], 5.3, delta=0.1)

    def test_the_note_can_be_chosen(self) -> None:
        peaks = []
        for velocity in ("40", "118"):
            _, text = said("measure", str(ROOT / "demo/ferry-horn.json"), "--json", "--velocity", velocity)
            peaks.append(json.loads(text)["lanes"]["cutoff"]["measures"]["peak"])
        self.assertGreater(peaks[1], 2 * peaks[0])

    def test_a_table_for_reading(self) -> None:
        _, text = said("measure", str(ROOT / "demo/ferry-horn.json"))
        self.assertIn("signal shake", text)
        self.assertIn("cents", text)


class Checking(unittest.TestCase):
    def test_a_fault_is_exit_code_1(self) -> None:
        code, text = said("check", str(ROOT / "demo/wrong-sampling.json"))
        self.assertEqual(code, 1)
        self.assertIn("fault: held never takes a value", text)
        self.assertIn("fix: threshold 0.5", text)

    def test_cautions_are_not(self) -> None:
        code, text = said("check", str(ROOT / "demo/wrong-clamped-lane.json"))
        self.assertEqual(code, 0)
        self.assertIn("caution: Cutoff is held at 20 kHz", text)

    def test_what_is_set_aside_is_silent_but_in_the_json(self) -> None:
        path = str(ROOT / "demo/ice-crack.json")
        self.assertNotIn("click", said("check", path)[1])
        rows = json.loads(said("check", path, "--json")[1])
        aside = {row["rule"]: row["set_aside"] for row in rows}
        self.assertTrue(aside["click"])


if __name__ == "__main__":
    unittest.main()
