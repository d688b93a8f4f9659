"""Run every check and every test, and close with one line that counts them."""

import io
import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path

from coverage import Coverage

from jorvik.core.analysis.warm import warm_analysis
from jorvik.core.voice.warm import warm
from tests import support

ROOT = Path(__file__).parents[1]
BIN = ROOT / ".venv" / "bin"

CHECKS: dict[str, list[str | Path]] = {
    "style": [BIN / "ruff", "check", "-q", "."],
    "format": [BIN / "ruff", "format", "-q", "--check", "."],
    "types": [BIN / "mypy"],
    "imports": [BIN / "lint-imports"],
    "screen types": ["npm", "run", "-s", "--prefix", "ui", "check"],
    "screen units": ["npm", "run", "-s", "--prefix", "ui", "test"],
    "screen format": ["npm", "run", "-s", "--prefix", "ui", "format:check"],
}


def run_check(name: str, command: list[str | Path]) -> bool:
    """Run one check and print what it says when it fails."""
    begin = time.monotonic()
    done = subprocess.run([str(part) for part in command], cwd=ROOT, capture_output=True, text=True, check=False)
    print(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({time.monotonic() - begin:.1f} s)", flush=True)
    if done.returncode != 0:
        print((done.stdout + done.stderr)[-6000:])
    return done.returncode == 0


def leaves(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Yield every test in a suite."""
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from leaves(item)
        else:
            yield item


BESIDE = "--beside"
"""Asks for the tests that run beside the others: those that drive a browser wait more than they compute."""

DRIVEN = "tests.browser."


def main(words: list[str], watch: Coverage | None = None) -> int:
    """Run the checks (all of them, unless words choose tests) and the tests; with ``--long`` trials go on for hours.

    All of it is done in two halves side by side, of which the one with the browser tells when it is done. ``watch``
    has an eye on the lines of the core that the other half runs.
    """
    if "--long" in words:
        words.remove("--long")
        os.environ["JORVIK_TRIALS"] = "long"
    if words == [BESIDE]:
        return closed(*run_tests(lambda name: name.startswith(DRIVEN)))
    if words:
        return closed(*run_tests(lambda name: any(word in name for word in words)))
    warm()
    warm_analysis()
    passed = failed = 0
    with tempfile.TemporaryFile("w+") as told:
        beside = subprocess.Popen(
            [sys.executable, "-m", "tests", BESIDE], cwd=ROOT, stdout=told, stderr=subprocess.STDOUT, text=True
        )
        # The half with the browser takes longest, and what it waits for gives way to others: so does this one.
        os.nice(10)
        for name, command in CHECKS.items():
            good = run_check(name, command)
            passed, failed = passed + good, failed + (not good)
        more = run_tests(lambda name: not name.startswith(DRIVEN))
        if watch is not None:
            watch.stop()
            share = watch.report(file=io.StringIO())
            print(f"{share:.0f} % of the core's lines were run, compiled ones aside", flush=True)
        beside.wait()
        told.seek(0)
        said = told.read()
    print(said, flush=True)
    counts = re.search(r"(\d+) passed, (\d+) failed\s*$", said)
    other = (int(counts[1]), int(counts[2])) if counts else (0, 1)
    return closed(passed + more[0] + other[0], failed + more[1] + other[1])


def closed(passed: int, failed: int) -> int:
    """Print the closing line, and return the exit code."""
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or passed == 0 else 0


def run_tests(is_chosen: Callable[[str], bool]) -> tuple[int, int]:
    """Run the tests whose names are chosen, and return how many passed and failed."""
    warm()
    warm_analysis()
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    chosen = unittest.TestSuite(test for test in leaves(found) if is_chosen(test.id()))
    try:
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(chosen)
    finally:
        support.stop_everything()
    # Of a test that fails for several of its cases one is counted.
    wrong = [test for test, _ in result.failures + result.errors] + result.unexpectedSuccesses
    bad = len({getattr(test, "test_case", test).id() for test in wrong})
    return result.testsRun - bad, bad
