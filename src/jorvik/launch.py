"""Start everything: the database, the demo data, the server, and what dies alone again. Ctrl-C stops everything."""

import argparse
import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections import deque
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from jorvik.place import CANNOT_BEGIN, instance, private_folder
from jorvik.store.cluster import Cluster, ClusterProblem, data_folder, only_one

DEFAULT_PORT = 8420
_TRIES = 20

_WATCH_S = 0.5
_STOP_S = 8.0
_MOST_DEATHS = 6
_DEATHS_S = 60.0
"""A server that dies so often within so long is not started again."""


class StartProblem(RuntimeError):
    """The app cannot start; the message is one sentence."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Start, serve until stopped, and return the exit code."""
    args = _arguments(arguments)
    folder = data_folder()
    try:
        private_folder(folder)
        with only_one(folder) as alone:
            if not alone:
                return _say_running(folder, args.port)
            return _serve(folder, args)
    except (StartProblem, ClusterProblem) as problem:
        print(f"start: {problem}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"start: {error.filename or folder}: {error.strerror}.", file=sys.stderr)
        return 1


def _arguments(arguments: Sequence[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start", description="Start Jorvik.")
    parser.add_argument("--port", type=int, help=f"port to serve on ({DEFAULT_PORT}, or the next free one)")
    parser.add_argument("--host", default="127.0.0.1", help="address to listen on (loopback unless told otherwise)")
    parser.add_argument("--no-demo", action="store_true", help="do not load the demo patches")
    parser.add_argument("--reset-demo", action="store_true", help="put the demo patches back as they were shipped")
    return parser.parse_args(arguments)


def _say_running(folder: Path, port: int | None) -> int:
    for _ in range(_TRIES):
        try:
            url = json.loads((folder / "server.json").read_text())["url"]
            with urllib.request.urlopen(f"{url}/api/health", timeout=4) as answer:  # noqa: S310
                health = json.load(answer)
                if health["instance"] == instance() and health["store"]:
                    break
        except (OSError, ValueError, KeyError):
            pass
        time.sleep(0.5)
    else:
        raise StartProblem(f"another start holds {folder} and does not answer; end it, then start again.")
    if port is not None and not url.endswith(f":{port}"):
        raise StartProblem(f"Jorvik is running already at {url}; stop it first to serve on port {port}.")
    print(f"Jorvik is running already at {url}")
    return 0


def _serve(folder: Path, args: argparse.Namespace) -> int:
    """Keep the database and the server up until stopped: whichever dies alone is started again."""
    listener = _listen(args.host, args.port)
    port = listener.getsockname()[1]
    cluster = Cluster(folder)
    # A shell that starts us in the background has Ctrl-C ignored; whoever sends it to us means it.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
    server: Server | None = None
    try:
        shown = f"[{args.host}]" if ":" in args.host else args.host
        url = f"http://{shown}:{port}"
        options = {"url": url, "host": args.host, "demo": not args.no_demo, "reset": args.reset_demo}
        server = Server(folder, listener, options)
        # The server imports its modules while the database starts.
        server.begin()
        started = time.monotonic()
        database = cluster.ensure_started()
        print(f"start: database ({time.monotonic() - started:.1f} s)", flush=True)
        server.serve(database)
        while True:
            server.watch(database)
            if not cluster.is_up():
                print("start: the database has stopped and is started again", flush=True)
                renewed = cluster.ensure_started()
                if renewed != database:
                    server.stop()
                    server.begin()
                    server.serve(database := renewed)
    except KeyboardInterrupt:
        pass
    finally:
        print("\nstart: stopping the database", flush=True)
        if server is not None:
            server.stop()
        (folder / "server.json").unlink(missing_ok=True)
        cluster.stop()
    return 0


class Server:
    """The process that serves. The listening socket is ours, so that whoever calls meanwhile waits and is answered."""

    def __init__(self, folder: Path, listener: socket.socket, options: dict[str, Any]) -> None:
        self._folder = folder
        self._listener = listener
        self._options = options
        self._process: subprocess.Popen[str] | None = None
        self._deaths: deque[float] = deque(maxlen=_MOST_DEATHS)

    def begin(self) -> None:
        """Start the process, which waits for its database."""
        self._process = subprocess.Popen(
            [sys.executable, "-m", "jorvik", "serve"],
            stdin=subprocess.PIPE,
            pass_fds=[self._listener.fileno()],
            # Ctrl-C is for us; we tell it.
            start_new_session=True,
            text=True,
        )

    def serve(self, database: str) -> None:
        """Let the process serve on a database.

        Its standard input carries the settings, and ends when we do.
        """
        assert self._process is not None and self._process.stdin is not None
        settings = {**self._options, "database": database, "folder": str(self._folder)}
        settings["socket"] = self._listener.fileno()
        # A process that has died already is noticed by its exit code.
        with suppress(BrokenPipeError):
            self._process.stdin.write(json.dumps(settings) + "\n")
            self._process.stdin.flush()
        about = {"url": self._options["url"], "pid": os.getpid(), "server_pid": self._process.pid}
        (self._folder / "server.json").write_text(json.dumps(about))

    def watch(self, database: str) -> None:
        """Wait a moment; where it has died meanwhile, start it again.

        Raises StartProblem where it could not begin at all, or dies again and again.
        """
        assert self._process is not None
        with suppress(subprocess.TimeoutExpired):
            code = self._process.wait(_WATCH_S)
            if code == 0:
                raise KeyboardInterrupt
            if code == CANNOT_BEGIN:
                raise StartProblem("the server could not begin, as it says above.")
            self._deaths.append(time.monotonic())
            if len(self._deaths) == _MOST_DEATHS and self._deaths[-1] - self._deaths[0] < _DEATHS_S:
                raise StartProblem(f"the server died {_MOST_DEATHS} times within {_DEATHS_S:.0f} s; it is left down.")
            print("start: the server has stopped and is started again", flush=True)
            # Demo patches were loaded, and put back where that was asked for, when it first began.
            self._options |= {"demo": False, "reset": False, "again": True}
            self.begin()
            self.serve(database)

    def stop(self) -> None:
        """Let it end what it is at, and be gone after a few seconds."""
        if self._process is None:
            return
        self._process.send_signal(signal.SIGTERM)
        try:
            self._process.wait(_STOP_S)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.close()


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
