"""Run every check and every test, and close with one line that counts them."""

import os
import subprocess
import sys
import time
import unittest
from collections.abc import Iterator
from pathlib import Path

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


def main(words: list[str]) -> int:
    """Run the checks (all of them, unless words choose tests) and the tests; with ``--long`` trials go on for hours."""
    if "--long" in words:
        words.remove("--long")
        os.environ["JORVIK_TRIALS"] = "long"
    passed = failed = 0
    for name, command in [] if words else CHECKS.items():
        good = run_check(name, command)
        passed, failed = passed + good, failed + (not good)
    warm()
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    chosen = unittest.TestSuite(t for t in leaves(found) if not words or any(word in t.id() for word in words))
    try:
        result = unittest.TextTestRunner(verbosity=1, stream=sys.stdout).run(chosen)
    finally:
        support.stop_everything()
    # Of a test that fails for several of its cases one is counted.
    wrong = [test for test, _ in result.failures + result.errors] + result.unexpectedSuccesses
    bad = len({getattr(test, "test_case", test).id() for test in wrong})
    passed, failed = passed + result.testsRun - bad, failed + bad
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or passed == 0 else 0
