"""After how long a note is not heard any more: the amplifier has closed to 60 dB under its greatest, for good.

Where nothing moves the amplifier the gate closes it. What the sends go on sounding is not counted.
"""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield when the note has died away, in time and in beats."""
    lasts = max(context.shut_s - context.on_s, 0.0)
    beats = lasts * context.patch.performance.tempo.bpm / 60.0
    over = "" if context.shut_s < context.end_s - 1.5 / context.rate else ", the end of the run"
    yield Figure(
        "",
        "inaudible after",
        lasts,
        "s",
        "When the amplifier is 60 dB under its greatest for good, from note-on; effects go on beyond that.",
        words=f"{time_text(lasts)}, {beats:.3g} beats{over}",
    )
