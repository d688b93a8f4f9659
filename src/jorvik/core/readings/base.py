"""What a reading is."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Final

from jorvik.core.document.patch import Patch
from jorvik.core.modules.base import rate_text, time_text

_MINUS: Final = "−"
_BARE: Final = ("bend", "count", "cycle", "Q", "signal", "x")
"""Units that are not said."""
_NAMES: Final = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


@dataclass(frozen=True)
class Reading:
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
    wished: Callable[[float], Patch] | None = field(default=None, repr=False, compare=False)
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
        return {**parts, "value": float(self.value), "settable": self.wished is not None}


def in_words(value: float, unit: str) -> str:
    """Return a value as it is read on the sheet.

    >>> in_words(0.09, "s"), in_words(-0.5, "ratio"), in_words(1234.5, "Hz"), in_words(-3.25, "dB")
    ('90 ms', '−50 %', '1.234 kHz', '−3.25 dB')
    """
    size = abs(value)
    if unit == "s":
        text = time_text(size)
    elif unit == "Hz":
        text = rate_text(size)
    elif unit == "ratio":
        text = f"{100.0 * size:.3g} %"
    else:
        text = f"{size:.4g} {'' if unit in _BARE else unit}".rstrip()
    return f"{_MINUS}{text}" if value < 0.0 and text.strip("0. %" + unit) else text


def note_name(key: float) -> str:
    """Return a MIDI key as a note and the cents beside it.

    >>> note_name(60.0), note_name(69.5)
    ('C4', 'A4 +50 cents')
    """
    nearest = round(key)
    cents = round(100.0 * (key - nearest))
    name = f"{_NAMES[nearest % 12]}{nearest // 12 - 1}"
    return name if cents == 0 else f"{name} {'+' if cents > 0 else _MINUS}{abs(cents)} cents"


def rounded(value: float) -> float:
    """Return a worked-out setting with as many digits as a field shows without loss."""
    return float(f"{value:.6g}")
