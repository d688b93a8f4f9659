"""Pieces on processes: a cluster of this machine, or one that is there, by dask.distributed.

A piece is handed out once; what comes back is in the journal before the next is handed out for it. No more pieces are
under way than the workers can soon begin, so that a cancel is quick and memory stays flat however many there are.
"""

import asyncio
import concurrent.futures
import ctypes
import logging
import math
import multiprocessing
import queue
import signal
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from multiprocessing import forkserver, resource_tracker
from pathlib import Path
from typing import Any, Final

import dask
from distributed import Client, Future, LocalCluster, WorkerPlugin
from distributed.scheduler import KilledWorker
from distributed.security import Security

from jorvik.bank.doing import FAILED, Limits, Row, bound_memory, do, write_whole
from jorvik.bank.journal import Journal
from jorvik.bank.pieces import Piece, engine_version
from jorvik.core.cores import use_cores
from jorvik.core.problems import Problem

_POLL_S: Final = 0.2
_KEPT_BYTES: Final = 256 << 20
_COUNTED_S: Final = 2.0
"""How often the threads of all workers are counted: some may come or go."""
_UNDER_WAY_EACH: Final = 3
"""Pieces for each thread of a worker that are handed out at once."""
_STARTS_S: Final = 60.0
_GONE_S: Final = 10.0
"""After which a scheduler that does not answer is taken for gone."""

CONFIG: Final = {
    # A worker has the one piece that it works at: should it die, no other is suspected.
    "distributed.scheduler.worker-saturation": 1.0,
    "distributed.scheduler.allowed-failures": 2,
    "distributed.worker.daemon": False,
    "distributed.worker.multiprocessing-method": "forkserver",
    "distributed.scheduler.http.routes": [],
    "distributed.worker.http.routes": [],
    "distributed.comm.timeouts.connect": f"{_GONE_S:g}s",
    "distributed.admin.log-format": "%(message)s",
    # What looks at the workers looks less often; nobody reads a profile, and no piece is moved or kept twice.
    "distributed.scheduler.work-stealing": False,
    "distributed.scheduler.active-memory-manager.start": False,
    "distributed.worker.profile.enabled": False,
    "distributed.admin.tick.interval": "1s",
    "distributed.admin.tick.cycle": "10s",
    "distributed.admin.system-monitor.interval": "2s",
    "distributed.admin.system-monitor.gil.enabled": False,
    "distributed.worker.memory.monitor-interval": "500ms",
}

_LOST: Final = (OSError, TimeoutError, asyncio.CancelledError, concurrent.futures.CancelledError)
"""What a client raises whose scheduler does not answer any more."""


class Prepare(WorkerPlugin):  # type: ignore[misc]
    """Makes a worker ready: its memory and its cores bounded, everything that computes loaded."""

    name = "jorvik-prepare"

    def __init__(self, memory_bytes: int) -> None:
        self.memory_bytes = memory_bytes

    def setup(self, worker: Any) -> None:
        """Run once in each worker before its first piece."""
        from jorvik.core.compiling import compile_part

        # Each worker has a piece of its own at any time: none spreads over the cores of the others.
        use_cores(1)
        _keep_memory()
        compile_part("engine")
        if worker.nanny is not None:
            bound_memory(self.memory_bytes)


def _keep_memory() -> None:
    """Let this process keep what it frees: a worker is begun to give it all back, which takes a third of its time."""
    with suppress(AttributeError, OSError):
        mallopt = ctypes.CDLL(None).mallopt
        # M_TRIM_THRESHOLD and M_MMAP_THRESHOLD of malloc.h, where the C library has them.
        mallopt(-1, _KEPT_BYTES)
        mallopt(-3, _KEPT_BYTES // 8)


@dataclass(frozen=True)
class Told:
    """How far a work is."""

    done: int
    of: int
    failed: int
    left_s: float | None
    """About how long it still takes; None where that is not known yet."""


@contextmanager
def cluster(workers: int, scheduler: str | None, limits: Limits, security: Security | None = None) -> Iterator[Client]:
    """Have a client of a cluster: of so many processes of this machine, or the one whose scheduler is given.

    Processes of this machine have certificates that are made for them and kept in memory: no other user of the
    machine can hand them work, though their ports are open on loopback.

    Parameters
    ----------
    workers
        The number of processes where no scheduler is given.
    scheduler
        The address of a cluster that runs, or None.
    limits
        What a piece may take.
    security
        The certificates for a scheduler at a ``tls://`` address.

    Raises
    ------
    Problem
        Where there is no scheduler at that address, or no worker comes.
    """
    # What it would say of lost connections is said by us, in a sentence.
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    with dask.config.set(CONFIG):
        if scheduler is None:
            with _interrupts_held():
                _begin_forkserver()
                own = _processes(workers, limits)
            with own, Client(own) as client:
                yield _ready(client, limits)
            return
        try:
            client = Client(scheduler, timeout=_GONE_S, security=security)
        except (OSError, ValueError, TimeoutError) as error:
            raise Problem("--scheduler", f"none at {scheduler}", f"the address of one that runs ({error})") from None
        try:
            yield _ready(client, limits)
        finally:
            with suppress(*_LOST):
                client.close(timeout=1)


def _begin_forkserver() -> None:
    """Start the process that workers are forked from.

    It imports the libraries and loads the kernels once for all workers.
    """
    multiprocessing.get_context("forkserver").set_forkserver_preload(["jorvik.bank.preload"])
    forkserver.ensure_running()


def _processes(workers: int, limits: Limits) -> LocalCluster:
    return LocalCluster(
        n_workers=workers,
        threads_per_worker=1,
        # Above what a piece may take: the limit of its own process strikes first, and says so.
        memory_limit=round(1.5 * limits.memory_bytes),
        # Whatever it listens for, it does on loopback; its pages are not served.
        host="127.0.0.1",
        security=Security.temporary(),
        dashboard_address="127.0.0.1:0",
        worker_dashboard_address="127.0.0.1:0",
        silence_logs="CRITICAL",
    )


@contextmanager
def _interrupts_held() -> Iterator[None]:
    """Begin threads and processes that Ctrl-C does not reach: a terminal sends it to all, and the command decides.

    What is pressed meanwhile arrives after. What is begun here, and by that, has it blocked for good.
    """
    # It lets interrupts through again for the thread that begins it: so not one of those below.
    resource_tracker.ensure_running()
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    try:
        yield
    finally:
        signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGINT})


