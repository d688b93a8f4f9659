"""How much is tried: a few examples in ``./test``, many in ``./test --long``."""

import os
import unittest
from collections.abc import Mapping
from typing import Final, TypeVar

from hypothesis import settings

T = TypeVar("T")
N = TypeVar("N", int, float)

LONG: Final = "JORVIK_LONG"
"""Set in the environment by ``--long``."""

SHARE: Final = 8
"""How many times more examples ``--long`` tries."""


def is_long() -> bool:
    """Return whether ``--long`` was given."""
    return LONG in os.environ


def count(long: N, short: N) -> N:
    """Return how many rounds are run: the first number with ``--long``, the second without."""
    return long if is_long() else short


def examples(number: int) -> settings:
    """Return settings that try so many examples of a property with ``--long``, and a share of them without."""
    return settings(max_examples=count(number, max(4, number // SHARE)))


only_long: Final = unittest.skipUnless(is_long(), "tried with --long")
"""Marks a test that is left out of a short run."""


def some_of(things: Mapping[str, T], every: int) -> dict[str, T]:
    """Return all things with ``--long``, and one in so many without, spread over their names."""
    return dict(list(things.items())[:: count(1, every)])
