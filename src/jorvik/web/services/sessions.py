"""Sessions: a window and the patch that it has open, on one connection.

An edit is one message. It is applied, checked and traced once, in the process that the session is pinned to. Its sheet
goes back first; then, in other processes, the other voices of a phrase, the judgement after a pause, and the sound. A
newer edit gives up what was started for an older one.
"""

import asyncio
import logging
import os
import time
import uuid
from collections.abc import Awaitable, Callable
from functools import partial
from typing import Any, Final

import anyio.to_thread

from jorvik.core.engine.run import Cancelled, never
from jorvik.core.limits import COARSE_RATE, DEFAULT_RATE
from jorvik.core.problems import Problem
from jorvik.core.units.noticed import Ear
from jorvik.web.forms.session import (
    EditMessage,
    FailedMessage,
    FromWindow,
    HearMessage,
    JudgeMessage,
    LiveMessage,
    LostMessage,
    OpenMessage,
    RefusedMessage,
    StopMessage,
    Subject,
    ToWindow,
    View,
    ViewMessage,
)
from jorvik.web.services import session_tasks
from jorvik.web.services.scheduler import Busy, Scheduler, WorkKind
from jorvik.web.services.session_tasks import Answer, Hand
from jorvik.web.services.workers import Cancel, TaskBroke, Worker, WorkerDied, do_nothing

_LOG: Final = logging.getLogger("jorvik")

MAX_SESSIONS: Final = 64
"""Windows that are connected at once."""

MAX_PENDING: Final = 2_000
"""Edits of one window that wait to be applied."""

MAX_SOUNDS: Final = 16
"""Sounds that one window waits for."""

MAX_DEATHS: Final = 3
"""Processes that a document may stop before it is computed no more."""

PATIENCE_S: Final = 0.15
"""A sheet that takes longer is given up for a newer edit."""

PAUSE_S: Final = 0.35
"""Pause between the last edit and its judgement."""

LIVE_PAUSE_S: Final = 1.5
"""The same while the window plays live."""

BROKE: Final = "Jorvik made a mistake of its own here; its log has it. Change the patch, or try again."
DIED: Final = "This patch has stopped the process that computes it; change it before it is computed again."
BUSY: Final = "More work is waiting than Jorvik can take; try again in a moment."

Send = Callable[[str | bytes], Awaitable[None]]


class TooMany(Exception):
    """More windows, edits or sounds than the server takes."""


class PinnedWorkers:
    """Processes that keep the documents of sessions, each session in one."""

    def __init__(self, size: int) -> None:
        self._workers = [Worker(nice=0) for _ in range(size)]
        self._limits = [anyio.CapacityLimiter(1) for _ in range(size)]
        self._pinned = [0] * size

    async def begin(self) -> None:
        """Start every process."""
        await asyncio.gather(*(self.run(place, do_nothing) for place in range(len(self._workers))))

    def stop(self) -> None:
        """Stop every process for good."""
        for worker in self._workers:
            worker.end()

    @property
    def pids(self) -> list[int]:
        """The numbers of the processes that run."""
        return [worker.pid for worker in self._workers if worker.pid is not None]

    def pin(self) -> int:
        """Return the number of the process that has the fewest sessions, for one more."""
        place = self._pinned.index(min(self._pinned))
        self._pinned[place] += 1
        return place

    def unpin(self, place: int) -> None:
        """Note that a session has left a process."""
        self._pinned[place] -= 1

    async def run(self, place: int, task: Callable[..., Any], *arguments: Any, cancelled: Cancel = never) -> Any:
        """Run a task in one of the processes and return its result; tasks run in order."""
        work = partial(self._workers[place].run, task, arguments, cancelled, _tell_nobody)
        return await anyio.to_thread.run_sync(work, limiter=self._limits[place])


