"""Computed rows that are kept from one run to the next: what both have in common is made once."""

from collections.abc import Callable, Sequence
from typing import TypeVar, cast

import numpy as np
from cachetools import LRUCache

from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.row_keys import Key
from jorvik.core.limits import MAX_KEPT

T = TypeVar("T")


class RowCache:
    """A table in which one run after the other is made; rows that the next has in common with the last stay in it.

    It is of one thread at a time.
    """

    def __init__(self) -> None:
        self._cells: Floats = np.zeros(0)
        self._keys: list[Key] = []
        self._found: LRUCache[object, object] = LRUCache(MAX_KEPT)
        self.shape = (0, 0)
        """Rows and columns of the last run's table."""

    def acquire(self, shape: tuple[int, int], keys: Sequence[Key]) -> tuple[Floats, set[int]]:
        """Return a table, and the rows of it that hold what their key stands for already."""
        same = shape == self.shape
        made = {i for i, (key, before) in enumerate(zip(keys, self._keys, strict=False)) if same and key == before}
        size = shape[0] * shape[1]
        if self._cells.size < size:
            # Half as much again, for longer runs to come: what is not used of it takes no memory.
            self._cells = np.zeros(size * 3 // 2)
        self.shape, self._keys = shape, []
        return self._cells[:size].reshape(shape), made

    @property
    def nbytes(self) -> int:
        """How much memory it holds for runs."""
        return self._cells.nbytes

    def release(self, keys: Sequence[Key]) -> None:
        """Say that every row holds what its key stands for."""
        self._keys = list(keys)

    def once(self, what: object, rows: Sequence[int], make: Callable[[], T]) -> T:
        """Return what is made of some rows, from the last time that it was made of the same."""
        if not self._keys:
            # Nothing was run in it: what is asked of a run that is not kept whole is not kept either.
            return make()
        name = what, *(self._keys[row] for row in rows)
        if name not in self._found:
            self._found[name] = make()
        return cast(T, self._found[name])
