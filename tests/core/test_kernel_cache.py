"""The cache of compiled kernels, written by several processes at once."""

import multiprocessing
import tempfile
import unittest
from multiprocessing.synchronize import Barrier

from numba.core.caching import IndexDataCacheFile

from jorvik.core.dsp import kernels

WRITERS = ("one", "two", "three")
COUNT = 60


def cache_in(folder: str) -> IndexDataCacheFile:
    return IndexDataCacheFile(folder, "kernel", "stamp")  # type: ignore[no-untyped-call]


def write(folder: str, who: str, together: Barrier) -> None:
    """Save so many kernels, beginning with the others."""
    kept = cache_in(folder)
    together.wait()
    for number in range(COUNT):
        kept.save((who, number), f"{who} {number}")  # type: ignore[no-untyped-call]


class Together(unittest.TestCase):
    def test_no_kernel_is_found_under_anothers_key(self) -> None:
        self.assertEqual(IndexDataCacheFile.save.__module__, kernels.__name__)
        context = multiprocessing.get_context("spawn")
        together = context.Barrier(len(WRITERS))
        with tempfile.TemporaryDirectory() as folder:
            writing = [context.Process(target=write, args=(folder, who, together)) for who in WRITERS]
            for process in writing:
                process.start()
            for process in writing:
                process.join()
            self.assertEqual([process.exitcode for process in writing], [0, 0, 0])
            kept = cache_in(folder)
            for who in WRITERS:
                for number in range(COUNT):
                    found = kept.load((who, number))  # type: ignore[no-untyped-call]
                    self.assertEqual(found, f"{who} {number}")


if __name__ == "__main__":
    unittest.main()
