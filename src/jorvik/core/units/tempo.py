"""Note values: lengths said in parts of a bar, turned into seconds at a tempo."""

import re
from dataclasses import dataclass
from typing import Final

_FRACTION: Final = re.compile(r"^(\d{1,3})/(\d{1,3})([dt]?)$")
_BARS: Final = re.compile(r"^(\d{1,3}(?:\.\d{1,4})?)bar$")
_STRETCH: Final = {"": 1.0, "d": 1.5, "t": 2.0 / 3.0}


@dataclass(frozen=True)
class Tempo:
    """How fast quarter notes follow each other, and how many make a bar."""

    bpm: float = 120.0
    beats_per_bar: int = 4

    def seconds(self, time: float | str) -> float:
        """Return a time in seconds, given in seconds or as a note value.

        >>> Tempo(96).seconds("1/4")
        0.625
        >>> Tempo(120).seconds("1/8d")
        0.375
        """
        if isinstance(time, str):
            return quarters(time, self.beats_per_bar) * 60.0 / self.bpm
        return time

    def hertz(self, rate: float | str) -> float:
        """Return a rate in hertz, given in hertz or as the note value of one period."""
        if isinstance(rate, str):
            return 1.0 / self.seconds(rate)
        return rate


def is_note_value(text: str) -> bool:
    """Tell whether ``text`` is a note value longer than nothing, as ``"1/4"``, ``"1/8d"``, ``"1/16t"``, ``"2bar"``."""
    try:
        return quarters(text) > 0.0
    except ValueError:
        return False


def quarters(text: str, beats_per_bar: int = 4) -> float:
    """Return the length of a note value in quarter notes.

    ``"1/4"`` is a quarter note; ``d`` dots it (x 1.5), ``t`` makes it a triplet (x 2/3); ``"2bar"`` is two bars.

    Raises ValueError when the text is no note value.

    >>> quarters("3/8")
    1.5
    """
    if match := _FRACTION.match(text):
        over, under = int(match[1]), int(match[2])
        if under > 0:
            return 4.0 * over / under * _STRETCH[match[3]]
    elif match := _BARS.match(text):
        return float(match[1]) * beats_per_bar
    raise ValueError(f"{text!r} is no note value; write one as 1/4, 1/8d, 1/16t or 2bar")
