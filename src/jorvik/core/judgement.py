"""Everything that there is to say of a patch: what the rules find and what can be read, worked out side by side."""

import math
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import NamedTuple, TypeVar

from jorvik.core.cores import cores
from jorvik.core.engine.run import Cancelled
from jorvik.core.figures import KINDS, note_to_note, of_kind
from jorvik.core.figures.base import Figure
from jorvik.core.findings import RULES, found_by, gravest_first
from jorvik.core.findings.base import Finding
from jorvik.core.measure.context import Context

T = TypeVar("T")


class Judged(NamedTuple):
    """What was found and what can be read of a patch, as ``findings`` and ``figures`` return it."""

    findings: list[Finding]
    figures: list[Figure]


def judge(context: Context) -> Judged:
    """Return what every rule finds and every kind of figure says, on as many cores as there are.

    Most of their time goes into traces of the patch as it would be otherwise, which hold no interpreter lock.
    Raises Cancelled soon after the context's ``cancelled`` has said so.
    """
    with ThreadPoolExecutor(cores()) as pool:
        # Begun beside what all the others wait for: the trace of the patch as it is, and its figures.
        ahead = pool.submit(note_to_note.prepare, context)

        def begun(find: Callable[[Context], Iterable[T]]) -> Future[list[T]]:
            return pool.submit(_found, find, context)

        # What is refused as it stands is refused before anything else is looked at.
        ahead.result()
        _ = context.measures
        read = {kind: begun(find) for kind, find in KINDS.items()}
        found = [begun(rule) for rule in RULES.values()]
        figures = [figure for kind, future in read.items() for figure in of_kind(kind, future.result())]
        # A figure that is no number says nothing.
        told = [figure for figure in figures if math.isfinite(figure.value)]
        return Judged(gravest_first(one for future in found for one in future.result()), told)


def _found(find: Callable[[Context], Iterable[T]], context: Context) -> list[T]:
    if context.cancelled():
        raise Cancelled
    return found_by(find, context)
