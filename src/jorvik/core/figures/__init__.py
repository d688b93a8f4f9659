"""Figures in place: one file a kind of figure; nothing lists them.

A figure stands on the page of what it is about, where it is needed: a source, a stave, a route, or the patch. Each
file has a function ``find`` that yields what there is to read, and says at its top what it is and where a formula comes
from.
"""

import pkgutil
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from importlib import import_module
from typing import Final

from jorvik.core.document.patch import Patch
from jorvik.core.engine.run import Cancelled
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem

_NO_FIGURES = ("base",)
KINDS: Final[dict[str, Callable[[Context], Iterator[Figure]]]] = {
    info.name: import_module(f"{__name__}.{info.name}").find
    for info in pkgutil.iter_modules(__path__)
    if info.name not in _NO_FIGURES
}
"""Every kind of figure by the name of its file."""


def figures(context: Context) -> list[Figure]:
    """Return everything that there is to read of a patch at its test note, in the order of the files."""
    found: list[Figure] = []
    for kind, find in KINDS.items():
        if context.cancelled():
            raise Cancelled
        found += of_kind(kind, find(context))
    return found


def of_kind(kind: str, found: Iterable[Figure]) -> list[Figure]:
    """Return figures that say which file they come from."""
    return [replace(figure, kind=kind) for figure in found]


def with_figure(context: Context, kind: str, about: str, name: str, value: float) -> Patch:
    """Return the patch in which a figure comes to another value, or as near to it as its ranges allow.

    Raises Problem when there is no such figure, or none that can be set.
    """
    for figure in KINDS[kind](context) if kind in KINDS else ():
        if (figure.about, figure.name) == (about, name) and figure.with_value is not None:
            return figure.with_value(value)
    raise Problem(about or "the patch", f"no {name} to set", "a figure that can be set, as it stands in the patch now")
