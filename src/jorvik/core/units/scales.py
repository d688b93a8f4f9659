"""Scales by name, as semitones over their root."""

from collections.abc import Mapping
from typing import Final

SCALES: Final[Mapping[str, tuple[int, ...]]] = {
    "chromatic": tuple(range(12)),
    "major": (0, 2, 4, 5, 7, 9, 11),
    "minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic_minor": (0, 2, 3, 5, 7, 8, 11),
    "melodic_minor": (0, 2, 3, 5, 7, 9, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "locrian": (0, 1, 3, 5, 6, 8, 10),
    "major_pentatonic": (0, 2, 4, 7, 9),
    "minor_pentatonic": (0, 3, 5, 7, 10),
    "whole_tone": (0, 2, 4, 6, 8, 10),
    "octaves": (0,),
    "fifths": (0, 7),
    "major_triad": (0, 4, 7),
    "minor_triad": (0, 3, 7),
}
"""Degrees of each scale, in semitones from the root, within one octave."""
