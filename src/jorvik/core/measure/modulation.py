"""Modulation at audio rate: what swings fast on the pitch, and how far oscillator 2 modulates oscillator 1."""

from collections.abc import Iterator

from jorvik.core.document.patch import Route
from jorvik.core.measure.context import Context
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.units.pitch import key_hz


def fast_on_pitch(context: Context) -> Iterator[tuple[Route, float]]:
    """Yield each route on pitch whose source swings at audio rate, and the mean of what it adds, in semitones."""
    lane = context.lane("pitch")
    for route in lane.lane.routes if lane else ():
        swing = context.measures.signals.get(route.source)
        fast = swing is not None and swing.periodic is not None and swing.periodic.rate_hz >= AUDIO_HZ
        module = context.patch.modules_by_id.get(route.source)
        if lane and (fast or (module is not None and module.is_tone)):
            yield route, float(context.held(lane.contributions[route.id]).mean())


def strongest_index(context: Context) -> tuple[float, float, float]:
    """Return the greatest FM index that a note comes to, and the carrier and the modulator in hertz there."""
    index = context.values("fm_index")
    at = int(index.argmax())
    pitch, pitch2, ratio = (float(context.values(name)[at]) for name in ("pitch", "osc2_pitch", "fm_ratio"))
    carrier = key_hz(context.note.key + pitch)
    return float(index[at]), carrier, carrier * ratio * 2.0 ** (pitch2 / 12.0)
