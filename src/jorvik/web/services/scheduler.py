"""Who works at what: kinds of work that never wait for each other, in processes of their own.

Answers to an edit (a sheet, a sound) are quick; those that are not wait among their like. Judgements, and jobs that are
kept in the store (:mod:`jorvik.web.routes.jobs`), have processes of theirs.

Newer work of one window replaces its older work of the same kind. The same work asked for twice at once is done once.
Work that nobody waits for any more is given up, and what stopped a process is not given to another.
"""

import asyncio
import hashlib
import os
import pickle
import threading
from collections.abc import AsyncIterator, Awaitable, Callable, Coroutine, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Annotated, Any, Final, Literal
from weakref import WeakValueDictionary

import anyio.to_thread
from cachetools import LRUCache
from fastapi import Depends, Request
from fastapi.responses import Response, StreamingResponse

from jorvik.core.engine.run import Cancelled, never
from jorvik.web.services.workers import Cancel, Tell, WorkerDied, WorkerPool, do_nothing

WorkKind = Literal["sheet", "sound", "heavy", "judgement", "jobs", "banks"]

_POOLS: Final[Mapping[WorkKind, tuple[int, int]]] = {
    "sheet": (1, 0),
    "sound": (1, 1),
    "judgement": (min(2, os.cpu_count() or 1), 19),
    "heavy": (1, 19),
    "jobs": (1, 19),
    # It waits for the command that does the work.
    "banks": (1, 19),
}
"""How many processes each kind of work has, and how far they give way to others."""

_AT_ONCE: Final[tuple[WorkKind, ...]] = ("sound", "judgement")

MAX_WAITING: Final = 64
"""Pieces of work that wait in one pool; one more is told to come back."""

MAX_DEADLY: Final = 256
"""Pieces of work that stopped a process and are not tried again."""

MAX_ANSWERS_BYTES: Final = 32_000_000
"""Size of the judgements that are kept.

A patch that is opened again, or an edit that is undone, is not judged again.
"""

WORK_HEADER: Final = "x-work"
"""How late a window asked for this, and what for, such as ``17 <window> sheet``.

Newer work with the same words replaces older work, in whichever order they come: each has a connection of its own.
"""

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


@dataclass(eq=False)
class _Place:
    """What a window has under way of a kind: how late it was asked for, and whether newer has come."""

    number: int
    replaced: asyncio.Event = field(default_factory=asyncio.Event)


