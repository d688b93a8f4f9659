"""Computing off the event loop: as many runs at once as there are cores, dropped when nobody waits for them."""

import asyncio
import os
import threading
from collections.abc import AsyncIterator, Callable
from typing import TypeVar

import anyio
import anyio.to_thread
from fastapi import Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

T = TypeVar("T")

CANCELLED_STATUS = 499
"""What the log shows for a request whose sender went away."""

_POLL_S = 0.05
_limiter: anyio.CapacityLimiter | None = None


def _cores() -> anyio.CapacityLimiter:
    global _limiter
    if _limiter is None:
        _limiter = anyio.CapacityLimiter(os.cpu_count() or 1)
    return _limiter


async def computed(request: Request, work: Callable[[Callable[[], bool]], T]) -> T:
    """Return what ``work`` makes in a thread. It is handed a function that tells when the sender has gone."""
    gone = threading.Event()

    async def watch() -> None:
        while not gone.is_set():
            await anyio.sleep(_POLL_S)
            if await request.is_disconnected():
                gone.set()

    watcher = asyncio.create_task(watch())
    try:
        return await anyio.to_thread.run_sync(work, gone.is_set, limiter=_cores())
    finally:
        watcher.cancel()


def told(work: Callable[[Callable[[], bool], Callable[[BaseModel], None]], None]) -> StreamingResponse:
    """Return what ``work`` tells while it is under way, a line of JSON each.

    It runs in a thread, and is handed a function that tells when the reader has gone, and one to tell something with.
    """
    gone = threading.Event()
    lines: asyncio.Queue[str | None] = asyncio.Queue()
    loop = asyncio.get_running_loop()

    def tell(said: BaseModel) -> None:
        loop.call_soon_threadsafe(lines.put_nowait, said.model_dump_json() + "\n")

    async def run() -> None:
        try:
            await anyio.to_thread.run_sync(work, gone.is_set, tell, limiter=_cores())
        finally:
            lines.put_nowait(None)

    async def each() -> AsyncIterator[str]:
        running = asyncio.create_task(run())
        try:
            while (line := await lines.get()) is not None:
                yield line
            await running
        finally:
            gone.set()

    return StreamingResponse(each(), media_type="application/x-ndjson")
