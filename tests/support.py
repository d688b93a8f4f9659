"""What several tests need: patches written short, a database, a served application."""

import asyncio
import atexit
import json
import os
import shutil
import tempfile
import threading
import time
import uuid
from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

import uvicorn
from sqlalchemy import Engine, event, inspect, text

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.engine.trace import Trace, trace
from jorvik.place import ROOT
from jorvik.serve import configured, load_demo
from jorvik.store.cluster import Cluster, ClusterProblem, data_folder
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import KINDS
from jorvik.web.app import LOOPBACK, Settings, create_app
from jorvik.web.routes.practice import ear_of
from jorvik.web.services.scheduler import Scheduler

Json = dict[str, Any]
RATE = 48_000


def document(modules: list[Json] | None = None, routes: list[Json] | None = None, **rest: Any) -> Json:
    """Return a patch document: modules and routes, and what else it is given. Routes may leave their id out."""
    numbered = [{"id": f"r{i}", **route} for i, route in enumerate(routes or [])]
    return {"format": "jorvik-patch", "version": 1, "modules": modules or [], "routes": numbered, **rest}


def note(length_s: float = 1.0, tail_s: float = 0.5, **fields: Any) -> Json:
    """Return a performance of one note."""
    top: Json = {name: fields.pop(name) for name in ("tempo_bpm", "seed", "controls") if name in fields}
    return {"notes": [{"length_s": length_s, **fields}], "tail_s": tail_s, **top}


def patch(modules: list[Json] | None = None, routes: list[Json] | None = None, **rest: Any) -> Patch:
    """Return a checked patch."""
    return check_patch(document(modules, routes, **rest))


def traced(modules: list[Json] | None = None, routes: list[Json] | None = None, rate: int = RATE, **rest: Any) -> Trace:
    """Return the trace of a patch."""
    return trace(patch(modules, routes, **rest), rate)


def demos() -> dict[str, Json]:
    """Return every demo document by its file's name."""
    return {path.stem: json.loads(path.read_text()) for path in sorted((ROOT / "demo").glob("*.json"))}


_stops: list[Callable[[], object]] = []


def when_all_is_done(stop: Callable[[], object]) -> None:
    """Call a function when this process has run its last test; the latest is called first."""
    _stops.append(stop)


# What works over banks write goes with the process that asked for them; those that it begins have the same folder.
if "JORVIK_BANKS" not in os.environ:
    os.environ["JORVIK_BANKS"] = tempfile.mkdtemp(prefix="jorvik-banks-")
    _stops.append(lambda: shutil.rmtree(os.environ["JORVIK_BANKS"], ignore_errors=True))


def remove_orphans(stem: Path) -> None:
    """Stop and remove the database servers of runs that were killed, whose folders are a stem and their number."""
    for folder in stem.parent.glob(f"{stem.name}*"):
        number = folder.name.removeprefix(stem.name)
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            with suppress(ClusterProblem):
                Cluster(folder).stop()
            shutil.rmtree(folder, ignore_errors=True)


@cache
def cluster() -> Cluster:
    """Return a running database server of this process's own, so that two runs do not meet."""
    remove_orphans(data_folder().with_name(f"{data_folder().name}-test-"))
    folder = data_folder().with_name(f"{data_folder().name}-test-{os.getpid()}")
    started = Cluster(folder, durable=False)
    _stops.extend((lambda: shutil.rmtree(started.folder, ignore_errors=True), started.stop))
    started.ensure_started()
    return started


@cache
def template(demo: bool) -> str:
    """Return the name of a migrated database, with the demo data or without, that others are copied from."""
    name = "demo_template" if demo else "empty_template"
    engine = connect(cluster().fresh_database(name))
    migrate(engine)
    if demo:
        for kind in KINDS:
            load_demo(DocumentStore(engine, kind))
    engine.dispose()
    return name


def fresh_database(demo: bool = False) -> str:
    """Make a migrated database, with the demo data or without, and return its name."""
    name = f"test_{uuid.uuid4().hex[:8]}"
    cluster().fresh_database(name, template(demo))
    return name


def fresh_engine(demo: bool = False) -> Engine:
    """Return an engine on a migrated database of its own, which an event loop may not wait for."""
    engine = connect(cluster().url(fresh_database(demo)))
    refuse_on_a_loop(engine, lambda: asyncio._get_running_loop() is not None)
    return engine


def refuse_on_a_loop(engine: Engine, is_on_loop: Callable[[], bool]) -> None:
    """Make calls of the store fail that an event loop would wait for, and with it all that the loop forwards."""

    def check_loop(*_: object) -> None:
        if is_on_loop():
            raise AssertionError("the store was called on the event loop")

    event.listen(engine, "before_cursor_execute", check_loop)


