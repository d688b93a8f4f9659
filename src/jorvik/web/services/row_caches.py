"""RowCaches that outlive a request, so that an edit is answered by making what it changes and nothing else."""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

from jorvik.core.engine.row_cache import RowCache
from jorvik.core.engine.run import Run
from jorvik.core.limits import MAX_ROW_CACHE_BYTES, MAX_ROW_CACHES_BYTES


class RowCaches:
    """A few caches, each acquired by one request at a time."""

    def __init__(self) -> None:
        self._free: list[RowCache] = []
        self._lock = Lock()

    @contextmanager
    def acquired(self, run: Run) -> Iterator[RowCache | None]:
        """Yield a cache for a run: the one that a run of its size left last. None for a run too long to be kept."""
        rows, columns = run.shape
        if rows * columns * 8 > MAX_ROW_CACHE_BYTES:
            yield None
            return
        with self._lock:
            alike = [cache for cache in self._free if cache.shape == run.shape]
            cache = alike[-1] if alike else RowCache()
            self._free = [other for other in self._free if other is not cache]
        try:
            yield cache
        finally:
            with self._lock:
                self._free.append(cache)
                while len(self._free) > 1 and sum(kept.nbytes for kept in self._free) > MAX_ROW_CACHES_BYTES:
                    del self._free[0]
