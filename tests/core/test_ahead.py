"""Work in stages: the same items in the same order, no further ahead than was said, faults where they belong."""

import threading
import unittest
from collections.abc import Iterator

import numpy as np

from jorvik.core.cores import use_cores
from jorvik.core.document.patch import check_patch
from jorvik.core.engine import run as engine
from jorvik.core.engine.ahead import ahead
from jorvik.core.engine.run import Cancelled, Run
from jorvik.core.engine.trace import trace
from jorvik.core.problems import Problem
from jorvik.core.voice.render import render
from tests.support import PATIENCE_S, demos, document


class Ahead(unittest.TestCase):
    def setUp(self) -> None:
        self.addCleanup(use_cores, None)
        use_cores(2)

    def test_everything_comes_in_order(self) -> None:
        self.assertEqual(list(ahead(iter(range(100)))), list(range(100)))
        self.assertEqual(list(ahead(iter([]))), [])

    def test_two_stages_work_at_once(self) -> None:
        # Each side waits for the other: only side by side do both come to their end.
        met = threading.Barrier(2, timeout=PATIENCE_S)

        def first() -> Iterator[int]:
            yield 0
            met.wait()
            yield 1

        items = ahead(first())
        self.assertEqual(next(items), 0)
        met.wait()
        self.assertEqual(list(items), [1])

    def test_on_one_core_nothing_runs_beside(self) -> None:
        use_cores(1)
        threads = ahead(threading.get_ident() for _ in range(3))
        self.assertEqual(set(threads), {threading.get_ident()})

    def test_it_goes_no_further_ahead_than_said(self) -> None:
        begun: list[int] = []

        def counted() -> Iterator[int]:
            for i in range(50):
                begun.append(i)
                yield i

        items = ahead(counted(), depth=3)
        for taken in range(20):
            next(items)
            self.assertLessEqual(len(begun), taken + 1 + 3)
        items.close()  # type: ignore[attr-defined]
        self.assertLess(len(begun), 50)

    def test_a_fault_comes_after_what_was_made_before_it(self) -> None:
        def breaks() -> Iterator[int]:
            yield 1
            raise Problem("a", "b", "c")

        items = ahead(breaks())
        self.assertEqual(next(items), 1)
        with self.assertRaises(Problem):
            next(items)
        with self.assertRaises(StopIteration):
            next(items)


class Staged(unittest.TestCase):
    """A run in stages is the run in one."""

    def test_the_sound_is_the_same_on_one_core_as_on_four(self) -> None:
        self.addCleanup(use_cores, None)
        for name in ("four-winds", "ice-choir"):
            made = []
            for count in (1, 4):
                use_cores(count)
                made.append(render(check_patch(demos()[name])).samples)
            np.testing.assert_array_equal(made[0], made[1], name)

    def setUp(self) -> None:
        usual = engine.STAGED
        self.addCleanup(setattr, engine, "STAGED", usual)

    def test_the_numbers_are_the_same(self) -> None:
        for name in ("ferry-horn", "four-winds", "ice-crack"):
            patch = check_patch(demos()[name])
            engine.STAGED = 10**12
            alone = Run(patch).whole()
            engine.STAGED = 0
            np.testing.assert_array_equal(Run(patch).whole(), alone, name)

    def test_a_run_that_is_given_up_or_broken_says_so(self) -> None:
        engine.STAGED = 0
        looks = iter([False, False, True])
        with self.assertRaises(Cancelled):
            trace(check_patch(demos()["ferry-horn"]), cancelled=lambda: next(looks, True))
        growing = document(
            [
                {"id": "a", "kind": "mix", "inputs": [{"source": "b", "gain": 3.0, "offset": 1.0}]},
                {"id": "b", "kind": "shape", "input": "a", "gain": 2.0},
            ]
        )
        with self.assertRaisesRegex(Problem, "loop through a"):
            trace(check_patch(growing))


if __name__ == "__main__":
    unittest.main()
