"""Seconds that some work takes, and the ratio of two in the same run."""

import time
from collections.abc import Callable

import numpy as np

TURNS = 15


def compared(ours: Callable[[], object], theirs: Callable[[], object]) -> tuple[float, float, float]:
    """Return the median seconds of two things run in turn, and the median of their ratio pair by pair."""
    ours(), theirs()
    pairs = []
    for _ in range(TURNS):
        begin = time.perf_counter()
        ours()
        middle = time.perf_counter()
        theirs()
        pairs.append((middle - begin, time.perf_counter() - middle))
    a, b = np.array(pairs).T
    return float(np.median(a)), float(np.median(b)), float(np.median(a / b))


def median(work: Callable[[], object], turns: int = TURNS) -> float:
    """Return the median seconds of some work, after once to warm up."""
    work()
    taken = []
    for _ in range(turns):
        begin = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begin)
    return float(np.median(taken))
