"""Who works at what: three kinds of work that never wait for each other, in processes of their own.

Newer work of one window replaces its older work of the same kind. The same work asked for twice at once is done once.
Work that nobody waits for any more is given up, and what stopped a process is not given to another.
"""

import asyncio
import hashlib
import os
import pickle
import threading
from collections import OrderedDict
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Annotated, Any, Final, Literal

import anyio.to_thread
from fastapi import Depends, Request
from fastapi.responses import Response, StreamingResponse

from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem
from jorvik.web.workers import Lane, WorkerDied

LaneName = Literal["sheet", "sound", "judgement", "jobs"]

_LANES: Final[Mapping[LaneName, tuple[int, int]]] = {
    "sheet": (1, 0),
    "sound": (1, 1),
    "judgement": (min(2, os.cpu_count() or 1), 19),
    "jobs": (1, 19),
}
"""How many processes each kind of work has, and how far they give way to others."""

_AT_ONCE: Final[tuple[LaneName, ...]] = ("sheet", "sound", "judgement")

MAX_WAITING: Final = 64
"""Pieces of work that wait in one lane; one more is told to come back."""

MAX_KILLERS: Final = 256
"""Pieces of work that stopped a process and are not tried again."""

WORK_HEADER: Final = "x-work"
"""What a window's work is for, such as ``<window> sheet``: newer work with the same words replaces it."""

_POLL_S: Final = 0.05
_READER_S: Final = 30.0
"""A stream whose reader has taken nothing for so long is given up."""
_AHEAD: Final = 8


class Busy(Exception):
    """So much is waiting already that there is no sense in waiting too."""


@dataclass(eq=False)
class _Job:
    """A piece of work under way, and how many wait for it."""

    gone: threading.Event = field(default_factory=threading.Event)
    waiting: int = 0
    result: "asyncio.Task[Any] | None" = None


