"""A signal that is no number: refused by everything alike, and never a sound."""

import contextlib
import io
import json
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import numpy as np

from jorvik.cli.main import main
from jorvik.core.document.patch import Patch
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.run import Run
from jorvik.core.engine.trace import trace
from jorvik.core.measure.context import Context
from jorvik.core.measure.patch import measure_patch
from jorvik.core.problems import Problem
from jorvik.core.voice.limiter import CEILING_DB, limit
from jorvik.core.voice.render import render
from tests.support import RATE, Json, document, note, patch, traced

RUNAWAY: list[Json] = [
    {"id": "first", "kind": "mix", "inputs": [{"source": "second", "gain": 3.0, "offset": 1.0}]},
    {"id": "second", "kind": "shape", "input": "first", "gain": 2.0},
]
POWERS: list[Json] = [
    {"id": "big", "kind": "constant", "value": 1e6},
    {"id": "bigger", "kind": "shape", "input": "big", "power": 8.0},
    {"id": "biggest", "kind": "shape", "input": "bigger", "power": 8.0},
]
RUNS: dict[str, Callable[[Patch], object]] = {
    "trace": trace,
    "sheet": lambda of: reduce_run(Run(of), 100),
    "blocks": lambda of: list(Run(of).blocks()),
    "measures": measure_patch,
    "judgement": lambda of: Context(of).measures,
    "render": render,
}


class Refused(unittest.TestCase):
    def test_a_growing_loop_is_named_as_one_with_the_moment(self) -> None:
        for name, run in RUNS.items():
            with self.subTest(name), self.assertRaises(Problem) as caught:
                run(patch(RUNAWAY))
            self.assertEqual(caught.exception.place, "the loop through first")
            # 6 x each sample, and 1 more: past 1.8e308 after log6(1.8e308 x 5 / 6) samples.
            self.assertRegex(str(caught.exception), r"at 0\.008\d* s.*less gain")

    def test_what_is_no_loop_is_not_called_one(self) -> None:
        for name, run in RUNS.items():
            with self.subTest(name), self.assertRaises(Problem) as caught:
                run(patch(POWERS))
            self.assertEqual(caught.exception.place, "biggest")
            self.assertIn("at 0 s", str(caught.exception))

    def test_a_lane_is_named_where_its_routes_overflow(self) -> None:
        modules = [{"id": "c", "kind": "shape", "input": "big", "power": 8.0}, POWERS[0]]
        routes = [{"source": "c", "destination": "cutoff", "amount": 1e9, "via": "v"}]
        modules.append({"id": "v", "kind": "shape", "input": "c", "power": 6.0})
        with self.assertRaises(Problem) as caught:
            trace(patch(modules, routes))
        self.assertEqual(caught.exception.place, "cutoff")

    def test_a_route_that_falls_without_end_is_found_in_every_law(self) -> None:
        """In octaves the value would come to 0, and look like a number."""
        modules = [{"id": "c", "kind": "shape", "input": "big", "power": 50.0, "invert": True}, POWERS[0]]
        for destination in ("cutoff", "fold", "amplitude", "fm_ratio"):
            route = {"source": "c", "destination": destination, "amount": 1e9}
            with self.subTest(destination), self.assertRaises(Problem) as caught:
                trace(patch(modules, [route]))
            self.assertEqual(caught.exception.place, destination)

    def test_the_command_line_says_it_in_one_line(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "p.json")
            path.write_text(json.dumps(document(RUNAWAY)))
            for command in ("trace", "measure", "check", "render"):
                out = ["--out", str(Path(folder, "o.wav"))] if command == "render" else []
                said = io.StringIO()
                with self.subTest(command), contextlib.redirect_stderr(said), contextlib.redirect_stdout(io.StringIO()):
                    self.assertEqual(main([command, str(path), *out]), 2)
                self.assertIn("the loop through first", said.getvalue())
                self.assertEqual(said.getvalue().count("\n"), 1)

    def test_an_edit_in_a_room_is_looked_at_too(self) -> None:
        from jorvik.core.engine.row_cache import RowCache

        cache = RowCache()
        calm = [{**RUNAWAY[0], "inputs": [{"source": "second", "gain": 0.1, "offset": 1.0}]}, RUNAWAY[1]]
        before = trace(patch(calm), cache=cache).signals["first"].copy()
        with self.assertRaises(Problem):
            trace(patch(RUNAWAY), cache=cache)
        np.testing.assert_array_equal(trace(patch(calm), cache=cache).signals["first"], before)


