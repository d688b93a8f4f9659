"""Performance signals: what the player does, as signals that any input or route may read."""

from collections.abc import Mapping
from typing import Final

PERFORMANCE_SIGNALS: Final[Mapping[str, str]] = {
    "gate": "1 while the note is held, else 0",
    "trigger": "1 for one sample at each note-on",
    "velocity": "how hard the key was struck, 0 to 1 (MIDI velocity / 127)",
    "key": "octaves from key 60, so that an amount of 12 st is full tracking",
    "note_random": "one random number in -1..1 a note",
    "pressure": "pressure after the key is down, 0 to 1",
    "mod_wheel": "the modulation wheel, 0 to 1",
    "pitch_bend": "the bend wheel, -1 to 1",
}
"""Name of each performance signal, and what it says."""

SWINGING: Final = ("key", "note_random", "pitch_bend")
"""Performance signals that go to both sides of 0."""

CONTROL_RANGES: Final[Mapping[str, tuple[float, float]]] = {
    "pressure": (0.0, 1.0),
    "mod_wheel": (0.0, 1.0),
    "pitch_bend": (-1.0, 1.0),
    "macro": (0.0, 1.0),
}
"""Range of each control lane; ``macro`` stands for every ``macro:<id>``."""

_OF_A_MODULE: Final = "macro"


def lane_kind(name: str) -> str:
    """Return the key of CONTROL_RANGES for a lane, or an empty text for no lane.

    >>> lane_kind("pressure"), lane_kind("macro:warm"), lane_kind("macro"), lane_kind("pressure:warm")
    ('pressure', 'macro', '', '')
    """
    kind, colon, module = name.partition(":")
    is_lane = kind in CONTROL_RANGES and (kind == _OF_A_MODULE) == bool(colon and module)
    return kind if is_lane else ""


PITCH_LANE: Final = "pitch"
"""The one lane that a module may read as an input: an oscillator that tracks the pitch."""

_HIT: Final = "hit:"
_TRIGGER: Final = ":trigger"


def hit_signal(track: str, trigger: bool = False) -> str:
    """Return the name of the signal of a hit track: its strength while a strike lasts, or for one sample.

    >>> hit_signal("thud", trigger=True)
    'hit:thud:trigger'
    """
    return f"{_HIT}{track}{_TRIGGER if trigger else ''}"


def hit_of(name: str) -> str | None:
    """Return the hit track that a signal is of, or None where it is no hit's.

    >>> hit_of("hit:thud:trigger")
    'thud'
    """
    if not name.startswith(_HIT):
        return None
    track = name.removeprefix(_HIT).removesuffix(_TRIGGER)
    return track if track and ":" not in track else None
