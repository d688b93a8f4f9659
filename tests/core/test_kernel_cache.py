"""The cache of compiled kernels, written by several processes at once."""

import subprocess
import sys
import tempfile
import time
import unittest

from numba.core.caching import IndexDataCacheFile

from jorvik.core.dsp import kernels

WRITES = """
import sys, time
from numba.core.caching import IndexDataCacheFile
from jorvik.core.dsp import kernels
folder, who, begin = sys.argv[1], sys.argv[2], float(sys.argv[3])
kept = IndexDataCacheFile(folder, "kernel", "stamp")
time.sleep(max(0.0, begin - time.time()))
for number in range(60):
    kept.save((who, number), f"{who} {number}")
"""
"""Saves sixty kernels, beginning with the others."""


class Together(unittest.TestCase):
    def test_no_kernel_is_found_under_anothers_key(self) -> None:
        self.assertEqual(IndexDataCacheFile.save.__module__, kernels.__name__)
        with tempfile.TemporaryDirectory() as folder:
            begin = str(time.time() + 6.0)
            writers = [
                subprocess.Popen([sys.executable, "-c", WRITES, folder, who, begin]) for who in ("one", "two", "three")
            ]
            self.assertEqual([writer.wait() for writer in writers], [0, 0, 0])
            kept = IndexDataCacheFile(folder, "kernel", "stamp")  # type: ignore[no-untyped-call]
            for who in ("one", "two", "three"):
                for number in range(60):
                    found = kept.load((who, number))  # type: ignore[no-untyped-call]
                    self.assertEqual(found, f"{who} {number}")


if __name__ == "__main__":
    unittest.main()
