"""Work in stages: what one makes, the next takes up while the one before goes on."""

from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Final, TypeVar

from jorvik.core.cores import cores

T = TypeVar("T")

DEPTH: Final = 4
"""How many items may wait: enough that neither side stands still for a slow one, few enough to stay in memory."""

_END: Final = object()


def ahead(items: Iterator[T], depth: int = DEPTH) -> Iterator[T]:
    """Yield the items of an iterator that runs in a thread of its own, at most ``depth`` items further on.

    What it raises is raised where its item would have come. A consumer that stops early waits for the item under way,
    no longer. Compiled work runs side by side, Python's own does not. Where there is one core, nothing is made ahead.

    >>> list(ahead(iter("abc")))
    ['a', 'b', 'c']
    """
    if cores() == 1:
        yield from items
        return
    with ThreadPoolExecutor(1) as pool:
        waiting: deque[Future[T | object]] = deque(pool.submit(next, items, _END) for _ in range(depth))
        try:
            while (item := waiting.popleft().result()) is not _END:
                waiting.append(pool.submit(next, items, _END))
                yield item  # type: ignore[misc]
        finally:
            for future in waiting:
                future.cancel()
