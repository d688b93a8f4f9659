"""The connection between a page that plays and the process that makes the sound."""

import asyncio
import json
import threading
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any, Final

from fastapi import APIRouter, WebSocket
from starlette.websockets import WebSocketDisconnect

from jorvik.web.forking import forked
from jorvik.web.guard import MAX_BODY_BYTES
from jorvik.web.live_process import URGENT, give_way, serve

router = APIRouter()

TAKEN: Final = 4001
"""The close code by which a page is told that another one plays."""

LOST: Final = 4002
"""The close code by which a page is told that the process that played has ended."""


LEAVES_S: Final = 0.5
"""So long one who wants to play waits for another who is leaving: a page that stops and begins again."""


class Stage:
    """Who plays: one page at a time."""

    def __init__(self) -> None:
        self._process: Any = None

    def enter(self) -> Connection | None:
        """Return the way to a process that plays; None where another page has it."""
        if self._process is not None and self._process.is_alive():
            return None
        context = forked()
        ours, theirs = context.Pipe()
        self._process = context.Process(target=serve, args=(theirs,), daemon=True)
        self._process.start()
        theirs.close()
        connection: Connection = ours
        return connection

    def leave(self) -> None:
        """Stop playing, whatever it is at."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.join(timeout=1)

    @property
    def pid(self) -> int | None:
        """The number of the process that plays, where one does."""
        return self._process.pid if self._process is not None else None


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """Play what a page is told by a hand: JSON in, JSON and blocks of sound out."""
    stage: Stage = socket.app.state.stage
    await socket.accept()
    pipe = await _entered(stage)
    if pipe is None:
        await socket.send_json({"refused": "Another page is playing; close it, or stop playing there."})
        await socket.close(TAKEN)
        return
    # Whoever passes on what is heard comes before whoever computes.
    nice = give_way(URGENT)
    told: asyncio.Queue[Any] = asyncio.Queue()
    threading.Thread(target=_listen, args=(pipe, asyncio.get_running_loop(), told), daemon=True).start()
    hearing, sending = asyncio.create_task(_hear(socket, pipe)), asyncio.create_task(_send(socket, told))
    try:
        await asyncio.wait([hearing, sending], return_when=asyncio.FIRST_COMPLETED)
    finally:
        # First, and without waiting for anything that may be given up: whoever is gone must not be played for.
        stage.leave()
        give_way(nice)
        for task in (hearing, sending):
            task.cancel()
            with suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError, OSError):
                await task
        pipe.close()


async def _entered(stage: Stage) -> Connection | None:
    """Return the way to a process that plays; one that is just leaving is waited for."""
    until = asyncio.get_running_loop().time() + LEAVES_S
    while (pipe := await asyncio.to_thread(stage.enter)) is None and asyncio.get_running_loop().time() < until:
        await asyncio.sleep(0.05)
    return pipe


def _listen(pipe: Connection, loop: asyncio.AbstractEventLoop, told: "asyncio.Queue[Any]") -> None:
    """Hand on what the process says, until it ends."""
    with suppress(RuntimeError):
        try:
            while True:
                loop.call_soon_threadsafe(told.put_nowait, pipe.recv())
        except (EOFError, OSError, TypeError):
            loop.call_soon_threadsafe(told.put_nowait, None)


async def _send(socket: WebSocket, told: "asyncio.Queue[Any]") -> None:
    while (said := await told.get()) is not None:
        await (socket.send_bytes(said) if isinstance(said, bytes) else socket.send_json(said))
    await socket.send_json({"refused": "What was playing has stopped; it can be started again."})
    await socket.close(LOST)


async def _hear(socket: WebSocket, pipe: Connection) -> None:
    with suppress(WebSocketDisconnect):
        while True:
            text = await socket.receive_text()
            try:
                message = json.loads(text) if len(text) <= MAX_BODY_BYTES else None
            except (ValueError, RecursionError):
                message = None
            if not isinstance(message, dict):
                await socket.send_json({"refused": "A message: found something else; it must be a JSON object."})
                continue
            # A process that has just ended is told of by the one who listens to it.
            with suppress(OSError):
                pipe.send(message)