class Data:
    """The data of a server that several tests use: each begins with what was there at first."""

    def __init__(self, database: str = "") -> None:
        self.engine = connect(cluster().url(database or fresh_database(demo=True)))
        found = inspect(self.engine)
        self._columns = {
            table: ", ".join(column["name"] for column in found.get_columns(table) if "computed" not in column)
            for table in found.get_table_names()
        }
        with self.engine.begin() as connection:
            connection.execute(text("CREATE SCHEMA first"))
            for table in self._columns:
                connection.execute(text(f"CREATE TABLE first.{table} AS TABLE public.{table}"))

    def put_back(self) -> None:
        """Put every row back as it was at first."""
        with self.engine.begin() as connection:
            # Foreign keys hold again when all tables are filled.
            connection.execute(text("SET LOCAL session_replication_role = replica"))
            connection.execute(text(f"TRUNCATE {', '.join(self._columns)}"))
            for table, columns in self._columns.items():
                connection.execute(text(f"INSERT INTO public.{table} ({columns}) SELECT {columns} FROM first.{table}"))


PATIENCE_S = 120.0
"""For what comes in a moment, on a machine that has far too much to do."""


def wait_until(so: Callable[[], bool], said: str) -> None:
    """Look again and again until something is so; fail with what is said where it never is."""
    end = time.monotonic() + PATIENCE_S
    while not so():
        if time.monotonic() > end:
            raise AssertionError(said)
        time.sleep(0.01)


class Late:
    """An application that everything but reads of files and documents reaches late, messages in order."""

    def __init__(self, app: Any, late_s: Callable[[], float]) -> None:
        self.app = app
        self.late_s = late_s

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        if scope["type"] == "http" and scope["method"] != "GET":
            await asyncio.sleep(self.late_s())
        if scope["type"] == "websocket":
            receive = self._late(receive)
        await self.app(scope, receive, send)

    def _late(self, receive: Callable[[], Awaitable[Any]]) -> Callable[[], Awaitable[Any]]:
        """Return what receives messages late: each waits from its own arrival, and not for those before it."""
        due: asyncio.Queue[tuple[float, Any]] = asyncio.Queue()
        clock = asyncio.get_running_loop().time

        async def pump() -> None:
            message = {"type": ""}
            while message["type"] != "websocket.disconnect":
                message = await receive()
                due.put_nowait((clock() + self.late_s(), message))

        pumping = asyncio.create_task(pump())

        async def received() -> Any:
            at, message = await due.get()
            await asyncio.sleep(at - clock())
            if message["type"] == "websocket.disconnect":
                await pumping
            return message

        return received


class Served:
    """The whole application on a loopback port, with the demo data and the built screen."""

    def __init__(
        self,
        port: int = 0,
        data: Data | None = None,
        late_s: Callable[[], float] | None = None,
        hosts: Sequence[str] = LOOPBACK,
    ) -> None:
        self.data = data or Data()
        self.engine = self.data.engine
        app = create_app(Settings(self.engine, "test", hosts, screen=ROOT / "ui" / "dist"))
        if late_s is not None:
            app.add_middleware(Late, late_s=late_s)
        self.app = app
        config = configured(app, port=port, log_level="critical", timeout_graceful_shutdown=1)
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        refuse_on_a_loop(self.engine, lambda: threading.current_thread() is self.thread)
        self.thread.start()
        wait_until(lambda: self.server.started, "the server did not start")
        self.port: int = self.server.servers[0].sockets[0].getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"

    @property
    def scheduler(self) -> Scheduler:
        """Where its work is handed out."""
        scheduler: Scheduler = self.app.state.scheduler
        return scheduler

    def begin_anew(self) -> None:
        """End what the last test left running, and put the data back as they were at first."""
        state = self.app.state
        state.stage.leave()
        for job in state.jobs.running:
            state.jobs.cancel(job)
        wait_until(lambda: not state.jobs.running, "a cancelled job went on")
        self.data.put_back()
        state.ear = ear_of(state.stores["practice"])

    def stop(self) -> None:
        """Stop serving; the data stay."""
        self.server.should_exit = True
        self.server.force_exit = True
        self.thread.join(timeout=10)
        self.scheduler.stop()
        self.engine.dispose()


@cache
def shared_server() -> Served:
    """Return this process's server, which test classes use one after the other."""
    server = Served()
    when_all_is_done(server.stop)
    return server


def stop_everything() -> None:
    """Stop what tests started."""
    while _stops:
        _stops.pop()()
    for made_once in (cluster, template, shared_server):
        made_once.cache_clear()


atexit.register(stop_everything)
