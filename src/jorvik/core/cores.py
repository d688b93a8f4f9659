"""How many cores a piece of work may spread over: all there are, unless work is done on each of them already."""

import os

_allowed: int | None = None


def cores() -> int:
    """Return how many threads of this process may compute at once for one piece of work.

    >>> cores() >= 1
    True
    """
    return _allowed or os.cpu_count() or 1


def use_cores(count: int | None) -> None:
    """Let a piece of work in this process spread over so many cores; over all there are where None."""
    global _allowed
    _allowed = count
