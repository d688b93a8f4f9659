"""A work over a bank under fire: worker, scheduler and command are killed; nothing is lost, nothing is done twice."""

import json
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from contextlib import ExitStack, suppress
from functools import partial
from pathlib import Path

from jorvik.bank.journal import JOURNAL
from tests.effort import only_long
from tests.support import PATIENCE_S, document, note, wait_until
from tests.trials.served import LONG, seed_of

KILLS = 10 if LONG else 1
PIECES = 60 if LONG else 12
PYTHON = sys.executable
ENDS_S = 4 * PATIENCE_S
"""Within which a whole work ends."""


def lines(out: Path) -> list[str]:
    """The pieces that the journal has, in whole lines."""
    path = out / JOURNAL
    data = path.read_bytes() if path.exists() else b""
    return [json.loads(line)["id"] for line in data.splitlines(keepends=True) if line.endswith(b"\n")]


def children(of: int) -> list[int]:
    """The processes that a process has begun, and theirs."""
    found: list[int] = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):
            text = stat.read_text()
            pid, parent = int(text.split()[0]), int(text.rpartition(")")[2].split()[1])
            if parent == of:
                found += [pid, *children(pid)]
    return found


def has_come(out: Path, pieces: int, running: subprocess.Popen[bytes]) -> bool:
    """Tell whether so many pieces are done, or there is nobody any more who would do them."""
    return len(lines(out)) >= pieces or running.poll() is not None


def end(process: subprocess.Popen[bytes]) -> None:
    """Kill a process, where it still is, and wait until it is gone."""
    process.kill()
    process.wait()


def are_gone(processes: list[int]) -> bool:
    """Tell whether none of some processes is left."""
    return not any(Path(f"/proc/{pid}/exe").exists() for pid in processes)


class Killed(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = ExitStack()
        self.addCleanup(self.stack.close)
        self.folder = Path(self.stack.enter_context(tempfile.TemporaryDirectory()))
        self.rng = random.Random(seed_of("bank"))
        bank = self.folder / "bank"
        bank.mkdir()
        for number in range(PIECES):
            made = document(
                name=f"P{number}", voice={"base": {"cutoff": 300.0 + number}}, performance=note(0.4, tail_s=0.1)
            )
            (bank / f"{number}.json").write_text(json.dumps(made))

    def begun(self, out: Path, *more: str) -> subprocess.Popen[bytes]:
        command = [PYTHON, "-m", "jorvik.cli", "bank", "render", str(self.folder / "bank"), "--out", str(out)]
        made = subprocess.Popen([*command, "--workers", "2", *more], stderr=subprocess.PIPE, start_new_session=True)
        self.addCleanup(self._end_all, made)
        return made

    def _end_all(self, of: subprocess.Popen[bytes]) -> None:
        for pid in (*children(of.pid), of.pid):
            self._end(pid)
        of.communicate()

    def _end(self, pid: int) -> None:
        with suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)

    def whole(self, out: Path, *more: str) -> None:
        """Run it to its end, and see that every piece was done once, whatever happened before."""
        before = lines(out)
        done = self.begun(out, *more)
        _, said = done.communicate(timeout=ENDS_S)
        self.assertEqual(done.returncode, 0, said.decode())
        rows = lines(out)
        self.assertEqual(rows[: len(before)], before, "what was there was written anew")
        self.assertEqual(len(rows), PIECES)
        self.assertEqual(len(set(rows)), PIECES, "a piece was done twice")
        self.assertEqual(len(list(out.glob("*.wav"))), PIECES)
        self.assertEqual(list(out.glob(".*.part")), [])

    def test_the_command(self) -> None:
        out = self.folder / "out"
        for _ in range(KILLS):
            running = self.begun(out)
            already = len(lines(out))
            some = self.rng.randint(1, 4)
            wait_until(partial(has_come, out, already + some, running), "it did nothing")
            workers = children(running.pid)
            self._end(running.pid)
            running.wait()
            # Its workers notice by themselves that there is nobody to work for.
            wait_until(partial(are_gone, workers), "a worker outlived its command")
        self.whole(out)

    @only_long
    def test_a_worker(self) -> None:
        for number in range(KILLS):
            out = self.folder / f"out-{number}"
            running = self.begun(out)
            some = self.rng.randint(1, 20)
            wait_until(partial(has_come, out, some, running), "it did nothing")
            with_python = [pid for pid in children(running.pid) if self._is_worker(pid)]
            self._end(self.rng.choice(with_python))
            _, said = running.communicate(timeout=ENDS_S)
            self.assertEqual(running.returncode, 0, said.decode())
            self.assertEqual(len(set(lines(out))), PIECES)
            self.assertEqual(len(lines(out)), PIECES)

    def _is_worker(self, pid: int) -> bool:
        """Tell whether a process is one that works: forked, with no child of its own."""
        with suppress(OSError):
            return "forkserver" in Path(f"/proc/{pid}/cmdline").read_text() and not children(pid)
        return False

    def test_ctrl_c_at_a_terminal(self) -> None:
        """A terminal sends it to the command and to its workers: what is done is there, in a table, and goes on."""
        out = self.folder / "out"
        running = self.begun(out)
        wait_until(partial(has_come, out, 4, running), "it did nothing")
        os.killpg(running.pid, signal.SIGINT)
        _, said = running.communicate(timeout=ENDS_S)
        self.assertEqual(running.returncode, 130, said.decode())
        self.assertNotIn("Traceback", said.decode())
        self.assertRegex(said.decode(), r"\d+ done, 0 failed, \d+ set aside")
        self.assertEqual(len((out / "results.csv").read_text().splitlines()), PIECES + 1)
        self.whole(out)

    @only_long
    def test_the_scheduler(self) -> None:
        out = self.folder / "out"
        for _ in range(KILLS):
            address, scheduler, worker = self._own_cluster()
            running = self.begun(out, "--scheduler", address, "--insecure", "--from-workers")
            already = len(lines(out))
            some = self.rng.randint(1, 4)
            wait_until(partial(has_come, out, already + some, running), "it did nothing")
            scheduler.kill()
            _, said = running.communicate(timeout=ENDS_S)
            if len(lines(out)) < PIECES:
                self.assertEqual(running.returncode, 130, said.decode())
                self.assertIn("the scheduler is gone", said.decode())
            worker.kill()
            worker.wait()
            scheduler.wait()
        address, scheduler, worker = self._own_cluster()
        self.whole(out, "--scheduler", address, "--insecure", "--from-workers")

    def _own_cluster(self) -> tuple[str, subprocess.Popen[bytes], subprocess.Popen[bytes]]:
        log = self.folder / f"scheduler-{time.monotonic_ns()}.log"
        options = ["--host", "127.0.0.1", "--port", "0", "--no-dashboard"]
        with log.open("wb") as said:
            command = [PYTHON, "-m", "distributed.cli.dask_scheduler", *options]
            scheduler = subprocess.Popen(command, stderr=said, stdout=subprocess.DEVNULL)
        self.addCleanup(end, scheduler)
        wait_until(lambda: re.search(r"tcp://127\.0\.0\.1:\d+", log.read_text()) is not None, "no scheduler came")
        found = re.search(r"tcp://127\.0\.0\.1:\d+", log.read_text())
        assert found is not None
        address = found[0]
        worker = subprocess.Popen(
            [PYTHON, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-dashboard"],
            stderr=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
        )
        self.addCleanup(end, worker)
        return address, scheduler, worker


if __name__ == "__main__":
    unittest.main()
