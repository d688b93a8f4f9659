"""The same patch at a sweep of something: velocities, keys, lengths, tempos, seeds, or a control held still."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from queue import SimpleQueue
from typing import Annotated, Any, Final, Literal, TypeVar

from pydantic import Field

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.engine.row_cache import RowCache
from jorvik.core.limits import MAX_SECONDS
from jorvik.core.problems import Problem

T = TypeVar("T")
By = Literal["velocity", "key", "length_s", "tempo_bpm", "seed"] | Annotated[str, Field(max_length=80)]
"""What is swept: something of the note or the performance, or a control lane, such as ``macro:far``."""

MAX_SWEEP_S: Final = 600.0
"""Seconds of sound that a ladder may add up to: 127 velocities of a short note, or ten of the longest."""


def at_step(patch: Patch, by: By, value: float) -> Patch:
    """Return a patch with one thing of its performance set.

    Raises Problem when it is out of its range, or a macro is not there.
    """
    if by in ("velocity", "key", "length_s"):
        return patch.with_note(**{by: value})
    if by not in ("tempo_bpm", "seed"):
        return with_control(patch, by, [[0.0, value]])
    if by == "tempo_bpm" and patch.phrase is not None:
        return patch.under(check_phrase({**patch.phrase.document(), by: value}))
    document: dict[str, Any] = patch.document()
    set_to = round(value) if by == "seed" else value
    document["performance"] = {**document.get("performance", {}), by: set_to}
    return patch.with_document(document)


def with_control(patch: Patch, control: str, points: list[list[float]]) -> Patch:
    """Return a patch with one control lane played so, of its own performance or of its phrase."""
    held = {control: points}
    if patch.phrase is not None:
        lanes = {**patch.phrase.controls, **held}
        return patch.under(check_phrase({**patch.phrase.document(), "controls": lanes}))
    document = patch.document()
    performance = document.get("performance", {})
    document["performance"] = {**performance, "controls": {**performance.get("controls", {}), **held}}
    return patch.with_document(document)


def sweep(patches: Sequence[Patch], work: Callable[[Patch, RowCache], T], cores: int) -> list[T]:
    """Return what ``work`` makes of each patch, on as many cores as there are, each with a cache for its traces.

    Raises Problem when they add up to more sound than a sweep may.
    """
    seconds = sum(min(patch.performance.seconds, MAX_SECONDS) for patch in patches)
    if seconds > MAX_SWEEP_S:
        found = f"{len(patches)} steps, {seconds:.0f} s in all"
        raise Problem("the sweep", found, f"{MAX_SWEEP_S:.0f} s in all: fewer steps, or a shorter note")
    caches: SimpleQueue[RowCache] = SimpleQueue()
    for _ in range(cores):
        caches.put(RowCache())

    def step(number: int, patch: Patch) -> T:
        cache = caches.get()
        try:
            return work(patch, cache)
        except Problem as problem:
            where = f"step {number} of {len(patches)}, {problem.place}" if len(patches) > 1 else problem.place
            raise Problem(where, problem.found, problem.wanted) from problem
        finally:
            caches.put(cache)

    with ThreadPoolExecutor(cores) as pool:
        return list(pool.map(step, range(1, len(patches) + 1), patches))
