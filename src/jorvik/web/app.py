"""The application: the API, and the screen's files."""

import asyncio
import logging
import re
import sys
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable, Mapping
from contextlib import AsyncExitStack, asynccontextmanager, suppress
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import anyio.to_thread
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy import Engine
from sqlalchemy.exc import DataError, DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.routing import compile_path
from starlette.types import Receive, Scope, Send

from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem, half_a_letter, path_text, shown, wanted_text
from jorvik.store.documents import Conflict, DocumentStore, Missing
from jorvik.store.jobs import JobStore
from jorvik.store.kinds import KINDS
from jorvik.store.library import LibraryStore
from jorvik.store.logbook import Logbook
from jorvik.web.forms.common import ConflictNotice, Refusal
from jorvik.web.guard import Guard, TooLarge, too_large
from jorvik.web.routes import (
    assist,
    banks,
    changes,
    compute,
    documents,
    heard,
    jobs,
    judge,
    library,
    live,
    logbook,
    machine,
    matching,
    paper,
    phrases,
    practice,
    session,
    sound,
    sweeps,
    takes,
)
from jorvik.web.services.completer import Completer
from jorvik.web.services.jobs import Jobs
from jorvik.web.services.live_process import SWITCH_S
from jorvik.web.services.live_slot import LiveSlot
from jorvik.web.services.scheduler import Busy, Scheduler
from jorvik.web.services.sessions import Sessions
from jorvik.web.services.store_calls import is_away
from jorvik.web.services.workers import TaskBroke, WorkerDied

CANCELLED_STATUS = 499
"""What the log shows for a request whose sender went away, or asked for something newer."""

_LOG = logging.getLogger("jorvik")

LOOPBACK = ("127.0.0.1", "localhost", "::1")


@dataclass(frozen=True)
class Settings:
    """What an application is made with."""

    engine: Engine
    instance: str = ""
    hosts: Iterable[str] = LOOPBACK
    any_address: bool = False
    screen: Path | None = None
    """Folder of the built screen."""
    on_ready: Callable[[], None] | None = None
    """Called once everything is there to answer requests."""


def create_app(settings: Settings) -> FastAPI:
    """Return the application."""
    app = FastAPI(
        title="Jorvik",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        separate_input_output_schemas=False,
        lifespan=partial(_life, settings=settings),
    )
    for router in (
        compute.router,
        assist.router,
        judge.router,
        changes.router,
        sound.router,
        phrases.router,
        takes.router,
        sweeps.router,
        heard.router,
        matching.router,
        paper.router,
        machine.router,
    ):
        app.include_router(router, prefix="/api", responses=_refusals(400, 403, 413, 422, 503))
    for router in (
        documents.health,
        jobs.router,
        banks.router,
        practice.router,
        library.router,
        logbook.router,
        *map(documents.router_for, KINDS),
    ):
        app.include_router(router, prefix="/api", responses=_refusals(400, 403, 404, 413, 422, 503, 507))
    app.include_router(live.router, prefix="/api")
    app.include_router(session.router, prefix="/api")
    for error, answer in _ANSWERS.items():
        app.add_exception_handler(error, answer)
    if settings.screen is not None:
        # Not a mount, which would take the addresses of the API that are asked for in another way.
        app.router.default = Screen(settings.screen)
    app.add_middleware(Guard, hosts=settings.hosts, any_address=settings.any_address)
    return app


class Screen(StaticFiles):
    """The screen's files, where nothing of the API answers; none whose name begins with a dot."""

    def __init__(self, folder: Path) -> None:
        super().__init__(directory=folder, html=True)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with a file, or with why there is none."""
        path = str(scope["path"])
        if scope["type"] != "http" or path.startswith("/api/") or any(part.startswith(".") for part in path.split("/")):
            raise HTTPException(404)
        await super().__call__(scope, receive, send)


def _refusals(*statuses: int) -> dict[int | str, dict[str, Any]]:
    return {status: {"model": Refusal} for status in statuses}


@asynccontextmanager
async def _life(app: FastAPI, settings: Settings) -> AsyncIterator[None]:
    """Have the services for as long as the application lives: the stores, who works at what, and the jobs."""
    # Sound passes through here: it must not wait 5 ms for each thread that is in the middle of something.
    sys.setswitchinterval(SWITCH_S)
    app.state.instance = settings.instance
    app.state.library = LibraryStore(settings.engine)
    app.state.logbook = Logbook(settings.engine)
    app.state.stores = {kind.name: DocumentStore(settings.engine, kind) for kind in KINDS}
    scheduler = app.state.scheduler = Scheduler()
    stage = app.state.stage = LiveSlot()
    completer = app.state.completer = Completer(app.state.logbook, scheduler)
    working = app.state.jobs = Jobs(JobStore(settings.engine), scheduler, app.state.library)
    sessions = app.state.sessions = Sessions(scheduler, lambda: app.state.ear)
    app.state.ear = await anyio.to_thread.run_sync(practice.ear_of, app.state.stores["practice"])
    # Each service is stopped, the last first, also where another fails to stop.
    async with AsyncExitStack() as services:
        # The page is sent while the processes that compute for it come up.
        services.push_async_callback(_wait_for_workers, asyncio.create_task(scheduler.begin()))
        services.push_async_callback(_wait_for_workers, asyncio.create_task(sessions.workers.begin()))
        services.callback(stage.leave)
        services.callback(scheduler.stop)
        services.callback(sessions.workers.stop)
        completer.begin()
        services.push_async_callback(completer.stop)
        working.begin()
        services.push_async_callback(working.stop)
        if settings.on_ready is not None:
            settings.on_ready()
        yield


async def _wait_for_workers(beginning: asyncio.Task[None]) -> None:
    """Wait until the processes that compute have come up, or were stopped on the way."""
    with suppress(WorkerDied):
        await beginning


def _refusal(status: int, problem: Problem, headers: Mapping[str, str] | None = None) -> JSONResponse:
    body = Refusal(place=problem.place, found=problem.found, wanted=problem.wanted, sentence=str(problem))
    return JSONResponse(body.model_dump(), status, headers)


async def _on_problem(_: Request, error: Exception) -> Response:
    assert isinstance(error, Problem)
    return _refusal(422, error)


async def _on_invalid(_: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    place = path_text(list(first["loc"])[1:] or list(first["loc"]))
    return _refusal(422, Problem(place, shown(first.get("input")), wanted_text(first)))


async def _on_half_a_letter(_: Request, error: Exception) -> Response:
    """Say what a request's text is that JSON can hold, and nothing that is kept or sent on."""
    assert isinstance(error, UnicodeEncodeError)
    return _refusal(422, half_a_letter("the request", error))


