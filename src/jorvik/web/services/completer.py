"""Figures and pictures of logbook entries, worked out in the background."""

import asyncio
import logging
from contextlib import suppress
from dataclasses import asdict
from functools import partial
from typing import Any

from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.changes.figures import figure_changes
from jorvik.core.document.patch import check_patch
from jorvik.core.engine.run import Cancelled
from jorvik.core.measure.picture import picture
from jorvik.core.problems import Problem
from jorvik.store.logbook import Logbook
from jorvik.web.forms.common import Document
from jorvik.web.services.scheduler import Scheduler
from jorvik.web.services.store_calls import when_there
from jorvik.web.services.workers import Cancel, TaskBroke, Tell, WorkerDied

_LOG = logging.getLogger("jorvik")


class Completer:
    """Works out figures and pictures of entries, one at a time, when nobody waits for anything else."""

    def __init__(self, logbook: Logbook, scheduler: Scheduler) -> None:
        self._logbook, self._scheduler = logbook, scheduler
        self._waiting = asyncio.Event()
        self._loop = asyncio.get_running_loop()
        self._stopped = False
        self._task: asyncio.Task[None] | None = None

    def begin(self) -> None:
        """Begin with what was left when the server was stopped."""
        self._waiting.set()
        self._task = asyncio.create_task(self._run())

    def wake(self) -> None:
        """Know that there is something new. From any thread."""
        self._loop.call_soon_threadsafe(self._waiting.set)

    async def stop(self) -> None:
        """Stop; what is not worked out is begun again with the next server."""
        self._stopped = True
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task

    async def _run(self) -> None:
        while True:
            await self._waiting.wait()
            self._waiting.clear()
            while lacking := await when_there(self._logbook.lacking):
                for entry, before, after in lacking:
                    figures, drawn = await self._worked_out(before, after)
                    try:
                        await when_there(partial(self._logbook.complete, entry, figures, drawn))
                    except SQLAlchemyError:
                        _LOG.exception("the figures of an entry of the logbook cannot be kept")
                        await when_there(partial(self._logbook.complete, entry, [], None))

    async def _worked_out(self, before: Document, after: Document) -> tuple[list[str], dict[str, Any] | None]:
        try:
            made: tuple[list[str], dict[str, Any] | None] = await self._scheduler.run_job(
                _figures_and_picture, (before, after), lambda: self._stopped, lambda _: None, "heavy"
            )
        except (Problem, Cancelled, WorkerDied, TaskBroke) as error:
            # One that cannot be worked out stands without figures, and keeps nobody from the next.
            _LOG.info("an entry of the logbook has no figures: %s", error)
            return [], None
        return made


def _figures_and_picture(
    before: Document, after: Document, cancelled: Cancel, _: Tell
) -> tuple[list[str], dict[str, Any] | None]:
    if after.get("format") != "jorvik-patch":
        return [], None
    patch = check_patch(after)
    drawn = asdict(picture(patch, cancelled))
    figures = [] if before == after else figure_changes(check_patch(before), patch, cancelled)
    return [one.sentence for one in figures], drawn
