"""The connection of a window to its session."""

import asyncio
from contextlib import suppress

import anyio.to_thread
from fastapi import APIRouter, WebSocket
from pydantic import ValidationError
from starlette.websockets import WebSocketDisconnect

from jorvik.core.problems import Problem, from_validation
from jorvik.web.forms.session import FROM_WINDOW, FailedMessage, FromWindow
from jorvik.web.guard import MAX_BODY_BYTES
from jorvik.web.services.sessions import Send, Session, Sessions, TooMany

router = APIRouter()

FULL = 4003
"""The close code by which a window is told that no more windows can be open."""

_SMALL = 10_000
"""Characters of a message that is parsed on the event loop."""

_READER_S = 30.0
"""A window that has taken nothing for so long is not sent any more."""


@router.websocket("/session")
async def session(socket: WebSocket) -> None:
    """Open a session for as long as the connection stands."""
    await socket.accept()
    sending = asyncio.Lock()

    async def send(message: str | bytes) -> None:
        async with sending:
            sent = socket.send_bytes(message) if isinstance(message, bytes) else socket.send_text(message)
            # A window that has gone is noticed where its messages are read.
            with suppress(WebSocketDisconnect, RuntimeError, OSError):
                await asyncio.wait_for(sent, _READER_S)

    sessions: Sessions = socket.app.state.sessions
    try:
        opened = sessions.open(send)
    except TooMany as error:
        await send(_failed(str(error)))
        await socket.close(FULL)
        return
    tasks = [asyncio.create_task(opened.run()), asyncio.create_task(_read(socket, opened, send))]
    try:
        done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
    finally:
        for task in tasks:
            task.cancel()
        await opened.close()
        await asyncio.wait(tasks)
    for task in done:
        task.result()


async def _read(socket: WebSocket, opened: Session, send: Send) -> None:
    """Hand on the messages of the window, until it goes."""
    while True:
        received = await socket.receive()
        if received["type"] == "websocket.disconnect":
            return
        try:
            opened.take(await _message(received.get("text")))
        except (Problem, TooMany) as error:
            await send(_failed(str(error)))


async def _message(text: str | None) -> FromWindow:
    """Return the message in a text. Raises Problem."""
    if text is None:
        raise Problem("the message", "bytes", "JSON in a text message")
    if len(text) > MAX_BODY_BYTES:
        raise Problem("the message", f"{len(text)} characters", f"{MAX_BODY_BYTES} at most")
    if len(text) <= _SMALL:
        return _parsed(text)
    return await anyio.to_thread.run_sync(_parsed, text)


def _parsed(text: str) -> FromWindow:
    try:
        return FROM_WINDOW.validate_json(text)
    except ValidationError as error:
        raise from_validation(error, ()) from None
    except RecursionError:
        raise Problem("the message", "lists within lists, very many", "a message of docs/protocol.md") from None


def _failed(sentence: str) -> str:
    return FailedMessage(of="message", sentence=sentence).model_dump_json()