def _ready(client: Client, limits: Limits) -> Client:
    client.register_plugin(Prepare(limits.memory_bytes))
    try:
        client.wait_for_workers(1, timeout=_STARTS_S)
    except TimeoutError:
        raise Problem("the cluster", "no worker", f"a worker within {_STARTS_S:g} s") from None
    return client


class SchedulerGone(Exception):
    """The scheduler does not answer any more; what is done is kept."""


def run(
    client: Client,
    pieces: Sequence[Piece],
    journal: Journal,
    limits: Limits,
    folder: Path,
    *,
    from_workers: bool,
    cancelled: Callable[[], bool],
    told: Callable[[Told], None],
) -> bool:
    """Do the pieces that are not done yet; return whether all are, False where it was cancelled.

    ``from_workers`` lets workers write the files into the folder, which they must reach; else they come back and are
    written here. Raises SchedulerGone.
    """
    waiting = iter([piece for piece in pieces if not journal.has(piece.id)])
    weight = {piece.id: piece.seconds * piece.rows + 1.0 for piece in pieces}
    left = sum(weight[piece.id] for piece in pieces if not journal.has(piece.id))
    done = len(pieces) - sum(not journal.has(piece.id) for piece in pieces)
    failed = sum(row.state == FAILED for piece in pieces if (row := journal.rows.get(piece.id)) and not row.again)
    came: queue.SimpleQueue[Future] = queue.SimpleQueue()
    under_way: dict[str, Future] = {}
    began, worked = time.monotonic(), 0.0
    threads, counted = 1, -math.inf
    heard = time.monotonic()
    # What an earlier run gave up may still be known to the scheduler under its name.
    this_run = uuid.uuid4().hex[:8]
    version, target = engine_version(), str(folder.resolve()) if from_workers else None

    def fill() -> None:
        nonlocal threads, counted
        if time.monotonic() - counted >= _COUNTED_S:
            with _known_gone():
                threads, counted = sum(client.nthreads().values()), time.monotonic()
        room = max(_UNDER_WAY_EACH * threads, 1) - len(under_way)
        for _ in range(room):
            if (piece := next(waiting, None)) is None:
                return
            key = f"{piece.stem}-{piece.id}-{this_run}"
            future = client.submit(do, piece, limits, version, target, key=key, pure=False)
            under_way[piece.id] = future
            future.add_done_callback(came.put)

    def say() -> None:
        seconds = time.monotonic() - began
        known = worked > 0.0 and done < len(pieces)
        told(Told(done, len(pieces), failed, seconds / worked * left if known else None))

    say()
    fill()
    while under_way:
        if cancelled():
            client.cancel(list(under_way.values()), force=True)
            return False
        try:
            future = came.get(timeout=_POLL_S)
        except queue.Empty:
            heard = _still_there(client, heard)
            continue
        heard = time.monotonic()
        piece_id = next(name for name, known in under_way.items() if known.key == future.key)
        if future.status == "lost":
            # It was done, and its worker died before it was fetched: it is being done again.
            future.add_done_callback(came.put)
            continue
        if future.status == "cancelled":
            raise SchedulerGone
        with _known_gone():
            row, files = _outcome(future, piece_id)
        if name := journal.file_of_another(row):
            row, files = Row(row.id, FAILED, f"{name} is the file of another piece; it was not overwritten."), {}
        for name, data in files.items():
            write_whole(folder / name, data)
        journal.add(row)
        del under_way[piece_id]
        future.release()
        done, failed = done + 1, failed + (row.state == FAILED)
        worked, left = worked + weight[piece_id], left - weight[piece_id]
        say()
        fill()
    return True


@contextmanager
def _known_gone() -> Iterator[None]:
    try:
        yield
    except _LOST:
        raise SchedulerGone from None


def _still_there(client: Client, heard: float) -> float:
    """Return when the scheduler was last known to be there. Raises SchedulerGone after some time without."""
    if client.status == "running":
        return time.monotonic()
    if time.monotonic() - heard > _GONE_S:
        raise SchedulerGone
    return heard


def _outcome(future: Future, piece_id: str) -> tuple[Row, dict[str, bytes]]:
    """Return the row of what came, also where its worker died at it."""
    if future.status == "finished":
        row, files = future.result()
        return row, files
    error = future.exception()
    if isinstance(error, KilledWorker):
        said = "Its worker was stopped at it each time: by the machine, or for its memory."
        return Row(piece_id, FAILED, said, again=True), {}
    return Row(piece_id, FAILED, f"It could not be handed out: {error}", again=True), {}
