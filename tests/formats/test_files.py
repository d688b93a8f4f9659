"""Files and the command line, as another program would use them."""

import csv
import io
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from jorvik.core.engine.run import Run
from jorvik.core.engine.trace import trace
from jorvik.formats.table import arrays, csv_lines
from jorvik.place import ROOT
from tests.support import document, note, patch

MODULES = [{"id": "w", "kind": "lfo", "rate": 3.0}, {"id": 'a,"b"', "kind": "constant", "value": 1 / 3}]
ROUTES = [{"id": "vib", "source": "w", "destination": "pitch", "amount": 0.5}]
SHORT = note(0.02, 0.01)


class Tables(unittest.TestCase):
    def test_csv_holds_the_trace_to_12_digits(self) -> None:
        of = patch(MODULES, ROUTES, performance=SHORT)
        rows = list(csv.DictReader(io.StringIO("".join(csv_lines(Run(of), contributions=True)))))
        whole = trace(of)
        self.assertEqual(len(rows), 1440)
        self.assertEqual(list(rows[0]), ["time_s", "signal.w", 'signal.a,"b"', "lane.pitch", "lane.pitch.vib"])
        for column, values in (("signal.w", whole.signals["w"]), ("lane.pitch", whole.lanes["pitch"].value)):
            np.testing.assert_allclose([float(row[column]) for row in rows], values, rtol=1e-11, atol=1e-300)
        self.assertEqual(rows[5]['signal.a,"b"'], "0.333333333333")

    def test_a_reader_that_has_had_enough_is_no_error(self) -> None:
        """As in ``jv trace PATCH | head``: more than a pipe holds is written, and nobody reads it."""
        with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
            json.dump(document(MODULES, ROUTES, performance=note(2.0, 0.5)), file)
            file.flush()
            command = [sys.executable, "-m", "jorvik.cli", "trace", file.name]
            with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, cwd=ROOT) as process:
                assert process.stdout is not None and process.stderr is not None
                self.assertTrue(process.stdout.readline().startswith(b"time_s"))
                process.stdout.close()
                self.assertEqual(process.stderr.read(), b"")
                self.assertEqual(process.wait(), 0)

    def test_npz_holds_the_same_columns(self) -> None:
        found = arrays(patch(MODULES, ROUTES, performance=SHORT), 48_000, contributions=True)
        self.assertEqual(list(found), ["time_s", "signal.w", 'signal.a,"b"', "lane.pitch", "lane.pitch.vib"])


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.at = Path(self.folder.name)
        self.patch = self.at / "p.json"
        self.patch.write_text(json.dumps(document(MODULES, ROUTES, performance=SHORT)))

    def jv(self, *arguments: object) -> "subprocess.CompletedProcess[str]":
        command = [sys.executable, "-m", "jorvik.cli", *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, check=False, cwd=ROOT)

    def refused(self, *arguments: object) -> str:
        done = self.jv(*arguments)
        self.assertEqual(done.returncode, 2, done.stderr)
        self.assertEqual(done.stderr.count("\n"), 1, done.stderr)
        self.assertEqual(done.stdout, "")
        return done.stderr

    def test_trace_to_standard_output_csv_and_npz(self) -> None:
        printed = self.jv("trace", self.patch, "--rate", 8000)
        self.assertEqual(printed.stdout.count("\n"), 241)
        out = self.at / "t.csv"
        self.assertEqual(self.jv("trace", self.patch, "--rate", "8kHz", "--out", out).returncode, 0)
        self.assertEqual(out.read_text(), printed.stdout)
        for name in ("t.npz", "T.NPZ"):
            self.jv("trace", self.patch, "--out", self.at / name, "--contributions")
            self.assertIn("lane.pitch.vib", np.load(self.at / name))
        self.assertEqual(sorted(path.name for path in self.at.iterdir()), ["T.NPZ", "p.json", "t.csv", "t.npz"])

    def test_the_note_can_be_changed(self) -> None:
        out = self.at / "t.npz"
        done = self.jv(
            "trace", self.patch, "--out", out, "--key", "C5", "--length", "100ms", "--tail", "0", "--velocity", 1
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(np.load(out)["time_s"].size, 4800)

    def test_render_writes_24_bit_stereo(self) -> None:
        out = self.at / "s.wav"
        self.assertEqual(self.jv("render", self.patch, "--out", out).returncode, 0)
        info = soundfile.info(out)
        self.assertEqual((info.subtype, info.channels, info.samplerate, info.frames), ("PCM_24", 2, 48_000, 1440))

    def test_schema_is_json_that_accepts_the_format(self) -> None:
        schema = json.loads(self.jv("schema").stdout)
        self.assertEqual(schema["properties"]["format"]["const"], "jorvik-patch")

    def test_bad_input_is_one_line_and_exit_2(self) -> None:
        self.assertIn("12 is clear", self.refused("trace", self.patch, "--length", "12 bananas"))
        self.assertIn("--rate", self.refused("trace", self.patch, "--rate", "fast"))
        self.assertIn("No such file", self.refused("trace", self.at / "none.json"))
        self.assertIn(".wav", self.refused("render", self.patch, "--out", self.at / "s.mp3"))
        self.assertIn("voice", self.refused("trace", self.patch, "--note", 9))
        self.patch.write_text("{")
        self.assertIn("line 1", self.refused("render", self.patch, "--out", self.at / "s.wav"))
        self.assertFalse((self.at / "s.wav").exists())


if __name__ == "__main__":
    unittest.main()
