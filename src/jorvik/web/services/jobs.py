"""Jobs: work of minutes, with progress, cancel and a stored result.

Each kind of work is done one piece after the other.
"""

import asyncio
import logging
import threading
import time
import uuid
from contextlib import suppress
from functools import partial
from typing import Any, Final

import anyio.to_thread
from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem
from jorvik.store.jobs import Job, JobStore, Made
from jorvik.store.library import LibraryStore
from jorvik.web.services.job_kinds import JOB_KINDS
from jorvik.web.services.scheduler import Scheduler, WorkKind
from jorvik.web.services.store_calls import when_there
from jorvik.web.services.workers import Cancel, TaskBroke, Tell, WorkerDied

_LOG: Final = logging.getLogger("jorvik")
_TOLD_S: Final = 0.5
"""How often progress is written down."""

_REFUSED_S: Final = 1.0
"""Pause after the store has refused something, in seconds."""


class Jobs:
    """Runs the jobs that a store keeps, the oldest first. It belongs to one event loop."""

    def __init__(self, store: JobStore, scheduler: Scheduler, library: LibraryStore) -> None:
        self.store = store
        self._library = library
        self._scheduler = scheduler
        works = {kind.work for kind in JOB_KINDS.values()}
        self._waiting: dict[WorkKind, asyncio.Event] = {work: asyncio.Event() for work in works}
        self._cancels: dict[uuid.UUID, threading.Event] = {}
        self._running: asyncio.Task[None] | None = None
        self.so_far: dict[uuid.UUID, bytes] = {}
        """What each running job has told of what it makes, as JSON."""

    def begin(self) -> None:
        """Go on with what was under way when the server was stopped, and then with whatever is asked for."""
        self._running = asyncio.create_task(self._run())

    async def stop(self) -> None:
        """Stop; what runs will be begun anew."""
        for cancel in self._cancels.values():
            cancel.set()
        if self._running is not None:
            self._running.cancel()
            with suppress(asyncio.CancelledError):
                await self._running
            with suppress(SQLAlchemyError):
                await anyio.to_thread.run_sync(self.store.hand_back)

    def wake(self) -> None:
        """Look for work: something was asked for."""
        for waiting in self._waiting.values():
            waiting.set()

    def wake_soon(self) -> None:
        """Look for work, asked from another thread than the loop's."""
        if self._running is not None:
            self._running.get_loop().call_soon_threadsafe(self.wake)

    @property
    def running(self) -> list[uuid.UUID]:
        """The jobs that are being worked at."""
        return list(self._cancels)

    def cancel(self, job_id: uuid.UUID) -> None:
        """Have a running job given up."""
        if job_id in self._cancels:
            self._cancels[job_id].set()

    async def _run(self) -> None:
        await when_there(self.store.go_on)
        await asyncio.gather(*map(self._work, self._waiting))

    async def _work(self, work: WorkKind) -> None:
        """Do the jobs of a kind of work, the oldest first."""
        kinds = [name for name, kind in JOB_KINDS.items() if kind.work == work]
        waiting = self._waiting[work]
        while True:
            waiting.clear()
            try:
                found = await when_there(partial(self.store.begin_next, kinds))
                if found is None:
                    await waiting.wait()
                else:
                    await self._one(*found)
            except SQLAlchemyError:
                # The store refused something of one job: the next one is not kept waiting for it.
                _LOG.exception("the store refused a job")
                await asyncio.sleep(_REFUSED_S)

    async def _one(self, job: Job, request: dict[str, Any]) -> None:
        cancel = self._cancels[job.id] = threading.Event()
        try:
            kind = JOB_KINDS[job.kind]
            form = kind.form.model_validate(request)
            try:
                made = await self._scheduler.run_job(
                    _make, (job.kind, form), cancel.is_set, self._teller(job.id), kind.work
                )
            finally:
                # Before the job is marked as ended: its result is what is known of it then.
                self.so_far.pop(job.id, None)
            # First, so that whoever is told that it is done finds what it has to keep.
            await when_there(lambda: kind.after(form, made, self._library))
            await when_there(lambda: self.store.finish(job.id, made))
        except Cancelled:
            # Cancelled by its asker, whose call has written so; or we are being stopped, and it will be begun anew.
            pass
        except Exception as error:
            if not isinstance(error, Problem | WorkerDied):
                _LOG.exception("job %s (%s) failed", job.id, job.kind)
            said = _why(error)
            await when_there(lambda: self.store.end(job.id, "failed", said))
        finally:
            self._cancels.pop(job.id, None)

    def _teller(self, job_id: uuid.UUID) -> Tell:
        told = 0.0

        def tell(value: Any) -> None:
            nonlocal told
            progress, self.so_far[job_id] = value if isinstance(value, tuple) else (value, b"")
            if time.monotonic() - told >= _TOLD_S:
                told = time.monotonic()
                # What cannot be written down now is written down the next time.
                with suppress(SQLAlchemyError):
                    self.store.tell_progress(job_id, float(progress))

        return tell


def _make(kind: str, form: Any, cancelled: Cancel, tell: Tell) -> Made:
    return JOB_KINDS[kind].make(form, cancelled, tell)


def _why(error: Exception) -> str:
    if isinstance(error, WorkerDied):
        return "Something in it stopped the process that worked at it; change it before it is tried again."
    if isinstance(error, Problem):
        return str(error)
    if isinstance(error, SQLAlchemyError):
        return "Jorvik's store refused what it made; its log has the reason."
    kind = "worked at it" if isinstance(error, TaskBroke) else "read what was asked for"
    return f"Jorvik had a fault of its own while it {kind}; its log has it."
