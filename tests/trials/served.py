"""What trials need: how long they are, the launcher in a process of its own, and requests without manners."""

import contextlib
import http.client
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, Final, NamedTuple

from jorvik.place import ROOT
from jorvik.store.cluster import data_folder
from tests.effort import is_long
from tests.support import PATIENCE_S, wait_until

LONG: Final = is_long()
"""Set by ``./test trials --long``."""


def seed_of(name: str) -> int:
    """Return the seed of a trial and print it: the one asked for by JORVIK_SEED, else a new one."""
    given = os.environ.get("JORVIK_SEED")
    seed = int(given) if given else random.SystemRandom().randrange(10**6)
    print(f"\n{name}: JORVIK_SEED={seed}", flush=True)
    return seed


class Answer(NamedTuple):
    """What came back."""

    status: int
    headers: dict[str, str]
    body: bytes


def ask(port: int, method: str, path: str, body: bytes | None = None, timeout: float = PATIENCE_S) -> Answer:
    """Send one request and return the answer. Raises OSError where there is none."""
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=timeout)
    try:
        connection.request(method, path, body, {"Content-Type": "application/json"} if body is not None else {})
        answer = connection.getresponse()
        return Answer(answer.status, dict(answer.getheaders()), answer.read())
    except http.client.HTTPException as error:
        raise ConnectionError(str(error)) from error
    finally:
        connection.close()


def ask_json(port: int, method: str, path: str, body: Any = None) -> tuple[int, Any]:
    """Send JSON and return the status and what the answer holds."""
    answer = ask(port, method, path, None if body is None else json.dumps(body).encode())
    return answer.status, json.loads(answer.body) if answer.body else None


def resident(pid: int) -> int:
    """Return the bytes of memory that a process holds, those that it shares with others among them."""
    with contextlib.suppress(OSError):
        for line in Path(f"/proc/{pid}/status").read_text().splitlines():
            if line.startswith("VmRSS"):
                return 1024 * int(line.split()[1])
    return 0


class Launched:
    """The real launcher with an empty store, or the demos, in a process and a folder of its own."""

    def __init__(self, demo: bool = False) -> None:
        self.options = [] if demo else ["--no-demo"]
        self.folder = Path(f"{data_folder()}-trial-{os.getpid()}-{time.monotonic_ns()}")
        self.process: subprocess.Popen[str] | None = None
        self.port = 0

    def start(self) -> None:
        """Start it, and wait for its address."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "jorvik", "--port", str(self.port), *self.options],
            cwd=ROOT,
            env={**os.environ, "JORVIK_DATA": str(self.folder), "PYTHONUNBUFFERED": "1"},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if line.startswith("Jorvik is at "):
                self.port = int(line.split()[3].rsplit(":", 1)[1])
                threading.Thread(target=self.process.stdout.read, daemon=True).start()
                return
        raise AssertionError("the launcher ended without an address")

    def server_pid(self) -> int:
        """Return the process that serves now."""
        return int(json.loads((self.folder / "server.json").read_text())["server_pid"])

    def database_pid(self) -> int:
        """Return the database server's process."""
        return int((self.folder / "data" / "postmaster.pid").read_text().splitlines()[0])

    def until_up(self) -> None:
        """Wait until server and store answer."""
        wait_until(self._is_up, "it did not come up again")

    def _is_up(self) -> bool:
        with contextlib.suppress(OSError, ValueError):
            return bool(ask_json(self.port, "GET", "/api/health")[1]["store"])
        return False

    def stop(self) -> None:
        """End it as Ctrl-C does, and remove its folder."""
        if self.process is not None:
            self.process.send_signal(signal.SIGINT)
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.process.wait(30)
            self.process.kill()
            self.process.wait()
            if self.process.stdout is not None:
                self.process.stdout.close()
        shutil.rmtree(self.folder, ignore_errors=True)


@contextlib.contextmanager
def going_on(work: Any) -> Iterator[threading.Event]:
    """Run ``work(stop)`` in a thread while the body runs; what it raises is raised at the end."""
    stop, raised = threading.Event(), []

    def run() -> None:
        try:
            work(stop)
        except BaseException as error:
            raised.append(error)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    try:
        yield stop
    finally:
        stop.set()
        thread.join(PATIENCE_S)
    if raised:
        raise raised[0]
