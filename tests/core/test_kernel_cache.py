"""The cache of compiled kernels, written by several processes at once."""

import multiprocessing
import os
import subprocess
import sys
import tempfile
import unittest
from multiprocessing.synchronize import Barrier
from pathlib import Path
from unittest import mock

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


KERNELS = """
import sys
from jorvik.core.dsp.kernels import kernel

@kernel
def doubled(x):
    return 2.0 * x

@kernel
def halved(x):
    return doubled(x) / 4.0

print(doubled(3.0), halved(3.0), len(doubled.stats.cache_hits), len(halved.stats.cache_hits))
"""


class Whole(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (self.folder / "some_kernels.py").write_text(KERNELS)

    def start(self) -> subprocess.Popen[str]:
        """Begin a process that calls two kernels, the second of which calls the first."""
        return subprocess.Popen(
            [sys.executable, self.folder / "some_kernels.py"],
            env={**os.environ, "JORVIK_CACHE": str(self.folder)},
            stdout=subprocess.PIPE,
            text=True,
        )

    def said(self, process: subprocess.Popen[str]) -> str:
        out, _ = process.communicate()
        self.assertEqual(process.returncode, 0)
        return out.strip()

    def files(self, function: str) -> list[Path]:
        return sorted(self.folder.rglob(f"*{function}*.nbc"))

    def test_processes_that_begin_together_compile_each_kernel_once(self) -> None:
        said = [self.said(process) for process in [self.start() for _ in range(3)]]
        self.assertEqual({text[:7] for text in said}, {"6.0 1.5"})
        self.assertEqual([len(self.files("doubled")), len(self.files("halved"))], [1, 1])
        self.assertEqual(self.said(self.start()), "6.0 1.5 1 1")

    def test_a_kernel_that_is_another_ones_or_broken_is_compiled_again(self) -> None:
        self.said(self.start())
        whole = self.files("doubled")[0].read_bytes()
        for wrong in (self.files("halved")[0].read_bytes(), whole[: len(whole) // 2], b""):
            with self.subTest(size=len(wrong)):
                self.files("doubled")[0].write_bytes(wrong)
                self.assertEqual(self.said(self.start())[:9], "6.0 1.5 0")
                for file in self.files("doubled"):
                    if file.read_bytes() == wrong:
                        file.unlink()
                self.assertEqual(self.said(self.start()), "6.0 1.5 1 1")

    def test_a_process_that_ends_while_it_writes_leaves_the_others_kernels(self) -> None:
        kept = cache_in(str(self.folder))
        kept.save("first", "of the first")  # type: ignore[no-untyped-call]
        with (
            mock.patch.object(kept, "_save_index", side_effect=KeyboardInterrupt),
            self.assertRaises(KeyboardInterrupt),
        ):
            kept.save("second", "of the second")  # type: ignore[no-untyped-call]
        with mock.patch.object(kept, "_save_data", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            kept.save("third", "of the third")  # type: ignore[no-untyped-call]
        found = [cache_in(str(self.folder)).load(key) for key in ("first", "second", "third")]  # type: ignore[no-untyped-call]
        self.assertEqual(found, ["of the first", None, None])


if __name__ == "__main__":
    unittest.main()