class Scheduler:
    """Hands work to pools of processes. It belongs to one event loop."""

    def __init__(self) -> None:
        self._pools = {name: WorkerPool(size, nice) for name, (size, nice) in _POOLS.items()}
        self._limits = {name: anyio.CapacityLimiter(size) for name, (size, _) in _POOLS.items()}
        self._jobs: dict[str, _Job] = {}
        # An entry lasts as long as the request that waits for it.
        self._places: WeakValueDictionary[str, _Place] = WeakValueDictionary()
        self._deadly: LRUCache[str, None] = LRUCache(MAX_DEADLY)
        self._answers: LRUCache[str, bytes] = LRUCache(MAX_ANSWERS_BYTES, len)

    async def begin(self) -> None:
        """Start a process for each kind of work that somebody waits for."""
        await asyncio.gather(*(self.run_job(do_nothing, (), never, _tell_nobody, kind) for kind in _AT_ONCE))

    def stop(self) -> None:
        """Stop every process."""
        for pool in self._pools.values():
            pool.stop()

    def pids(self, kind: WorkKind) -> list[int]:
        """Return the numbers of the processes of a kind of work."""
        return self._pools[kind].pids

    async def make(self, request: Request, kind: WorkKind, task: Callable[..., Any], *arguments: Any) -> Any:
        """Return what a task makes, in a process for its kind of work; alike work under way is shared.

        Raises what the task raises; Cancelled where the asker has gone or has newer work of the kind; Busy.
        """
        place = self._take_place(request)
        return await self.answer((_gone(request), place.replaced.wait()), kind, task, *arguments)

    async def answer(
        self, given_up: Iterable[Coroutine[Any, Any, Any]], kind: WorkKind, task: Callable[..., Any], *arguments: Any
    ) -> Any:
        """Return what a task makes, in a process for its kind of work.

        The same work under way is shared, and judgements are kept.

        Parameters
        ----------
        given_up : iterable of coroutines
            The first that returns says that the answer is not wanted any more.
        kind : str
            The kind of work, which says the processes.
        task : callable
            A function of a module, which the process imports.
        *arguments
            Of the task.

        Raises
        ------
        Cancelled
            Where the answer is not wanted any more.
        Busy
            Where too much is waiting.
        Exception
            What the task raises.
        """
        name = _name(task, arguments)
        watchers = [asyncio.create_task(watch) for watch in given_up]
        try:
            if name in self._answers:
                return self._answers[name]
            job = self._jobs.get(name)
            if job is None:
                self._refuse(kind, name)
                job = self._jobs[name] = _Job()
                job.result = asyncio.create_task(self._run(name, job, kind, task, arguments))
            assert job.result is not None
            job.waiting += 1
            try:
                await asyncio.wait([job.result, *watchers], return_when=asyncio.FIRST_COMPLETED)
                if not job.result.done():
                    raise Cancelled
                answer = job.result.result()
            finally:
                job.waiting -= 1
                if job.waiting == 0 and not job.result.done():
                    self._give_up(name, job)
            if kind == "judgement" and isinstance(answer, bytes) and len(answer) <= MAX_ANSWERS_BYTES:
                self._answers[name] = answer
            return answer
        finally:
            for watcher in watchers:
                watcher.cancel()

    async def stream(
        self, request: Request, kind: WorkKind, task: Callable[..., Any], *arguments: Any, media_type: str
    ) -> StreamingResponse:
        """Return an answer that tells what a task tells, as it tells it; a reader who stops reading ends it.

        What the task refuses before it tells anything is raised.
        """
        name = _name(task, arguments)
        self._refuse(kind, name)
        job = _Job()
        told: asyncio.Queue[Any] = asyncio.Queue(_AHEAD)
        loop = asyncio.get_running_loop()
        place = self._take_place(request)

        def tell(value: Any) -> None:
            put = asyncio.run_coroutine_threadsafe(told.put(value), loop)
            try:
                put.result(_READER_S)
            except TimeoutError:
                put.cancel()
                job.gone.set()

        async def run() -> None:
            try:
                await self._in_pool(name, job, kind, task, arguments, tell)
            finally:
                if job.gone.is_set():
                    while not told.empty():
                        told.get_nowait()
                await told.put(None)

        async def stop_when_replaced() -> None:
            await place.replaced.wait()
            job.gone.set()

        running, watcher = asyncio.create_task(run()), asyncio.create_task(stop_when_replaced())
        running.add_done_callback(_ignore_outcome)
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

        return StreamingResponse(each(), media_type=media_type)

    async def run_job(
        self, task: Callable[..., Any], arguments: Any, cancelled: Cancel, tell: Tell, kind: WorkKind = "jobs"
    ) -> Any:
        """Return what a task makes, in the process for jobs, for which nobody waits at the other end of a line."""
        work = partial(self._pools[kind].run, task, arguments, cancelled, tell)
        return await anyio.to_thread.run_sync(work, limiter=self._limits[kind])

    def _refuse(self, kind: WorkKind, name: str) -> None:
        if name in self._deadly:
            raise WorkerDied(f"{name} has stopped a process already")
        if self._limits[kind].statistics().tasks_waiting >= MAX_WAITING:
            raise Busy

    async def _run(self, name: str, job: _Job, kind: WorkKind, task: Callable[..., Any], arguments: Any) -> Any:
        try:
            return await self._in_pool(name, job, kind, task, arguments, _tell_nobody)
        finally:
            if self._jobs.get(name) is job:
                del self._jobs[name]

    async def _in_pool(
        self,
        name: str,
        job: _Job,
        kind: WorkKind,
        task: Callable[..., Any],
        arguments: Any,
        tell: Callable[[Any], None],
    ) -> Any:
        work = partial(self._pools[kind].run, task, arguments, job.gone.is_set, tell)
        try:
            return await anyio.to_thread.run_sync(work, limiter=self._limits[kind])
        except WorkerDied:
            self._deadly[name] = None
            raise

    def _give_up(self, name: str, job: _Job) -> None:
        job.gone.set()
        # Whoever asks for the same from here on begins it anew.
        if self._jobs.get(name) is job:
            del self._jobs[name]
        assert job.result is not None
        job.result.add_done_callback(_ignore_outcome)

    def _take_place(self, request: Request) -> _Place:
        """Take the place of older work of the same window and kind, and let that know; newer work keeps its place."""
        number, _, words = request.headers.get(WORK_HEADER, "")[:140].partition(" ")
        place = _Place(int(number) if number.isdecimal() else 0)
        if words:
            other = self._places.get(words)
            if other and other.number > place.number:
                place.replaced.set()
            else:
                if other:
                    other.replaced.set()
                self._places[words] = place
        return place


def _tell_nobody(_: Any) -> None:
    """Take what a task tells, where nobody listens."""


def _ignore_outcome(done: "asyncio.Task[Any]") -> None:
    """Take the outcome of work that was given up, so that nothing complains that nobody did."""
    if not done.cancelled():
        done.exception()


def _name(task: Callable[..., Any], arguments: Any) -> str:
    return f"{task.__qualname__} {hashlib.sha256(pickle.dumps(arguments)).hexdigest()}"


async def _gone(request: Request) -> None:
    while not await request.is_disconnected():
        await anyio.sleep(_POLL_S)


async def _scheduler(request: Request) -> Scheduler:
    scheduler: Scheduler = request.app.state.scheduler
    return scheduler


TheScheduler = Annotated[Scheduler, Depends(_scheduler)]


async def as_json(work: Awaitable[bytes]) -> Response:
    """Return JSON that a worker has written already."""
    return Response(await work, media_type="application/json")
