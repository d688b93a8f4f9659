"""Computing off the event loop: as many runs at once as there are cores, dropped when nobody waits for them."""

import asyncio
import os
import threading
from collections.abc import Callable
from typing import TypeVar

import anyio
import anyio.to_thread
from fastapi import Request

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
