"""What an ear notices: each threshold once, with where it comes from."""

from dataclasses import dataclass
from typing import Final

AUDIO_HZ: Final = 20.0
"""From here on a repetition is heard as a tone instead of a movement; under it nothing is heard as one."""

HIGHEST_HZ: Final = 20_000.0
"""What lies over it is not heard."""

PITCH_ST: Final = 0.05
"""A pitch that is off by less is not noticed within a phrase, where a note is heard for a moment: 5 cents."""

STEADY_PITCH_ST: Final = 0.03
"""The same for one held note against another: 3 cents, 0.2 % (Wier, Jesteadt and Green, JASA 61, 1977, at 1 kHz)."""

CUTOFF_ST: Final = 0.1
"""A difference of a filter's cutoff that is not noticed."""

MOVED_CUTOFF_ST: Final = 0.5
"""A filter's cutoff that moves by so much is noticed."""

DETUNE_CENTS: Final = 1.0
"""A difference of a detuning that is noticed by its beats.

At 440 Hz it is one beat more in 4 s.
"""

LEVEL_DB: Final = 1.0
"""Levels are told apart from about here on (Jesteadt, Wier and Green, JASA 61, 1977)."""

TIME_SHARE: Final = 0.1
"""Times are told apart from a tenth of them on (Abel, JASA 51, 1972, from 40 ms to 1 s)."""

RATE_SHARE: Final = 0.04
"""Rates of a beat are told apart from here on (Drake and Botte, Perception & Psychophysics 54, 1993: 2 to 6 %)."""

MASKED_DB: Final = 60.0
"""What lies so far under the strongest of a sound is not heard beside it."""

SILENT: Final = 0.01
"""An amplitude at or under this, 40 dB down, is not heard as a note."""

CLICK_JUMP: Final = 0.34
CLICK_WITHIN_S: Final = 0.001
"""A level that goes so far within so long clicks: further than a ramp of 3 ms, the usual cure, would take it."""


@dataclass(frozen=True)
class Ear:
    """What an ear tells apart, where it may be somebody's own."""

    pitch_st: float = PITCH_ST
    steady_pitch_st: float = STEADY_PITCH_ST
    cutoff_st: float = CUTOFF_ST


TEXTBOOK_EAR: Final = Ear()
