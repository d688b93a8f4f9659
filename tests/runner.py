"""Run every check and every test, and close with one line that counts them.

Checks and test classes are items of one queue, the longest first. Two lanes take items from it: a check is a command,
a class goes to the test process of its lane, which keeps one server, one database template and one browser.
"""

import os
import sys
import threading
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

from tests.checks import CHECKS, Check, run_check
from tests.durations import durations, keep_durations
from tests.effort import LONG
from tests.finding import classes_of, modules_with
from tests.measuring import forget_coverage, report_coverage
from tests.outcome import Outcome
from tests.process import TestProcess, run_in_its_thread, stop_what_is_shared

LANES = 2


def main(words: Sequence[str]) -> int:
    """Run everything, or the tests whose name contains one of the words, and return the exit code."""
    words = list(words)
    if "--long" in words:
        words.remove("--long")
        os.environ[LONG] = "1"
    if words:
        return close(run_here(words))
    begin = time.monotonic()
    forget_coverage()
    outcomes = Queue([*CHECKS, *classes_of(modules_with([]))]).run()
    outcomes.append(report_coverage())
    print_slowest(outcomes)
    print(f"everything took {time.monotonic() - begin:.0f} s", flush=True)
    keep_durations({outcome.name: outcome.seconds for outcome in outcomes if outcome.seconds})
    return close(outcomes)


def run_here(words: Sequence[str]) -> list[Outcome]:
    """Run the tests whose name contains one of the words in this process."""

    def is_chosen(test: str) -> bool:
        return any(word in test for word in words)

    try:
        return [run_in_its_thread(name, is_chosen, sys.stdout) for name in classes_of(modules_with(words), is_chosen)]
    finally:
        stop_what_is_shared()


def print_slowest(outcomes: Sequence[Outcome], count: int = 10) -> None:
    """Print what took longest."""
    print(f"\nThe {count} slowest:")
    for outcome in sorted(outcomes, key=lambda outcome: -outcome.seconds)[:count]:
        print(f"{outcome.seconds:7.1f} s  {outcome.name}")


def close(outcomes: Sequence[Outcome]) -> int:
    """Print the closing line, and return the exit code."""
    failed = sum(outcome.failed for outcome in outcomes)
    passed = sum(outcome.passed for outcome in outcomes)
    for outcome in outcomes:
        if outcome.failed:
            print(f"failed: {outcome.name}")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed or passed == 0 else 0


class Queue:
    """Items that wait, the longest first, and the lanes that take them."""

    def __init__(self, items: Sequence[Check | str]) -> None:
        known = durations()
        # What was never timed may be long, so it comes first.
        self._waiting = sorted(items, key=lambda item: known.get(str(item), float("inf")))
        self._lock = threading.Lock()

    def run(self) -> list[Outcome]:
        """Run every item and return the outcomes."""
        with ThreadPoolExecutor(LANES) as pool:
            return [outcome for lane in pool.map(self._lane, range(LANES)) for outcome in lane]

    def _lane(self, number: int) -> list[Outcome]:
        outcomes = []
        process = TestProcess(number)
        try:
            while (item := self.next()) is not None:
                outcome = run_check(item) if isinstance(item, Check) else process.run(item)
                print(outcome.line(), flush=True)
                outcomes.append(outcome)
        finally:
            process.stop()
        return outcomes

    def next(self) -> Check | str | None:
        """Take the longest item that waits; None where none does."""
        with self._lock:
            return self._waiting.pop() if self._waiting else None
