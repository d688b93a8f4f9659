"""How far an audio-rate wave on pitch shifts the note: the mean of what it adds, which is heard as pitch."""

from collections.abc import Iterator

from jorvik.core.document.patch import Route
from jorvik.core.measure.context import Context
from jorvik.core.readings.base import Reading

AUDIO_HZ = 20.0


def fast_on_pitch(of: Context) -> Iterator[tuple[Route, float]]:
    """Yield each route on pitch whose source swings at audio rate, and the mean of what it adds, in semitones."""
    lane = of.lane("pitch")
    for route in lane.lane.routes if lane else ():
        swing = of.measures.signals.get(route.source)
        fast = swing is not None and swing.periodic is not None and swing.periodic.rate_hz >= AUDIO_HZ
        module = of.patch.modules_by_id.get(route.source)
        if lane and (fast or (module is not None and module.kind == "oscillator")):
            yield route, float(of.held(lane.contributions[route.id]).mean())


def find(of: Context) -> Iterator[Reading]:
    """Yield the shift that each fast route makes."""
    for route, mean in fast_on_pitch(of):
        yield Reading(
            f"route.{route.id}",
            "shifts the average pitch by",
            100.0 * mean,
            "cents",
            "The mean of what it adds while the note is held; a wave that swings evenly leaves the note in tune.",
        )
