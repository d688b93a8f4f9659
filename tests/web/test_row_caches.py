"""RowCaches that outlive a request."""

import unittest
from contextlib import ExitStack

from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Run
from jorvik.core.limits import MAX_ROW_CACHES_BYTES
from jorvik.web.services.row_caches import RowCaches
from tests.support import note, patch


def run(length_s: float) -> Run:
    return Run(patch(performance=note(length_s, 0.0)))


class Lent(unittest.TestCase):
    def used(self, caches: RowCaches, of: Run) -> RowCache:
        """Return the cache that was acquired for a run, the run made in it."""
        with caches.acquired(of) as cache:
            assert cache is not None
            of.whole(cache=cache)
        return cache

    def test_the_cache_of_the_last_run_of_that_size_is_acquired_again(self) -> None:
        caches = RowCaches()
        short, long = self.used(caches, run(0.1)), self.used(caches, run(0.2))
        self.assertIsNot(short, long)
        self.assertIs(self.used(caches, run(0.1)), short)
        self.assertIs(self.used(caches, run(0.2)), long)

    def test_a_cache_is_acquired_to_one_at_a_time(self) -> None:
        caches, of = RowCaches(), run(0.1)
        self.used(caches, of)
        with caches.acquired(of) as one, caches.acquired(of) as other:
            self.assertIsNot(one, other)

    def test_what_fails_in_a_cache_gives_it_back(self) -> None:
        caches, of = RowCaches(), run(0.1)
        cache = self.used(caches, of)
        with self.assertRaises(ZeroDivisionError), caches.acquired(of):
            raise ZeroDivisionError
        self.assertIs(self.used(caches, of), cache)

    def test_no_more_are_kept_than_there_is_memory_for_the_oldest_go(self) -> None:
        caches = RowCaches()
        runs = [run(4.0 + 0.05 * i) for i in range(20)]
        made = [self.used(caches, of) for of in runs]
        self.assertGreater(sum(cache.nbytes for cache in made), MAX_ROW_CACHES_BYTES)
        with ExitStack() as stack:
            kept = [stack.enter_context(caches.acquired(of)) is cache for of, cache in zip(runs, made, strict=True)]
        self.assertLessEqual(
            sum(cache.nbytes for cache, is_kept in zip(made, kept, strict=True) if is_kept), MAX_ROW_CACHES_BYTES
        )
        self.assertEqual(kept, sorted(kept), "an older one stayed and a newer one went")
        self.assertGreater(sum(kept), 2)

    def test_a_run_too_long_to_be_kept_gets_none(self) -> None:
        for of, too_long in ((run(0.1), False), (run(59.0), True)):
            with self.subTest(seconds=of.length / of.rate), RowCaches().acquired(of) as cache:
                self.assertEqual(cache is None, too_long)


if __name__ == "__main__":
    unittest.main()
