"""What a figure is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from jorvik.core.document.patch import Patch
from jorvik.core.units.words import in_words


@dataclass(frozen=True)
class Figure:
    """One figure and its place."""

    about: str
    """A stave, ``signal.<id>``, ``route.<id>``, or nothing for the patch itself."""
    name: str
    value: float
    unit: str
    help: str
    """The definition, in a sentence."""
    group: str = ""
    """What it stands under, with others of its kind."""
    words: str = ""
    """How it is read, where that is more than the value in its unit."""
    with_value: Callable[[float], Patch] | None = field(default=None, repr=False, compare=False)
    """What makes the patch that has another value here, where that can be worked out."""
    kind: str = ""
    """The file that it comes from."""

    @property
    def said(self) -> str:
        """How it is read."""
        return self.words or in_words(self.value, self.unit)

    def facts(self) -> dict[str, Any]:
        """Return its parts by name, as they go out of the program."""
        told = ("about", "kind", "group", "name", "unit", "said", "help")
        parts = {name: getattr(self, name) for name in told}
        return {**parts, "value": float(self.value), "settable": self.with_value is not None}