class Desk:
    """Hands work to lanes. It belongs to one event loop."""

    def __init__(self) -> None:
        self._lanes = {name: Lane(size, nice) for name, (size, nice) in _LANES.items()}
        self._limits = {name: anyio.CapacityLimiter(size) for name, (size, _) in _LANES.items()}
        self._jobs: dict[str, _Job] = {}
        self._slots: dict[str, asyncio.Event] = {}
        self._killers: OrderedDict[str, None] = OrderedDict()

    def begin(self) -> None:
        """Have a process ready for each kind of work that somebody waits for."""
        for name in _AT_ONCE:
            self._lanes[name].begin()

    def stop(self) -> None:
        """Stop every process."""
        for lane in self._lanes.values():
            lane.stop()

    def pids(self, lane: LaneName) -> list[int]:
        """Return the numbers of a lane's processes."""
        return self._lanes[lane].pids

    async def make(self, request: Request, lane: LaneName, task: Callable[..., Any], *arguments: Any) -> Any:
        """Return what a task makes, in a process of a lane; alike work under way is shared.

        Raises what the task raises; Cancelled where the asker has gone or has newer work of the kind; Busy.
        """
        name = _name(task, arguments)
        job = self._jobs.get(name)
        if job is None:
            self._refuse(lane, name)
            job = self._jobs[name] = _Job()
            job.result = asyncio.create_task(self._run(name, job, lane, task, arguments))
        assert job.result is not None
        replaced = self._take_slot(request)
        job.waiting += 1
        watchers = [asyncio.create_task(watch) for watch in (_gone(request), replaced.wait())]
        try:
            await asyncio.wait([job.result, *watchers], return_when=asyncio.FIRST_COMPLETED)
            if job.result.done():
                return job.result.result()
            raise Cancelled
        finally:
            job.waiting -= 1
            if job.waiting == 0 and not job.result.done():
                self._give_up(name, job)
            for watcher in watchers:
                watcher.cancel()

    async def stream(
        self, request: Request, lane: LaneName, task: Callable[..., Any], *arguments: Any, kind: str
    ) -> StreamingResponse:
        """Return an answer of a kind that tells what a task tells, as it tells it. A reader who stops reading ends it.

        What the task refuses before it tells anything is raised.
        """
        name = _name(task, arguments)
        self._refuse(lane, name)
        job = _Job()
        told: asyncio.Queue[Any] = asyncio.Queue(_AHEAD)
        loop = asyncio.get_running_loop()
        replaced = self._take_slot(request)

        def tell(value: Any) -> None:
            put = asyncio.run_coroutine_threadsafe(told.put(value), loop)
            try:
                put.result(_READER_S)
            except TimeoutError:
                put.cancel()
                job.gone.set()

        async def run() -> None:
            try:
                await self._in_lane(name, job, lane, task, arguments, tell)
            finally:
                if job.gone.is_set():
                    while not told.empty():
                        told.get_nowait()
                await told.put(None)

        async def stop_when_replaced() -> None:
            await replaced.wait()
            job.gone.set()

        running, watcher = asyncio.create_task(run()), asyncio.create_task(stop_when_replaced())
        running.add_done_callback(_look_at)
        first = await told.get()
        if first is None:
            watcher.cancel()
            await running

        async def each() -> AsyncIterator[str]:
            try:
                value = first
                while value is not None:
                    yield value
                    value = await told.get()
                with suppress(Cancelled):
                    await running
            finally:
                watcher.cancel()
                job.gone.set()
                while not told.empty():
                    told.get_nowait()

        return StreamingResponse(each(), media_type=kind)

    def _refuse(self, lane: LaneName, name: str) -> None:
        if name in self._killers:
            raise Problem(
                "this patch",
                "something that stopped the process which worked at it",
                "changed before it is tried again",
            )
        if self._limits[lane].statistics().tasks_waiting >= MAX_WAITING:
            raise Busy

    async def _run(self, name: str, job: _Job, lane: LaneName, task: Callable[..., Any], arguments: Any) -> Any:
        try:
            return await self._in_lane(name, job, lane, task, arguments, _tell_nobody)
        finally:
            if self._jobs.get(name) is job:
                del self._jobs[name]

    async def _in_lane(
        self,
        name: str,
        job: _Job,
        lane: LaneName,
        task: Callable[..., Any],
        arguments: Any,
        tell: Callable[[Any], None],
    ) -> Any:
        work = partial(self._lanes[lane].run, task, arguments, job.gone.is_set, tell)
        try:
            return await anyio.to_thread.run_sync(work, limiter=self._limits[lane])
        except WorkerDied:
            self._killers[name] = None
            while len(self._killers) > MAX_KILLERS:
                self._killers.popitem(last=False)
            raise

    def _give_up(self, name: str, job: _Job) -> None:
        job.gone.set()
        # Whoever asks for the same from here on begins it anew.
        if self._jobs.get(name) is job:
            del self._jobs[name]
        assert job.result is not None
        job.result.add_done_callback(_look_at)

    def _take_slot(self, request: Request) -> asyncio.Event:
        """Return what is set when newer work of the same window and kind comes, and let older work know of this."""
        replaced = asyncio.Event()
        if slot := request.headers.get(WORK_HEADER, "")[:120]:
            if older := self._slots.pop(slot, None):
                older.set()
            self._slots[slot] = replaced
            while len(self._slots) > MAX_KILLERS:
                del self._slots[next(iter(self._slots))]
        return replaced


def _tell_nobody(_: Any) -> None:
    """Take what a task tells, where nobody listens."""


def _look_at(done: "asyncio.Task[Any]") -> None:
    """Take the outcome of work that was given up, so that nothing complains that nobody did."""
    if not done.cancelled():
        done.exception()


def _name(task: Callable[..., Any], arguments: Any) -> str:
    return f"{task.__qualname__} {hashlib.sha256(pickle.dumps(arguments)).hexdigest()}"


async def _gone(request: Request) -> None:
    while not await request.is_disconnected():
        await anyio.sleep(_POLL_S)


async def _desk(request: Request) -> Desk:
    desk: Desk = request.app.state.desk
    return desk


AtDesk = Annotated[Desk, Depends(_desk)]


async def as_json(work: Awaitable[bytes]) -> Response:
    """Return JSON that a worker has written already."""
    return Response(await work, media_type="application/json")
