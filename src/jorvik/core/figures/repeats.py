"""After how long loops repeat, each and together: the least common multiple of their lengths."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.closed_forms import meeting
from jorvik.core.measure.context import Context
from jorvik.core.measure.loops import loops
from jorvik.core.units.words import time_text


def find(context: Context) -> Iterator[Figure]:
    """Yield each loop's length, and when all meet."""
    beat = 60.0 / context.patch.performance.tempo.bpm
    lengths = loops(context)
    together = float(meeting(list(lengths.values()))) if lengths else 0.0
    for name, beats in lengths.items():
        about = f"signal.{name}"
        yield Figure(about, "repeats after", float(beats), "beats", "Its own length.", words=_both(float(beats), beat))
        if len(lengths) > 1:
            yield Figure(
                about,
                "all loops meet after",
                together,
                "beats",
                f"The least common multiple of {', '.join(lengths)}.",
                words=_both(together, beat),
            )


def _both(beats: float, beat_s: float) -> str:
    return f"{beats:.6g} beats, {time_text(beats * beat_s)}"
