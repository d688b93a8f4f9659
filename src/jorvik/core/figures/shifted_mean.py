"""How far an audio-rate wave on pitch shifts the note: the mean of what it adds, which is heard as pitch."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.measure.modulation import fast_on_pitch


def find(context: Context) -> Iterator[Figure]:
    """Yield the shift that each fast route makes."""
    for route, mean in fast_on_pitch(context):
        yield Figure(
            f"route.{route.id}",
            "shifts the average pitch by",
            100.0 * mean,
            "cents",
            "The mean of what it adds while the note is held; a wave that swings evenly leaves the note in tune.",
        )
