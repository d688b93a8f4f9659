"""Work that is scheduled: replaced, shared, given up, refused where it stops its process; no kind waits for another."""

import asyncio
import os
import signal
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

from starlette.requests import Request

from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem
from jorvik.web.services.scheduler import MAX_WAITING, Busy, Scheduler, WorkKind
from jorvik.web.services.workers import TaskBroke, Worker, WorkerDied
from tests.support import PATIENCE_S

Cancel = Callable[[], bool]
Tell = Callable[[Any], None]


def until_cancelled(folder: str, cancelled: Cancel, _: Tell) -> str:
    """Say that it has begun, and go on until nobody waits."""
    Path(folder, f"begun-{os.getpid()}").touch()
    while not cancelled():
        pass
    Path(folder, "given up").touch()
    raise Cancelled


def until_told(folder: str, cancelled: Cancel, _: Tell) -> int:
    """Go on until a file says that it is enough; return the number of the process. Count how often it is begun."""
    with Path(folder, "begun").open("a") as begun:
        begun.write("x")
    while not Path(folder, "enough").exists() and not cancelled():
        pass
    return os.getpid()


def at_once(value: object, _: Cancel, __: Tell) -> object:
    return value


def counted(folder: str, _: Cancel, __: Tell) -> bytes:
    """Return how often it was run."""
    with Path(folder, "runs").open("a") as runs:
        runs.write("x")
    return str(len(Path(folder, "runs").read_text())).encode()


def killed(_: str, __: Cancel, ___: Tell) -> None:
    os.kill(os.getpid(), signal.SIGSEGV)


def wrong(_: Cancel, __: Tell) -> None:
    raise Problem("here", "this", "that")


def broken(_: Cancel, __: Tell) -> None:
    raise ZeroDivisionError


def counting(_: Cancel, tell: Tell) -> None:
    for i in range(3):
        tell(f"{i}\n")


KINDS: tuple[WorkKind, ...] = ("judgement", "jobs", "sound")


async def until(so: Callable[[], bool]) -> None:
    """Look again and again until something is so."""
    while not so():
        await asyncio.sleep(0.01)


class Asker:
    """What a request is to the scheduler: headers, and whether its sender is still there."""

    def __init__(self, work: str = "") -> None:
        self.left = False
        headers = [(b"x-work", work.encode())] if work else []

        async def receive() -> dict[str, object]:
            await until(lambda: self.left)
            return {"type": "http.disconnect"}

        self.request = Request({"type": "http", "headers": headers}, receive)


