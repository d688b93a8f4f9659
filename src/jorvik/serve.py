"""The process that serves: the newest tables, the demo data, the application, until told to stop or left alone."""

import gc
import json
import os
import signal
import socket
import subprocess
import sys
import threading
from contextlib import suppress
from typing import Any, Final

import uvicorn
from fastapi import FastAPI
from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.compiling import is_compiled
from jorvik.core.document.patch import read_document
from jorvik.place import CANNOT_BEGIN, ROOT, instance
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import KINDS, PATCHES
from jorvik.web.app import LOOPBACK, Settings, create_app
from jorvik.web.services.forking import begin_forkserver

EVERYWHERE: Final = ("0.0.0.0", "::")  # noqa: S104


def main() -> int:
    """Serve as the first line of standard input says, and return the exit code."""
    # After our own imports: two processes that import at once are half as fast, and the page needs this one first.
    begin_forkserver()
    line = sys.stdin.readline()
    if not line:
        # The launcher ended before it had a database.
        return 0
    options: dict[str, Any] = json.loads(line)
    threading.Thread(target=_end_with_whoever_started_us, daemon=True).start()
    signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
    engine = connect(options["database"])
    try:
        migrate(engine)
        if options["demo"]:
            for kind in KINDS:
                load_demo(DocumentStore(engine, kind), reset=options["reset"])
        if not is_compiled("engine"):
            print("start: the engine is being compiled, which takes about a minute", flush=True)
    except SQLAlchemyError as error:
        said = str(getattr(error, "orig", None) or error).strip().splitlines()
        print(f"start: the database refuses to begin: {said[0] if said else type(error).__name__}", file=sys.stderr)
        return CANNOT_BEGIN
    except OSError as error:
        print(f"start: {error.filename}: {error.strerror}.", file=sys.stderr)
        return CANNOT_BEGIN
    except KeyboardInterrupt:
        return 0
    host: str = options["host"]
    hosts = {*LOOPBACK, host, socket.gethostname()} if host not in LOOPBACK else LOOPBACK
    screen = ROOT / "ui" / "dist"

    behind: list[subprocess.Popen[bytes]] = []

    def announce() -> None:
        # What is here stays: to look through it for garbage takes 0.1 s, in which nobody is answered.
        gc.collect()
        gc.freeze()
        if not options.get("again"):
            print(f"\nJorvik is at {options['url']}   (Ctrl-C stops it)", flush=True)
        if not is_compiled("analysis"):
            behind.append(_compile_behind("analysis"))

    shown = screen if screen.exists() else None
    app = create_app(Settings(engine, instance(), hosts, host in EVERYWHERE, shown, announce))
    server = uvicorn.Server(configured(app, log_level="warning", timeout_graceful_shutdown=3))
    try:
        with suppress(KeyboardInterrupt):
            # The server ends its work and then raises the signal that stopped it.
            server.run(sockets=[socket.socket(fileno=options["socket"])])
    finally:
        for process in behind:
            process.kill()
            process.wait()
    return 0


def _compile_behind(part: str) -> "subprocess.Popen[bytes]":
    """Start a process that compiles a part without taking time from anything else."""
    command = ["nice", "-n", "19", sys.executable, "-m", "jorvik.core.compiling", part]
    return subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def configured(app: FastAPI, **more: Any) -> uvicorn.Config:
    """Return how the application is served. Sound goes as it is: to press it takes longer than to send it."""
    return uvicorn.Config(app, ws_per_message_deflate=False, **more)


def load_demo(store: DocumentStore, reset: bool = False) -> None:
    """Keep the demos of a kind that are not there yet; with ``reset`` put all of them back as they were shipped."""
    folder = ROOT / "demo" if store.kind is PATCHES else ROOT / "demo" / store.kind.plural
    there = set() if reset else store.demos()
    for path in sorted(folder.glob("*.json")):
        if path.stem not in there:
            store.put_demo(path.stem, read_document(path.read_bytes()), reset)


def _end_with_whoever_started_us() -> None:
    """Stop when our standard input ends: whoever started us is gone, and nobody would stop us."""
    sys.stdin.read()
    os.kill(os.getpid(), signal.SIGTERM)
