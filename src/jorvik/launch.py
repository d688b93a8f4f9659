"""Start everything: the database, the demo data, the server. Ctrl-C stops everything again."""

import argparse
import fcntl
import hashlib
import json
import os
import signal
import socket
import sys
import time
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import uvicorn

from jorvik.core.patch import parse_patch
from jorvik.core.warm import warm
from jorvik.store.cluster import Cluster, ClusterProblem, is_root
from jorvik.store.database import connect, migrate
from jorvik.store.patches import PatchStore
from jorvik.web.app import LOOPBACK, Settings, create_app

ROOT = Path(__file__).parents[2]
DEFAULT_PORT = 8420
EVERYWHERE = ("0.0.0.0", "::")  # noqa: S104
_TRIES = 20


class StartProblem(RuntimeError):
    """The app cannot start; the message is one sentence."""


def instance() -> str:
    """Return a name for this checkout, by which its server and its data are known."""
    return hashlib.sha256(str(ROOT).encode()).hexdigest()[:10]


def data_folder() -> Path:
    """Return the folder that holds the database.

    As root the database server runs as another user, who must be able to enter the folder.
    """
    if given := os.environ.get("JORVIK_DATA"):
        return Path(given)
    return Path("/var/lib/jorvik") / instance() if is_root() else ROOT / ".run" / "store"


def main(arguments: Sequence[str] | None = None) -> int:
    """Start, serve until stopped, and return the exit code."""
    args = _arguments(arguments)
    folder = data_folder()
    folder.mkdir(parents=True, exist_ok=True)
    try:
        with _only_one(folder) as alone:
            if not alone:
                return _say_running(folder, args.port)
            return _serve(folder, args)
    except (StartProblem, ClusterProblem) as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1


def _arguments(arguments: Sequence[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start", description="Start Jorvik.")
    parser.add_argument("--port", type=int, help=f"port to serve on ({DEFAULT_PORT}, or the next free one)")
    parser.add_argument("--host", default="127.0.0.1", help="address to listen on (loopback unless told otherwise)")
    parser.add_argument("--no-demo", action="store_true", help="do not load the demo patches")
    parser.add_argument("--reset-demo", action="store_true", help="put the demo patches back as they were shipped")
    return parser.parse_args(arguments)


@contextmanager
def _only_one(folder: Path) -> Iterator[bool]:
    """Hold the folder for one server; yield False when another has it."""
    with (folder / "lock").open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            yield False
        else:
            yield True


def _say_running(folder: Path, port: int | None) -> int:
    for _ in range(_TRIES):
        try:
            url = json.loads((folder / "server.json").read_text())["url"]
            with urllib.request.urlopen(f"{url}/api/health", timeout=1) as answer:  # noqa: S310
                if json.load(answer)["instance"] == instance():
                    break
        except (OSError, ValueError, KeyError):
            time.sleep(0.5)
    else:
        raise StartProblem(f"another start holds {folder} and does not answer; end it, then start again.")
    if port is not None and not url.endswith(f":{port}"):
        raise StartProblem(f"Jorvik is running already at {url}; stop it first to serve on port {port}.")
    print(f"Jorvik is running already at {url}")
    return 0


def _serve(folder: Path, args: argparse.Namespace) -> int:
    listener = _listen(args.host, args.port)
    port = listener.getsockname()[1]
    cluster = Cluster(folder)
    signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
    try:
        print("start: database")
        engine = connect(cluster.ensure_started())
        migrate(engine)
        if not args.no_demo:
            load_demo(PatchStore(engine), reset=args.reset_demo)
        warm()
        shown = f"[{args.host}]" if ":" in args.host else args.host
        url = f"http://{shown}:{port}"
        (folder / "server.json").write_text(json.dumps({"url": url, "pid": os.getpid()}))
        hosts = {*LOOPBACK, args.host, socket.gethostname()} if args.host not in LOOPBACK else LOOPBACK
        screen = ROOT / "ui" / "dist"
        app = create_app(
            Settings(engine, instance(), hosts, args.host in EVERYWHERE, screen if screen.exists() else None)
        )
        server = uvicorn.Server(uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=3))
        print(f"\nJorvik is at {url}   (Ctrl-C stops it)", flush=True)
        server.run(sockets=[listener])
    except KeyboardInterrupt:
        pass
    finally:
        print("\nstart: stopping the database")
        (folder / "server.json").unlink(missing_ok=True)
        cluster.stop()
    return 0


def _listen(host: str, port: int | None) -> socket.socket:
    """Return a socket bound to the port asked for, or to the next free one from the default."""
    wanted = [port] if port is not None else range(DEFAULT_PORT, DEFAULT_PORT + _TRIES)
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for candidate in wanted:
        listener = socket.socket(family, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            # Listening from here on, so that whoever reads the address is not turned away.
            listener.listen(128)
        except OverflowError:
            raise StartProblem(f"--port {candidate} is no port; give one from 1 to 65535.") from None
        except OSError as error:
            listener.close()
            reason = error.strerror
            continue
        if port is None and candidate != DEFAULT_PORT:
            print(f"start: port {DEFAULT_PORT} is in use by another program, so {candidate} is taken")
        return listener
    raise StartProblem(f"{host} port {wanted[0]} cannot be had ({reason}); give another with --port.")


def load_demo(store: PatchStore, reset: bool = False) -> None:
    """Keep the demo patches that are not there yet; with ``reset`` put all of them back as they were shipped."""
    for path in sorted((ROOT / "demo").glob("*.json")):
        document = parse_patch(path.read_bytes()).document()
        store.put_demo(path.stem, document, reset)