class Scheduling(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self) -> None:
        self.scheduler = Scheduler()
        self.addCleanup(self.scheduler.stop)
        self.folder = self.enterContext(tempfile.TemporaryDirectory())

    async def file(self, pattern: str) -> None:
        """Wait until a task has left a file."""
        async with asyncio.timeout(PATIENCE_S):
            await until(lambda: bool(list(Path(self.folder).glob(pattern))))

    async def test_newer_work_of_a_window_replaces_its_older_of_that_kind(self) -> None:
        old = asyncio.create_task(
            self.scheduler.make(Asker("1 w1 sheet").request, "sheet", until_cancelled, self.folder)
        )
        await self.file("begun-*")
        made = await self.scheduler.make(Asker("2 w1 sheet").request, "sheet", at_once, 7)
        self.assertEqual(made, 7)
        with self.assertRaises(Cancelled):
            await old
        await self.file("given up")

    async def test_older_work_that_comes_late_gives_way_to_newer(self) -> None:
        new = asyncio.create_task(
            self.scheduler.make(Asker("10 w1 sheet").request, "judgement", until_told, self.folder)
        )
        await self.file("begun")
        with self.assertRaises(Cancelled):
            await self.scheduler.make(Asker("9 w1 sheet").request, "sheet", until_cancelled, self.folder)
        self.assertFalse(new.done())
        Path(self.folder, "enough").touch()
        self.assertGreater(await new, 0)

    async def test_other_kinds_and_other_windows_are_left_alone(self) -> None:
        first = asyncio.create_task(
            self.scheduler.make(Asker("1 w1 sheet").request, "judgement", until_told, self.folder)
        )
        await self.file("begun")
        for words in ("2 w1 ghost", "2 w2 sheet", "2", "²", ""):
            self.assertEqual(await self.scheduler.make(Asker(words).request, "sheet", at_once, words), words)
        self.assertFalse(first.done())
        Path(self.folder, "enough").touch()
        self.assertGreater(await first, 0)

    async def test_a_judgement_is_kept_and_other_work_is_done_again(self) -> None:
        async def twice(kind: WorkKind, folder: str) -> list[bytes]:
            Path(folder).mkdir()
            return [await self.scheduler.make(Asker().request, kind, counted, folder) for _ in range(2)]

        self.assertEqual(await twice("judgement", f"{self.folder}/judged"), [b"1", b"1"])
        self.assertEqual(await twice("sheet", f"{self.folder}/drawn"), [b"1", b"2"])

    async def test_the_same_work_asked_for_twice_is_done_once(self) -> None:
        askers = [Asker(), Asker(), Asker()]
        asked = [
            asyncio.create_task(self.scheduler.make(a.request, "judgement", until_told, self.folder)) for a in askers
        ]
        await self.file("begun")
        askers[0].left = True
        with self.assertRaises(Cancelled):
            await asked[0]
        Path(self.folder, "enough").touch()
        self.assertEqual(await asked[1], await asked[2])
        self.assertEqual(Path(self.folder, "begun").read_text(), "x")

    async def test_what_nobody_waits_for_is_given_up(self) -> None:
        asker = Asker()
        asked = asyncio.create_task(self.scheduler.make(asker.request, "sheet", until_cancelled, self.folder))
        await self.file("begun-*")
        asker.left = True
        with self.assertRaises(Cancelled):
            await asked
        await self.file("given up")
        self.assertEqual(await self.scheduler.make(Asker().request, "sheet", at_once, 1), 1)

    async def test_no_kind_of_work_waits_for_another(self) -> None:
        folders = [self.enterContext(tempfile.TemporaryDirectory()) for _ in range(6)]
        busy = [
            asyncio.create_task(self.scheduler.make(Asker().request, kind, until_told, folder))
            for folder, kind in zip(folders, KINDS * 2, strict=True)
        ]
        async with asyncio.timeout(PATIENCE_S):
            self.assertEqual(await self.scheduler.make(Asker().request, "sheet", at_once, 5), 5)
        self.assertFalse(any(task.done() for task in busy))
        for folder in folders:
            Path(folder, "enough").touch()
        await asyncio.gather(*busy)

    async def test_what_stopped_its_process_is_not_tried_again_and_other_work_goes_on(self) -> None:
        with self.assertRaises(WorkerDied):
            await self.scheduler.make(Asker().request, "sheet", killed, "patch")
        self.assertEqual(await self.scheduler.make(Asker().request, "sheet", at_once, 3), 3)
        before = self.scheduler.pids("sheet")
        with self.assertRaisesRegex(WorkerDied, "already"):
            await self.scheduler.make(Asker().request, "sheet", killed, "patch")
        self.assertEqual(self.scheduler.pids("sheet"), before)
        with self.assertRaises(WorkerDied):
            await self.scheduler.make(Asker().request, "sheet", killed, "another patch")

    async def test_what_a_task_raises_comes_out(self) -> None:
        with self.assertRaisesRegex(Problem, "here: found this; it must be that"):
            await self.scheduler.make(Asker().request, "sheet", wrong)
        with self.assertRaisesRegex(TaskBroke, "ZeroDivisionError"):
            await self.scheduler.make(Asker().request, "sheet", broken)

    async def test_more_than_may_wait_are_told_so(self) -> None:
        folders = [self.enterContext(tempfile.TemporaryDirectory()) for _ in range(MAX_WAITING + 1)]
        tasks = [
            asyncio.create_task(self.scheduler.make(Asker().request, "jobs", until_cancelled, folder))
            for folder in folders
        ]
        async with asyncio.timeout(PATIENCE_S):
            await until(lambda: self.scheduler._limits["jobs"].statistics().tasks_waiting >= MAX_WAITING)
        with self.assertRaises(Busy):
            await self.scheduler.make(Asker().request, "jobs", at_once, 1)
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    async def test_a_stream_tells_and_ends(self) -> None:
        answer = await self.scheduler.stream(Asker().request, "judgement", counting, media_type="text/plain")
        self.assertEqual([part async for part in answer.body_iterator], ["0\n", "1\n", "2\n"])
        with self.assertRaises(Problem):
            await self.scheduler.stream(Asker().request, "judgement", wrong, media_type="text/plain")


class Alone(unittest.TestCase):
    def test_a_worker_is_itself_again_after_it_died(self) -> None:
        worker = Worker(0)
        self.addCleanup(worker.stop)
        first = worker.run(at_once, (1,), lambda: False, print), worker.pid
        with self.assertRaises(WorkerDied):
            worker.run(killed, ("x",), lambda: False, print)
        second = worker.run(at_once, (2,), lambda: False, print), worker.pid
        self.assertEqual((first[0], second[0]), (1, 2))
        self.assertNotEqual(first[1], second[1])

    def test_an_answer_to_one_who_gave_up_listening_is_not_the_next_ones(self) -> None:
        worker = Worker(0)
        self.addCleanup(worker.stop)

        def deaf(_: object) -> None:
            raise OverflowError("no more of it")

        with self.assertRaises(OverflowError):
            worker.run(counting, (), lambda: False, deaf)
        self.assertEqual(worker.run(at_once, ("mine",), lambda: False, print), "mine")


if __name__ == "__main__":
    unittest.main()