class Harmless(unittest.TestCase):
    def test_a_bend_of_a_large_input_is_a_number(self) -> None:
        """In a process of its own: it once read outside the tables and took the process with it."""
        routes = [{"source": "c", "destination": "fm_index", "amount": 0, "bend": -12}]
        made = document([{"id": "c", "kind": "constant", "value": 100}], routes)
        code = (
            "import json, sys, numpy as np\n"
            "from jorvik.core.document.patch import check_patch\n"
            "from jorvik.core.voice.render import render\n"
            "sound = render(check_patch(json.load(sys.stdin)))\n"
            "assert np.isfinite(sound.samples).all()\n"
        )
        command = [sys.executable, "-c", code]
        done = subprocess.run(command, input=json.dumps(made), text=True, capture_output=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_the_slope_past_one_is_the_models(self) -> None:
        routes = [{"source": "c", "destination": "cutoff", "amount": 1.0, "bend": -2.0}]
        lane = traced([{"id": "c", "kind": "constant", "value": 3.0}], routes).lanes["cutoff"]
        k = -2.0
        wanted = 1 + 2 * k * np.exp(-k) / (1 - np.exp(-k))
        np.testing.assert_allclose(lane.contributions["r0"], wanted, atol=1e-9)

    def test_compiled_code_bounds_its_own_indices(self) -> None:
        from jorvik.core.dsp.wavetables import mip_levels
        from jorvik.core.voice.oscillator import wavetable

        table = mip_levels("ladder")
        for bad in (np.nan, np.inf, -np.inf, 1e300, -3.0):
            for arguments in ((bad, 0.3, 1.0), (0.5, bad, 1.0), (0.5, 0.3, bad)):
                with self.subTest(arguments=arguments):
                    self.assertTrue(np.isfinite(wavetable(table, *arguments)))


class LastGuard(unittest.TestCase):
    def test_what_is_no_number_becomes_silence_without_a_step(self) -> None:
        t = np.arange(RATE // 2) / RATE
        sound = np.stack([0.5 * np.sin(2 * np.pi * 100 * t)] * 2, axis=1)
        sound[10_000:10_100, 0] = np.nan
        sound[15_000, 1] = -np.inf
        sound[20_000, 0] = 1e300
        limited = limit(sound.copy(), RATE)
        self.assertTrue(np.isfinite(limited.samples).all())
        self.assertEqual(limited.muted, 101)
        self.assertLessEqual(np.abs(limited.samples).max(), 10 ** (CEILING_DB / 20) + 1e-12)
        np.testing.assert_array_equal(limited.samples[10_000:10_100], 0.0)
        np.testing.assert_array_equal(limited.samples[:9_000], sound[:9_000])
        around = limited.samples[9_000:16_000]
        # A sine of 100 Hz at 0.5 moves by 0.0066 a sample; a gain of 0 to 1 in 2 ms adds 0.5 / 96.
        self.assertLess(np.abs(np.diff(around, axis=0)).max(), 0.0066 + 0.5 / 96)

    def test_nothing_but_broken_frames_is_silence(self) -> None:
        limited = limit(np.full((1000, 2), np.nan), RATE)
        np.testing.assert_array_equal(limited.samples, 0.0)


class FreeOfDc(unittest.TestCase):
    def test_fm_with_a_quarter_phase(self) -> None:
        """cos(x + I sin x) has the mean J1(I) of its peak: 0.58 x 0.42 at 1.84, were it let out."""
        oscillators = {
            "osc1": {"table": "plain", "phase": 0.25},
            "osc2": {"table": "plain"},
            "tables": [{"name": "plain", "frames": [[[1.0, 0.0]]]}],
        }
        of = patch(
            voice={"oscillators": oscillators, "base": {"fm_index": 1.84, "cutoff": 20_000}},
            performance=note(2.0, 0.0),
        )
        standing = float(np.abs(render(of, blocked=False).samples[RATE:].mean(axis=0)).max())
        self.assertAlmostEqual(standing, 0.582 * 0.3 * np.sqrt(2), delta=0.01)
        left = float(np.abs(render(of).samples[RATE:].mean(axis=0)).max())
        self.assertLess(left, 1e-3)

    def test_the_lowest_keys(self) -> None:
        for key in (0.0, 1.0):
            of = patch(performance=note(4.0, 0.0, key=key), voice={"base": {"drive": 30.0}})
            samples = render(of).samples[RATE:]
            with self.subTest(key=key):
                self.assertLess(np.abs(samples.mean(axis=0)).max(), 0.01)

    def test_what_is_heard_is_left_alone(self) -> None:
        """A one-pole at 5 Hz takes 20 log10 of 1 / sqrt(1 + (5 / 55)^2): 0.036 dB at 55 Hz."""
        of = patch(performance=note(1.0, 0.0, key=33), voice={"base": {"cutoff": 20_000.0}})
        open_, blocked = (np.sqrt((render(of, blocked=b).samples[9600:38_400] ** 2).mean()) for b in (False, True))
        self.assertAlmostEqual(20 * np.log10(blocked / open_), -10 * np.log10(1 + (5 / 55) ** 2), delta=0.01)


if __name__ == "__main__":
    unittest.main()
