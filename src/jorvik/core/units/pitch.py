"""Keys and their frequencies, in equal temperament with key 69 at 440 Hz."""

import math
from typing import Final


def key_hz(key: float) -> float:
    """Return the frequency of a MIDI key, with its fraction.

    >>> key_hz(69.0)
    440.0
    """
    return 440.0 * 2.0 ** ((key - 69.0) / 12.0)


def key_at(hz: float) -> float:
    """Return the MIDI key of a frequency, with its fraction.

    >>> key_at(880.0)
    81.0
    """
    return 69.0 + 12.0 * math.log2(hz / 440.0)


KEY60_HZ: Final = key_hz(60.0)
"""Where an octave count, and a control voltage of 1 V an octave, is 0."""
