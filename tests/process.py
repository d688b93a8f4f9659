"""A process that runs test classes one after the other, and keeps what they share from one to the next."""

import io
import multiprocessing
import time
import unittest
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.connection import Connection
from typing import Any, Final, TextIO

from tests.finding import tests_in
from tests.measuring import Measured
from tests.outcome import Outcome


class TestProcess:
    """A process of a lane, started for its first class, and again after it died."""

    __test__ = False

    def __init__(self, number: int) -> None:
        self._number = number
        self._process: Any = None
        self._pipe: Connection | None = None

    def run(self, name: str) -> Outcome:
        """Run the tests of a class."""
        if self._pipe is None:
            context = multiprocessing.get_context("spawn")
            self._pipe, theirs = context.Pipe()
            self._process = context.Process(target=_serve, args=(theirs, self._number))
            self._process.start()
            theirs.close()
        begin = time.monotonic()
        try:
            self._pipe.send(name)
            outcome: Outcome = self._pipe.recv()
        except (EOFError, OSError):
            self._process.join()
            self._pipe = None
            text = f"the test process ended with code {self._process.exitcode}"
            return Outcome(name, 0, 1, time.monotonic() - begin, text)
        return outcome

    def stop(self) -> None:
        """Let the process end, with all that it started."""
        if self._pipe is not None:
            self._pipe.send(None)
            self._process.join()
            self._pipe.close()


def _serve(pipe: Connection, number: int) -> None:
    with Measured(number) as measured:
        while (name := pipe.recv()) is not None:
            with measured.during(name):
                outcome = run_in_its_thread(name)
            pipe.send(outcome)
        stop_what_is_shared()


BROWSER: Final = "tests.browser."
_browser_thread: Final = ThreadPoolExecutor(1)
"""The driver of the browser keeps an event loop running, beside which tests that have one of their own cannot run."""


def run_in_its_thread(name: str, *more: Any) -> Outcome:
    """Run the tests of a class as :func:`run_class` does; those that drive a browser share a thread."""
    return (
        _browser_thread.submit(run_class, name, *more).result() if name.startswith(BROWSER) else run_class(name, *more)
    )


def stop_what_is_shared() -> None:
    """Stop the server, the database and the browser of this process."""
    from tests import support

    _browser_thread.submit(support.stop_everything).result()


def run_class(name: str, is_chosen: Callable[[str], bool] = lambda _: True, stream: TextIO | None = None) -> Outcome:
    """Run the tests of a class that are chosen, and return what became of them.

    What they print goes to ``stream``, or into the outcome.
    """
    begin = time.monotonic()
    text = stream or io.StringIO()
    try:
        found = unittest.defaultTestLoader.loadTestsFromName(name)
    except Exception as error:
        return Outcome(name, 0, 1, time.monotonic() - begin, f"{type(error).__name__}: {error}")
    suite = unittest.TestSuite(test for test in tests_in(found) if is_chosen(test.id()))
    result = unittest.TextTestRunner(stream=text, verbosity=2 if stream else 1).run(suite)
    # Of a test that fails for several of its cases one is counted.
    wrong = [test for test, _ in result.failures + result.errors] + result.unexpectedSuccesses
    failed = len({getattr(test, "test_case", test).id() for test in wrong})
    printed = "" if stream else text.getvalue()  # type: ignore[attr-defined]
    passed = max(0, result.testsRun - failed - len(result.skipped))
    return Outcome(name, passed, failed, time.monotonic() - begin, printed)
