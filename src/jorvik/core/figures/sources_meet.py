"""When sources of unlike period are all at their start again: exact for note values, within 1 % of each for free rates.

LFOs, clocks and loops count; of note values it is the least common multiple.
"""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.measure.meeting import meet, periods
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield, on each of them, after how long all of them meet."""
    beats = periods(context)
    if len({round(float(value), 9) for value in beats.values()}) < 2:
        return
    tempo = context.patch.performance.tempo
    found = meet(beats, 60.0 / tempo.bpm, tempo.beats_per_bar)
    words = f"{found.beats:.6g} beats, {found.bars:.4g} bars, {time_text(found.seconds)}" if found else ""
    for name in beats:
        yield Figure(
            f"signal.{name}",
            "all meet after",
            found.beats if found else 0.0,
            "beats",
            f"When {', '.join(beats)} are all at their start again.",
            words=words or "not within an hour",
        )