async def _on_missing(_: Request, error: Exception) -> Response:
    body = Refusal(place="what was asked for", found="nothing", wanted="kept", sentence=str(error))
    return JSONResponse(body.model_dump(), 404)


async def _on_conflict(_: Request, error: Exception) -> Response:
    assert isinstance(error, Conflict)
    sentence = "This was changed in another window since this one read it; nothing was overwritten."
    notice = ConflictNotice(sequence=error.sequence, changed_at=error.changed_at, sentence=sentence)
    return JSONResponse(notice.model_dump(mode="json"), 409)


async def _on_store_refusal(_: Request, error: Exception) -> Response:
    """Say what the store will not take. Only one that cannot be reached is called that, and worth another try."""
    assert isinstance(error, DBAPIError)
    if is_away(error):
        return await _on_store_down(_, error)
    said = shown(str(error.orig).strip().splitlines()[0] if str(error.orig).strip() else type(error.orig).__name__)
    if isinstance(error, DataError):
        return _refusal(422, Problem("the request", said, "text without NUL, and numbers that can be kept"))
    _LOG.error("%s", error)
    return _refusal(507, Problem("the store", said, "something that it can keep; it was not kept, and is still here"))


async def _on_http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    if error.status_code == 405:
        error.headers = {"Allow": ", ".join(sorted(_methods(request)))}
    found, wanted = _HTTP.get(error.status_code, (error.detail, "a request that Jorvik knows"))
    return _refusal(error.status_code, Problem("the request", found, wanted), error.headers)


def _methods(request: Request) -> set[str]:
    """Return the methods that an address takes, of all routes that have it."""
    path, known = str(request.scope["path"]), request.app.openapi()["paths"]
    fitting = [one for one in known if compile_path(one)[0].match(path)]
    # Of several the one with the most text of its own is meant: `/log/days` before `/log/{entry_id}`.
    closest = max(fitting, key=lambda one: len(re.sub(r"{\w+}", "", one)), default="")
    return {method.upper() for method in known.get(closest, ())}


_HTTP: dict[int, tuple[str, str]] = {
    400: ("a body that cannot be read", "JSON in UTF-8"),
    404: ("an address that nothing answers", "one of those in /api/openapi.json"),
    405: ("a method that this address does not take", "one of those in the answer's Allow"),
}


async def _on_store_down(_: Request, error: Exception) -> Response:
    sentence = "The store cannot be reached. Your work is kept in this window and is saved when the store is back."
    body = Refusal(place="the store", found=type(error).__name__, wanted="running", sentence=sentence)
    return JSONResponse(body.model_dump(), 503)


async def _on_too_large(request: Request, __: Exception) -> Response:
    return too_large(request.url.path)


async def _on_cancelled(_: Request, __: Exception) -> Response:
    return Response(status_code=CANCELLED_STATUS)


async def _on_busy(_: Request, __: Exception) -> Response:
    return _refusal(503, Problem("Jorvik", "more work waiting than it can take", "asked again in a moment"))


async def _on_died(_: Request, __: Exception) -> Response:
    wanted = "changed before it is tried again; everything that was kept is there"
    return _refusal(422, Problem("this patch", "something that stopped the process which worked at it", wanted))


async def _on_broke(_: Request, error: Exception) -> Response:
    _LOG.error("%s", error)
    wanted = "something that works; the fault is Jorvik's, and its log has it"
    return _refusal(500, Problem("Jorvik", "a fault of its own while it worked this out", wanted))


_ANSWERS: dict[type[Exception], Callable[[Request, Exception], Awaitable[Response]]] = {
    Problem: _on_problem,
    RequestValidationError: _on_invalid,
    UnicodeEncodeError: _on_half_a_letter,
    Missing: _on_missing,
    Conflict: _on_conflict,
    DBAPIError: _on_store_refusal,
    HTTPException: _on_http,
    PoolTimeout: _on_store_down,
    Cancelled: _on_cancelled,
    TooLarge: _on_too_large,
    Busy: _on_busy,
    WorkerDied: _on_died,
    TaskBroke: _on_broke,
}
