"""The process that serves: the newest tables, the demo data, the application, until told to stop or left alone."""

import gc
import json
import os
import signal
import socket
import sys
import threading
from contextlib import suppress
from typing import Any, Final

import uvicorn
from fastapi import FastAPI
from sqlalchemy.exc import SQLAlchemyError

from jorvik.core.analysis.warm import warm_analysis
from jorvik.core.document.patch import read_document
from jorvik.core.dsp.kernels import cache_folder
from jorvik.core.voice.warm import warm
from jorvik.place import CANNOT_BEGIN, ROOT, instance
from jorvik.store.database import connect, migrate
from jorvik.store.documents import DocumentStore
from jorvik.store.kinds import KINDS, PATCHES
from jorvik.web.app import LOOPBACK, Settings, create_app

EVERYWHERE: Final = ("0.0.0.0", "::")  # noqa: S104


def main() -> int:
    """Serve as the first line of standard input says, and return the exit code."""
    told: dict[str, Any] = json.loads(sys.stdin.readline())
    threading.Thread(target=_end_with_whoever_started_us, daemon=True).start()
    signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
    engine = connect(told["database"])
    try:
        migrate(engine)
        if told["demo"]:
            for kind in KINDS:
                load_demo(DocumentStore(engine, kind), reset=told["reset"])
        if not any(cache_folder().glob("**/*.nbc")):
            warm()
            warm_analysis()
    except SQLAlchemyError as error:
        said = str(getattr(error, "orig", None) or error).strip().splitlines()
        print(f"start: the database refuses to begin: {said[0] if said else type(error).__name__}", file=sys.stderr)
        return CANNOT_BEGIN
    except OSError as error:
        print(f"start: {error.filename}: {error.strerror}.", file=sys.stderr)
        return CANNOT_BEGIN
    except KeyboardInterrupt:
        return 0
    host: str = told["host"]
    hosts = {*LOOPBACK, host, socket.gethostname()} if host not in LOOPBACK else LOOPBACK
    screen = ROOT / "ui" / "dist"

    def announce() -> None:
        # What is here stays: to look through it for garbage takes 0.1 s, in which nobody is answered.
        gc.collect()
        gc.freeze()
        if not told.get("again"):
            print(f"\nJorvik is at {told['url']}   (Ctrl-C stops it)", flush=True)

    shown = screen if screen.exists() else None
    app = create_app(Settings(engine, instance(), hosts, host in EVERYWHERE, shown, announce))
    server = uvicorn.Server(configured(app, log_level="warning", timeout_graceful_shutdown=3))
    with suppress(KeyboardInterrupt):
        # The server ends what it is at, and then hands on the signal that it was told to end by.
        server.run(sockets=[socket.socket(fileno=told["socket"])])
    return 0


def configured(app: FastAPI, **more: Any) -> uvicorn.Config:
    """Return how the application is served. Sound goes as it is: to press it takes longer than to send it."""
    return uvicorn.Config(app, ws_per_message_deflate=False, **more)


def load_demo(store: DocumentStore, reset: bool = False) -> None:
    """Keep the demos of a kind that are not there yet; with ``reset`` put all of them back as they were shipped."""
    folder = ROOT / "demo" if store.kind is PATCHES else ROOT / "demo" / store.kind.plural
    for path in sorted(folder.glob("*.json")):
        store.put_demo(path.stem, read_document(path.read_bytes()), reset)


def _end_with_whoever_started_us() -> None:
    """Stop when our standard input ends: whoever started us is gone, and nobody would stop us."""
    sys.stdin.read()
    os.kill(os.getpid(), signal.SIGTERM)
