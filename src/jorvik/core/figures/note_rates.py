"""How far an envelope opens when it is played at a rate: its peak for notes as long as each of some note values."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.beat import against_beat
from jorvik.core.measure.context import Context

ALIKE = 0.005


def find(context: Context) -> Iterator[Figure]:
    """Yield the peaks of each envelope that does not open alike at all of them."""
    for name, peaks in against_beat(context).note_rates.items():
        if not peaks or max(peaks.values()) - min(peaks.values()) < ALIKE * max(peaks.values()):
            continue
        for value, peak in peaks.items():
            yield Figure(
                f"signal.{name}",
                f"notes of {value}",
                peak,
                "ratio",
                "Its peak in a note held for so long at the tempo, each from rest.",
                "Opens, by how fast it is played",
            )
