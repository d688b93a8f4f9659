"""The connection of a page that plays live to the process that makes sound."""

import asyncio
import json
import threading
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any, Final

from fastapi import APIRouter, WebSocket
from starlette.websockets import WebSocketDisconnect

from jorvik.web.guard import MAX_BODY_BYTES
from jorvik.web.services.live_process import URGENT, give_way
from jorvik.web.services.live_slot import LiveSlot, Seat

router = APIRouter()

TAKEN: Final = 4001
"""The close code by which a page is told that another one plays."""

LOST: Final = 4002
"""The close code by which a page is told that the process that played has ended."""


LEAVES_S: Final = 0.5
"""So long one who wants to play waits for another who is leaving: a page that stops and begins again."""


MOST_WAITING: Final = 512
"""Greatest number of messages that wait for a page: some seconds of sound."""


@router.websocket("/live")
async def live(socket: WebSocket) -> None:
    """Play what a page is told by a hand: JSON in, JSON and blocks of sound out."""
    stage: LiveSlot = socket.app.state.stage
    await socket.accept()
    seat = await _entered(stage)
    if seat is None:
        await socket.send_json({"refused": "Another page is playing; close it, or stop playing there."})
        await socket.close(TAKEN)
        return
    # Whoever passes on what is heard comes before whoever computes.
    nice = give_way(URGENT)
    waiting = Waiting()
    threading.Thread(target=_listen, args=(seat.pipe, asyncio.get_running_loop(), waiting), daemon=True).start()
    tasks = [
        asyncio.create_task(_hear(socket, seat.pipe)),
        asyncio.create_task(_send(socket, waiting)),
        asyncio.create_task(waiting.overflowed.wait()),
    ]
    try:
        await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
    finally:
        # First, and without waiting for anything that may be given up: whoever is gone must not be played for.
        stage.leave(seat)
        give_way(nice)
        for task in tasks:
            task.cancel()
            with suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError, OSError):
                await task


class Waiting:
    """Messages of the process that wait for the page, up to a limit."""

    def __init__(self) -> None:
        self.queue: asyncio.Queue[Any] = asyncio.Queue()
        self.overflowed = asyncio.Event()
        """Set once the limit is reached; the connection ends then."""

    def put(self, said: Any) -> None:
        """Add a message, or None for the end of the process."""
        if self.queue.qsize() < MOST_WAITING:
            self.queue.put_nowait(said)
        else:
            self.overflowed.set()


async def _entered(stage: LiveSlot) -> Seat | None:
    """Return a seat, after a short wait for a page that is leaving."""
    loop = asyncio.get_running_loop()
    until = loop.time() + LEAVES_S
    while True:
        entering = loop.run_in_executor(None, stage.enter)
        try:
            seat = await asyncio.shield(entering)
        except asyncio.CancelledError:
            # The page went while its process was started: nobody else would end that.
            entering.add_done_callback(lambda done: stage.leave(done.result()) if done.result() else None)
            raise
        if seat is not None or loop.time() >= until:
            return seat
        await asyncio.sleep(0.05)


def _listen(pipe: Connection, loop: asyncio.AbstractEventLoop, waiting: Waiting) -> None:
    """Hand on what the process says, until it ends."""
    with suppress(RuntimeError):
        try:
            while True:
                loop.call_soon_threadsafe(waiting.put, pipe.recv())
        except (EOFError, OSError, TypeError):
            loop.call_soon_threadsafe(waiting.put, None)


async def _send(socket: WebSocket, waiting: Waiting) -> None:
    while (said := await waiting.queue.get()) is not None:
        # As escapes, half a letter that is quoted from the page goes back to it.
        await (socket.send_bytes(said) if isinstance(said, bytes) else socket.send_text(json.dumps(said)))
    await socket.send_json({"refused": "What was playing has stopped; it can be started again."})
    await socket.close(LOST)


async def _hear(socket: WebSocket, pipe: Connection) -> None:
    with suppress(WebSocketDisconnect):
        while True:
            received = await socket.receive()
            if received["type"] == "websocket.disconnect":
                return
            message = _message(received.get("text"))
            if message is None:
                await socket.send_json({"refused": "A message: found something else; it must be a JSON object."})
                continue
            # A process that has just ended is told of by the one who listens to it. The pipe may be full: whoever
            # sends more than the process takes waits here, and not the loop that everybody shares.
            with suppress(OSError, ValueError):
                await asyncio.to_thread(pipe.send, message)


def _message(text: str | None) -> dict[str, Any] | None:
    """Return the object in a text of JSON, or None."""
    if text is None or len(text) > MAX_BODY_BYTES:
        return None
    try:
        message = json.loads(text)
    except (ValueError, RecursionError):
        return None
    return message if isinstance(message, dict) else None
