"""How far the level is turned down after the drive, so that a driven tone of full level stays at full level."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import in_words
from jorvik.core.voice.shaping import compensation

HELP = "L / tanh(g L) for a gain g and a sine of full level L: what the soft clipping would add, taken away again."


def find(context: Context) -> Iterator[Figure]:
    """Yield the compensation at the least and the most that it is driven while the note is held."""
    if not context.patch.at_work("drive") or not context.patch.voice.drive.compensated:
        return
    driven = context.held(context.values("drive"))
    ends = [decibels(compensation(float(value))) for value in (driven.min(), driven.max())]
    words = in_words(ends[0], "dB") if ends[0] == ends[1] else " to ".join(in_words(end, "dB") for end in ends)
    yield Figure("drive" if context.lane("drive") else "", "level compensation", ends[1], "dB", HELP, words=words)
