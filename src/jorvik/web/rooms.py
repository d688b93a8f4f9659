"""Rooms that outlive a request, so that an edit is answered by making what it changes and nothing else."""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

from jorvik.core.engine.run import Room, Run
from jorvik.core.limits import MAX_ROOM_BYTES, MAX_ROOMS_BYTES


class Rooms:
    """A few rooms, each lent to one request at a time."""

    def __init__(self) -> None:
        self._free: list[Room] = []
        self._lock = Lock()

    @contextmanager
    def lent(self, run: Run) -> Iterator[Room | None]:
        """Lend a room for a run: the one that a run of the same size left last. None for a run too long to be kept."""
        rows, columns = run.shape
        if rows * columns * 8 > MAX_ROOM_BYTES:
            yield None
            return
        with self._lock:
            alike = [room for room in self._free if room.shape == run.shape]
            room = alike[-1] if alike else Room()
            self._free = [other for other in self._free if other is not room]
        try:
            yield room
        finally:
            with self._lock:
                self._free.append(room)
                while len(self._free) > 1 and sum(kept.nbytes for kept in self._free) > MAX_ROOMS_BYTES:
                    del self._free[0]
