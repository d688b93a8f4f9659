"""A task made from its kind, level and seed: the same again every time."""

from functools import lru_cache
from importlib import import_module
from random import Random
from typing import Final, get_args

from jorvik.core.practice import kinds
from jorvik.core.practice.task import LEVELS, KindName, Made, Task
from jorvik.core.problems import Problem, shown

KINDS: Final = {name: import_module(f"{kinds.__name__}.{name}") for name in get_args(KindName)}
"""Every kind of task by the name of its file, the easiest to begin with first."""


@lru_cache(maxsize=256)
def made(kind: str, level: int, seed: int) -> Made:
    """Return a task with its answer. Raises Problem where there is no such kind or level.

    >>> made("read", 1, 7).task == made("read", 1, 7).task, made("read", 1, 7) == made("read", 1, 8)
    (True, False)
    """
    if kind not in KINDS:
        raise Problem("kind", shown(kind), f"one of {', '.join(KINDS)}")
    if not 1 <= level <= LEVELS:
        raise Problem("level", f"{level}", f"1 to {LEVELS}")
    # Told apart by all three: a seed alone would begin every kind with the same numbers.
    found: Made = KINDS[kind].make(level, seed, Random(f"{kind} {level} {seed}"))
    return found


def again(task: Task) -> Made:
    """Return a task with its answer, made again from what it says of itself."""
    return made(task.kind, task.level, task.seed)


_TRIED: Final = 60


@lru_cache(maxsize=1)
def abouts() -> dict[str, list[tuple[str, int]]]:
    """Return which kinds and levels there are for each rule or figure that a task is about."""
    found: dict[str, list[tuple[str, int]]] = {}
    for kind in KINDS:
        for level in range(1, LEVELS + 1):
            for seed in range(_TRIED):
                about = made(kind, level, seed).task.about
                if about and (kind, level) not in found.setdefault(about, []):
                    found[about].append((kind, level))
    return found


def seed_about(about: str, kind: str, level: int, first: int = 1) -> int:
    """Return the first seed, from one on, of a task about a rule or figure. Raises Problem where there is none."""
    for seed in range(first, first + 10 * _TRIED):
        if made(kind, level, seed).task.about == about:
            return seed
    raise Problem("about", shown(about), f"one of {', '.join(abouts())}")