class Sessions:
    """The sessions of a server. They belong to one event loop."""

    def __init__(self, scheduler: Scheduler, ear: Callable[[], Ear]) -> None:
        self.workers = PinnedWorkers(os.cpu_count() or 1)
        self._scheduler = scheduler
        self._ear = ear
        self.count = 0

    def open(self, send: Send) -> "Session":
        """Open a session of a window, which is closed in the end. Raises TooMany."""
        if self.count >= MAX_SESSIONS:
            raise TooMany(f"{MAX_SESSIONS} windows are open, and that is the limit. Close one of them.")
        self.count += 1
        return Session(self.workers, self._scheduler, self._ear, send, self._closed)

    def _closed(self) -> None:
        self.count -= 1


class Session:
    """One window and the patch that it has open."""

    def __init__(
        self,
        workers: PinnedWorkers,
        scheduler: Scheduler,
        ear: Callable[[], Ear],
        send: Send,
        on_closed: Callable[[], None],
    ) -> None:
        self._name = uuid.uuid4().hex
        self._workers = workers
        self._place = workers.pin()
        self._scheduler = scheduler
        self._ear = ear
        self._send = send
        self._on_closed = on_closed
        self._pending: list[OpenMessage | EditMessage] = []
        self._view: View | None = None
        self._rate = DEFAULT_RATE
        self._revision = 0
        self._has_document = False
        self._is_live = False
        self._has_news = asyncio.Event()
        self._is_changed = asyncio.Event()
        """Set by the next edit, which replaces it."""
        self._is_shown_anew = asyncio.Event()
        """The same for the document or the view."""
        self._sounds: dict[int, asyncio.Event] = {}
        self._followers: set[asyncio.Task[None]] = set()
        self._judged = -1
        self._deaths = 0

    async def close(self) -> None:
        """Give up all work of the session and forget its document."""
        self._is_changed.set()
        self._show_anew()
        for task in self._followers:
            task.cancel()
        if self._followers:
            await asyncio.wait(self._followers)
        self._workers.unpin(self._place)
        self._on_closed()
        try:
            await self._workers.run(self._place, session_tasks.close, self._name)
        except WorkerDied:
            # The document went with the process.
            return

    def take(self, message: FromWindow) -> None:
        """Take a message of the window. Raises TooMany."""
        match message:
            case OpenMessage() | EditMessage():
                self._change(message)
            case ViewMessage():
                self._view, self._rate = message.view, message.rate
                self._show_anew()
            case JudgeMessage():
                self._judged = -1
                self._show_anew()
            case LiveMessage():
                self._is_live = message.is_live
            case HearMessage():
                if len(self._sounds) >= MAX_SOUNDS:
                    raise TooMany(f"{MAX_SOUNDS} sounds are being computed, and that is the limit. Stop some of them.")
                stopped = self._sounds[message.request] = asyncio.Event()
                self._follow(self._hear(message, stopped))
            case StopMessage():
                if message.request in self._sounds:
                    self._sounds[message.request].set()

    def _change(self, message: OpenMessage | EditMessage) -> None:
        if isinstance(message, OpenMessage):
            self._pending.clear()
        if len(self._pending) >= MAX_PENDING:
            raise TooMany(f"{MAX_PENDING} edits are waiting, and that is the limit. Wait a moment.")
        self._pending.append(message)
        self._has_document = True
        self._revision, self._rate = message.revision, message.rate
        self._is_changed.set()
        self._is_changed = asyncio.Event()
        self._show_anew()

    def _show_anew(self) -> None:
        self._is_shown_anew.set()
        self._is_shown_anew = asyncio.Event()
        self._has_news.set()

    async def run(self) -> None:
        """Answer the changes of the window with sheets, one after the other."""
        while True:
            await self._has_news.wait()
            self._has_news.clear()
            await self._told("sheet", self._show())

    async def _told(self, of: Subject, work: Awaitable[None], request: int | None = None) -> None:
        """Do work; tell the window where it fails."""
        revision = self._revision
        try:
            await work
        except Cancelled:
            return
        except Problem as problem:
            if of == "sound":
                await self._say(FailedMessage(of=of, sentence=str(problem), request=request))
            elif of == "sheet":
                await self._say(RefusedMessage(revision=revision, sentence=str(problem)))
        except Busy:
            await self._say(FailedMessage(of=of, sentence=BUSY, request=request))
        except WorkerDied:
            self._deaths += of == "sheet"
            if of == "sheet" and self._deaths < MAX_DEATHS:
                await self._say(LostMessage())
            else:
                await self._say(FailedMessage(of=of, sentence=DIED, request=request))
        except TaskBroke as error:
            _LOG.error("%s", error)
            await self._say(FailedMessage(of=of, sentence=BROKE, request=request))

    async def _show(self) -> None:
        if not self._has_document:
            return
        revision, view, rate, is_newer = self._revision, self._view, self._rate, self._is_shown_anew
        changes, self._pending = self._pending, []
        started = time.monotonic()

        def is_late() -> bool:
            return is_newer.is_set() and time.monotonic() > started + PATIENCE_S

        arguments = session_tasks.change, self._name, changes, view, rate
        answer: Answer | None = await self._workers.run(self._place, *arguments, cancelled=is_late)
        if answer is None:
            await self._say(LostMessage())
            return
        frame = answer.frame
        if view is not None and answer.heavy:
            work = session_tasks.heavy_sheet, answer.heavy, revision, view, rate
            frame = await self._scheduler.answer((is_newer.wait(),), "heavy", *work)
        if view is None or not frame:
            return
        self._deaths = 0
        await self._send(frame)
        if is_newer.is_set():
            return
        if answer.has_voices:
            self._follow(self._told("voices", self._show_voices(revision, view, is_newer)))
        if self._judged != revision:
            self._judged = revision
            self._follow(self._told("judgement", self._judge(revision, self._is_changed)))

    async def _show_voices(self, revision: int, view: View, is_newer: asyncio.Event) -> None:
        """Send the other voices of the phrase, at a coarse rate."""
        handed = await self._hand()
        if handed is None or is_newer.is_set():
            return
        work = session_tasks.voices, handed.data, revision, view, COARSE_RATE
        await self._send(await self._scheduler.answer((is_newer.wait(),), "judgement", *work))

    async def _judge(self, revision: int, is_changed: asyncio.Event) -> None:
        """Send the judgement after a pause, then prepare the sound."""
        try:
            await asyncio.wait_for(is_changed.wait(), LIVE_PAUSE_S if self._is_live else PAUSE_S)
        except TimeoutError:
            handed = await self._hand()
            if is_changed.is_set():
                return
            if handed is None:
                await self._say(LostMessage())
                return
            work = session_tasks.judged, handed.data, DEFAULT_RATE, self._ear()
            found = await self._scheduler.answer((is_changed.wait(),), "judgement", *work)
            await self._send(f'{{"type":"judged","revision":{revision},"judgement":{found.decode()}}}')
            if not self._is_live:
                prepare = session_tasks.prepare, handed.data, DEFAULT_RATE
                await self._scheduler.answer((is_changed.wait(),), _kind_of_sound(handed), *prepare)

    async def _hear(self, message: HearMessage, stopped: asyncio.Event) -> None:
        try:
            await self._told("sound", self._send_sound(message, stopped), message.request)
        finally:
            self._sounds.pop(message.request, None)

    async def _send_sound(self, message: HearMessage, stopped: asyncio.Event) -> None:
        handed = await self._hand()
        if handed is None:
            # The window opens the document again, and asks again for its sounds.
            await self._say(LostMessage())
            return
        work = session_tasks.sound, handed.data, DEFAULT_RATE, message
        await self._send(await self._scheduler.answer((stopped.wait(),), _kind_of_sound(handed), *work))

    async def _hand(self) -> Hand | None:
        """Return the document for another process; None where it was lost."""
        changes, self._pending = self._pending, []
        try:
            handed: Hand | None = await self._workers.run(self._place, session_tasks.hand, self._name, changes)
        except WorkerDied:
            return None
        return handed

    def _follow(self, work: Any) -> None:
        """Do work beside the sheets."""
        task = asyncio.create_task(work)
        self._followers.add(task)
        task.add_done_callback(self._followers.discard)

    async def _say(self, message: ToWindow) -> None:
        await self._send(message.model_dump_json())


def _kind_of_sound(handed: Hand) -> WorkKind:
    return "heavy" if handed.is_heavy else "sound"


def _tell_nobody(_: Any) -> None:
    """Take what a task tells, where nobody listens."""
