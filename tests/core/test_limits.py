"""A patch at every limit at once: 64 modules in one loop, 256 routes into them, 60 s.

Here at a quarter of the usual rate, to be quick; ``benchmarks`` runs it at the full one and prints time and memory.
"""

import json
import subprocess
import sys
import unittest

from jorvik.core.limits import MAX_MODULES, MAX_ROUTES, MAX_SECONDS
from tests.support import Json, document, note

MOST_BYTES = 2 * 10**9

REDUCED = """
import json, resource, sys
import numpy as np
from jorvik.core.engine.reduce import reduce_run
from jorvik.core.engine.run import Run
from jorvik.core.document.patch import check_patch
run = Run(check_patch(json.load(sys.stdin)), int(sys.argv[1]))
reduced = reduce_run(run, 1000)
kib = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
finite = bool(np.isfinite(reduced.least).all() and np.isfinite(reduced.greatest).all())
level = float(reduced.greatest[run.program.module_rows["m0"]].max())
print(json.dumps({"samples": run.length, "bytes": kib * 1024, "finite": finite, "level": level}))
"""


def everything() -> Json:
    """Slews in one ring, each made faster or slower by four others, driven by a compare that turns them round."""
    count = MAX_MODULES
    modules: list[Json] = [{"id": "m0", "kind": "compare", "a": 0.5, "b": f"m{count - 1}"}]
    modules += [{"id": f"m{i}", "kind": "slew", "input": f"m{i - 1}", "rise_s": 0.002} for i in range(1, count)]
    routes: list[Json] = []
    for i in range(MAX_ROUTES):
        at, other = 1 + i % (count - 1), 1 + (i * 7) % (count - 1)
        routes.append({"id": f"r{i}", "source": f"m{other}", "destination": f"m{at}.rise_s", "amount": 1e-4})
    return document(modules, routes, performance=note(MAX_SECONDS - 0.5, 0.5))


def run_everything(rate: int) -> Json:
    """Return the samples, the memory in bytes and the result of running that patch in a process of its own."""
    command = [sys.executable, "-c", REDUCED, str(rate)]
    done = subprocess.run(command, input=json.dumps(everything()), capture_output=True, text=True, timeout=300)
    if done.returncode:
        raise RuntimeError(done.stderr)
    found: Json = json.loads(done.stdout)
    return found


class EveryLimit(unittest.TestCase):
    def test_it_finishes_within_the_stated_memory(self) -> None:
        rate = 12_000
        found = run_everything(rate)
        self.assertEqual(found["samples"], rate * MAX_SECONDS)
        self.assertLess(found["bytes"], MOST_BYTES)
        self.assertTrue(found["finite"])
        self.assertEqual(found["level"], 1.0)


if __name__ == "__main__":
    unittest.main()
