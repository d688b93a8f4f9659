"""The slot for live playing: one page plays at a time."""

import threading
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

from jorvik.web.services.forking import forked
from jorvik.web.services.live_process import serve


@dataclass(frozen=True)
class Seat:
    """The place of the one page that plays: its process, and the pipe to it."""

    process: Any
    pipe: Connection


class LiveSlot:
    """The one place at which a page plays, with one owner at a time.

    Its methods may be called from several threads.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._seat: Seat | None = None

    def enter(self) -> Seat | None:
        """Start a process that plays and return its seat; None where another page has it."""
        with self._lock:
            if self._seat is not None and self._seat.process.is_alive():
                return None
            self._end()
            context = forked()
            ours, theirs = context.Pipe()
            process = context.Process(target=serve, args=(theirs,), daemon=True)
            process.start()
            theirs.close()
            self._seat = Seat(process, ours)
            return self._seat

    def leave(self, seat: Seat | None = None) -> None:
        """End the process of a seat; without a seat, of the page that plays."""
        with self._lock:
            if seat is None or seat is self._seat:
                self._end()

    def _end(self) -> None:
        seat, self._seat = self._seat, None
        if seat is not None:
            seat.process.kill()
            # A process that was killed is reaped here, and its pipe closed: neither is left behind.
            seat.process.join()
            seat.process.close()
            seat.pipe.close()

    @property
    def pid(self) -> int | None:
        """The number of the process that plays, where one does."""
        with self._lock:
            return self._seat.process.pid if self._seat is not None else None
