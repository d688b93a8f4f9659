"""Processes that compute, a task at a time each, so that the one that answers requests never does.

A process that computes may be stopped by the machine, or by a fault in compiled code. It then costs the one task that
it had; its place is taken by another. They are forked from a process that has everything imported and compiled, and so
begin at once and share most of their memory.
"""

import logging
import os
import resource
import signal
import threading
import traceback
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.sharedctypes import Synchronized
from typing import Any, Final

from jorvik.core.engine.run import Cancelled
from jorvik.core.problems import Problem
from jorvik.web.services.forking import forked

_LOG: Final = logging.getLogger("jorvik")

_POLL_S: Final = 0.05
_KIB: Final = 1024

MAX_WORKER_BYTES: Final = 800_000_000
"""A process that has grown over this is replaced once its task is done."""

Cancel = Callable[[], bool]
Tell = Callable[[Any], None]


class WorkerDied(Exception):
    """The process that worked at it was stopped."""


class TaskBroke(Exception):
    """The task failed in a way that nobody foresaw; the text is its traceback."""


class Worker:
    """One process, started when it is first needed."""

    def __init__(self, nice: int) -> None:
        """Make a worker that gives way to others by so much; 0 does not."""
        self._nice = nice
        self._stopping = threading.Lock()
        self._has_ended = False
        self._process: Any = None
        self._pipe: Connection | None = None
        self._cancel: Synchronized[int] | None = None

    @property
    def pid(self) -> int | None:
        """The number of the process, where it runs."""
        return self._process.pid if self._process is not None else None

    def run(self, task: Callable[..., Any], arguments: tuple[Any, ...], cancelled: Cancel, tell: Tell) -> Any:
        """Return what a task makes of its arguments, a function that tells whether to give up, and one to tell with.

        Raises what the task raises: Problem and Cancelled as they are, anything else as TaskBroke; and WorkerDied.
        """
        has_answered = False
        try:
            what, value = self._answer(task, arguments, cancelled, tell)
            has_answered = True
        finally:
            if not has_answered:
                # An answer that comes after this would be taken for that of the next task.
                self.stop()
        if what == "raised":
            raise value
        if what == "broke":
            raise TaskBroke(value)
        made, grown = value
        if grown > MAX_WORKER_BYTES:
            self.stop()
        return made

    def _answer(
        self, task: Callable[..., Any], arguments: tuple[Any, ...], cancelled: Cancel, tell: Tell
    ) -> tuple[str, Any]:
        """Hand a task to the process; return how it ended, and what it made or raised."""
        pipe, cancel = self._started()
        cancel.value = 0
        try:
            pipe.send((task, arguments))
            while True:
                if cancelled():
                    cancel.value = 1
                if not pipe.poll(_POLL_S):
                    continue
                what, value = pipe.recv()
                if what != "told":
                    return what, value
                tell(value)
        except (EOFError, OSError) as error:
            raise WorkerDied(f"{task.__name__} lost its process") from error

    def _started(self) -> "tuple[Connection, Synchronized[int]]":
        if self._pipe is None or self._cancel is None or not self._process.is_alive():
            self.stop()
            with self._stopping:
                if self._has_ended:
                    raise WorkerDied("it has ended for good")
                context = forked()
                self._pipe, theirs = context.Pipe()
                self._cancel = context.Value("b", 0, lock=False)
                process = context.Process(target=_serve, args=(theirs, self._cancel, self._nice), daemon=True)
                process.start()
                self._process = process
                theirs.close()
                return self._pipe, self._cancel
        return self._pipe, self._cancel

    def end(self) -> None:
        """Stop the process and start no other."""
        self._has_ended = True
        self.stop()

    def stop(self) -> None:
        """Stop the process, whatever it is at. Two may say so at once."""
        with self._stopping:
            process, pipe = self._process, self._pipe
            self._process = self._pipe = self._cancel = None
            if process is not None:
                process.kill()
                process.join(timeout=5)
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()


def _serve(pipe: Connection, cancel: "Synchronized[int]", nice: int) -> None:
    """Run one task after the other until nobody is there to give any."""
    # Ctrl-C is for whoever started us, and ends us by closing the pipe.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    os.nice(nice)
    parent = os.getppid()

    def cancelled() -> bool:
        return cancel.value != 0 or os.getppid() != parent

    def tell(value: Any) -> None:
        pipe.send(("told", value))

    with suppress(EOFError, ConnectionError, OSError):
        while True:
            task, arguments = pipe.recv()
            try:
                made = task(*arguments, cancelled, tell)
                grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * _KIB
                answer: tuple[str, Any] = ("made", (made, grown))
            except (Problem, Cancelled) as error:
                answer = ("raised", error)
            except MemoryError:
                answer = ("raised", Problem("the patch", "more than there is memory for", "shorter, or of fewer parts"))
            except Exception:
                answer = ("broke", traceback.format_exc())
            del arguments
            pipe.send(answer)


def do_nothing(_: Cancel, __: Tell) -> None:
    """Do nothing, which shows that a process is there."""


@dataclass
class WorkerPool:
    """Workers of one kind of work; no kind waits for another."""

    size: int
    nice: int
    _idle: deque[Worker] = field(default_factory=deque)
    _all: list[Worker] = field(default_factory=list)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def run(self, task: Callable[..., Any], arguments: tuple[Any, ...], cancelled: Cancel, tell: Tell) -> Any:
        """Run a task in a worker that is free, as :meth:`Worker.run` does; the caller sees to it that one is."""
        if cancelled():
            raise Cancelled
        with self._lock:
            # The one that was at work last has the most ready.
            worker = self._idle.pop() if self._idle else Worker(self.nice)
            if worker not in self._all:
                self._all.append(worker)
        try:
            return worker.run(task, arguments, cancelled, tell)
        finally:
            with self._lock:
                self._idle.append(worker)

    def stop(self) -> None:
        """Stop every worker for good."""
        with self._lock:
            workers = list(self._all)
        for worker in workers:
            worker.end()

    @property
    def pids(self) -> list[int]:
        """The numbers of the processes that run."""
        return [pid for worker in self._all if (pid := worker.pid) is not None]
