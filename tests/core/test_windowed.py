"""A run that is not kept whole: the numbers of the one that is, in less memory."""

import json
import subprocess
import sys
import unittest
from unittest import mock

import numpy as np

from jorvik.core.document.patch import check_patch
from jorvik.core.engine.trace import Trace, trace
from jorvik.core.limits import COARSE_RATE, MAX_MODULES, MAX_ROUTES, MAX_SECONDS
from jorvik.core.measure.patch import measure_trace
from jorvik.core.problems import Problem
from tests.effort import count
from tests.support import Json, demos, document, note
from tests.trials.wild import Wild

MOST_BYTES = 1_500_000_000

JUDGED = """
import json, resource, sys
from jorvik.core.judgement import judge
from jorvik.core.measure.context import Context
from jorvik.core.document.patch import check_patch
context = Context(check_patch(json.load(sys.stdin)))
judged = judge(context)
kib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
print(json.dumps({"bytes": kib * 1024, "lanes": len(context.measures.lanes), "readings": len(judged.figures)}))
"""


def judged_alone(doc: Json) -> Json:
    """Judge a patch in a process of its own; return how much memory that took, and what it came to."""
    command = [sys.executable, "-c", JUDGED]
    done = subprocess.run(command, input=json.dumps(doc), capture_output=True, text=True, timeout=1800, check=False)
    if done.returncode:
        raise RuntimeError(done.stderr[-3000:])
    found: Json = json.loads(done.stdout)
    return found


def largest(seconds: float = MAX_SECONDS) -> Json:
    """A patch at every limit: 64 modules of every usual kind, and 256 routes to the voice and to each other."""
    kinds: list[Json] = [
        {"kind": "envelope", "decay_s": 2.0},
        {"kind": "lfo", "rate": 3.0, "start": "free"},
        {"kind": "random", "rate": 5.0, "shape": "line"},
        {"kind": "slew", "input": "m1"},
        {"kind": "filter", "input": "m2", "frequency_hz": 6.0, "q": 4.0},
        {"kind": "mix", "inputs": [{"source": "m0"}, {"source": "m2", "gain": 0.5}]},
        {"kind": "sample_hold", "input": "m2", "clock": "m1"},
        {"kind": "shape", "input": "m1", "gain": 0.5},
    ]
    modules = [{"id": f"m{i}", **kinds[i % 8]} for i in range(MAX_MODULES)]
    voice = ["pitch", "cutoff", "amplitude", "fold", "pan", "resonance", "fm_index", "noise_level", "detune", "drive"]
    rates = [f"m{i}.rate" for i in range(1, MAX_MODULES, 8)]
    places = [*voice, *rates]
    routes = [
        {"id": f"r{i}", "source": f"m{i * 7 % MAX_MODULES}", "destination": places[i % len(places)], "amount": 0.05}
        for i in range(MAX_ROUTES)
    ]
    return document(modules, routes, performance=note(seconds - 1.0, 1.0))


class Alike(unittest.TestCase):
    def assert_alike(self, whole: Trace, windowed: Trace) -> None:
        self.assertTrue(whole.is_whole)
        self.assertFalse(windowed.is_whole)
        for rows, made in ((whole.signals, windowed.signals), (whole.performance, windowed.performance)):
            self.assertEqual(list(rows), list(made))
            for name in rows:
                np.testing.assert_array_equal(rows[name], made[name], err_msg=name)
        for name, lane in whole.lanes.items():
            other = windowed.lanes[name]
            for part in ("value", "raw", "base"):
                np.testing.assert_array_equal(getattr(lane, part), getattr(other, part), err_msg=f"{part} of {name}")
            for route in lane.contributions:
                np.testing.assert_array_equal(lane.contributions[route], other.contributions[route], err_msg=route)

    def test_a_disk_without_room_is_told_before_anything_is_run(self) -> None:
        full = OSError(28, "No space left on device")
        of = check_patch(document([{"id": "w", "kind": "lfo", "rate": 2.0}], performance=note(0.1, 0.0)))
        with mock.patch("os.posix_fallocate", side_effect=full), self.assertRaises(Problem) as raised:
            trace(of, COARSE_RATE, most_bytes=1000)
        self.assertIn("No space left on device", raised.exception.found)

    def test_every_row_of_every_demo(self) -> None:
        for name, doc in demos().items():
            of = check_patch(doc)
            with self.subTest(name):
                self.assert_alike(trace(of, COARSE_RATE), trace(of, COARSE_RATE, most_bytes=0))

    def test_what_modules_made_lies_in_memory_where_it_may(self) -> None:
        of = check_patch(demos()["ferry-horn"])
        whole = trace(of)
        self.assert_alike(whole, trace(of, most_bytes=len(of.modules) * whole.run.length * 8))

    def test_loops_late_reads_and_what_is_updated_in_steps(self) -> None:
        tried = 0
        for seed in range(60):
            try:
                of = check_patch(Wild(seed).document())
                whole = trace(of, COARSE_RATE)
            except ValueError:
                continue
            tried += 1
            with self.subTest(seed=seed):
                self.assert_alike(whole, trace(of, COARSE_RATE, most_bytes=0))
        self.assertGreater(tried, 40)

    def test_figures_are_the_same(self) -> None:
        for name in ("ferry-horn", "oar-drag", "three-gulls", "ice-crack"):
            of = check_patch(demos()[name])
            whole, made = (measure_trace(trace(of, COARSE_RATE, most_bytes=most)) for most in (10**9, 0))
            with self.subTest(name):
                self.assertEqual((whole.lanes, whole.signals, whole.still), (made.lanes, made.signals, made.still))
                for a, b in zip(whole.pairs, made.pairs, strict=True):
                    self.assertAlmostEqual(a.correlation, b.correlation, places=5)


class Memory(unittest.TestCase):
    def test_ten_modules_over_a_minute(self) -> None:
        """A minute once took 11 GB."""
        modules = largest()["modules"][:10]
        routes = [route for route in largest()["routes"] if route["source"] in [m["id"] for m in modules]]
        kept = [route for route in routes if route["destination"].partition(".")[0] not in _gone(modules)]
        found = judged_alone(document(modules, kept[:20], performance=note(count(59.0, 15.0), 1.0)))
        self.assertLess(found["bytes"], MOST_BYTES)
        self.assertGreater(found["lanes"], 5)


def _gone(modules: list[Json]) -> set[str]:
    return {f"m{i}" for i in range(MAX_MODULES)} - {m["id"] for m in modules}


if __name__ == "__main__":
    unittest.main()
