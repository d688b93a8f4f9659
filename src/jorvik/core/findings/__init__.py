"""Judgements: one file a rule; nothing lists them. A rule is a function ``find`` that yields what it has found.

Each file says at its top what it looks for, and its threshold with the reason for it.
"""

import pkgutil
from collections.abc import Callable, Iterable, Iterator
from importlib import import_module
from typing import Final, TypeVar

from jorvik.core.document.patch import Patch
from jorvik.core.engine.run import Cancelled, never
from jorvik.core.findings.base import Finding
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem

T = TypeVar("T")

_NO_RULES = ("base", "dips")
RULES: Final[dict[str, Callable[[Context], Iterator[Finding]]]] = {
    info.name: import_module(f"{__name__}.{info.name}").find
    for info in pkgutil.iter_modules(__path__)
    if info.name not in _NO_RULES
}
"""Every rule by the name of its file."""

_ORDER: Final = {"fault": 0, "caution": 1, "note": 2}


def findings(context: Context) -> list[Finding]:
    """Return everything that the rules find in a patch, the gravest first, in time within that."""
    found: list[Finding] = []
    for rule in RULES.values():
        if context.cancelled():
            raise Cancelled
        found += found_by(rule, context)
    return gravest_first(found)


def found_by(look: Callable[[Context], Iterable[T]], context: Context) -> list[T]:
    """Return what a rule or a reading finds in a patch.

    Nothing where the patch can be run as it stands, but not as this one would play it; ``breaks_elsewhere`` says so.
    """
    _ = context.measures
    try:
        return list(look(context))
    except Problem:
        return []


def gravest_first(found: Iterable[Finding]) -> list[Finding]:
    """Return findings in the order in which they are shown: the gravest first, in time within that."""
    return sorted(found, key=lambda f: (_ORDER[f.severity], f.from_s))


def check(patch: Patch, cancelled: Callable[[], bool] = never, voice: int = 0) -> list[Finding]:
    """Return what the rules find in a patch, of a poly one in one of its voices."""
    return findings(Context(patch, cancelled=cancelled, voice=voice))
