"""What is measured of a patch at a note: its sound's level and brightness, how long it is heard, where lanes settle."""

from collections.abc import Callable
from typing import Any, Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.works import WorkFacts
from jorvik.core.document.destinations import ALWAYS_SHOWN
from jorvik.core.document.patch import Patch
from jorvik.core.measure.context import Context
from jorvik.core.measure.sound import levels, spectral_centroid
from jorvik.core.voice.render import Sound, render

FACTS: Final = WorkFacts(
    "Measure",
    "loudness, brightness, how long it is heard, where lanes settle",
    2,
    axes=("key", "velocity", "length_s", "seed", "phrase"),
    options=("rate",),
    row_s=0.004,
    has_gain=True,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return the figures of a sound, and peak and rest of the lanes that every patch has."""
    patch, rate = piece.performed(), int(piece.options["rate"])
    return Made({**sound_figures(render(patch, rate, cancelled)), **lane_figures(patch, cancelled)})


def sound_figures(sound: Sound) -> dict[str, Any]:
    """Return how loud and bright a sound is, and what the limiter took of it."""
    found = levels(sound.samples, sound.rate)
    return {
        "loudness_lufs": round(found.loudness_lufs, 3),
        "true_peak_db": round(found.true_peak_db, 3),
        "crest_db": round(found.crest_db, 3),
        "centroid_hz": round(spectral_centroid(sound.samples, sound.rate), 2),
        "limited_db": round(sound.limited_db, 3),
        "seconds": len(sound.samples) / sound.rate,
    }


def lane_figures(patch: Patch, cancelled: Callable[[], bool]) -> dict[str, Any]:
    """Return after how long a patch is inaudible, and of the lanes that every patch has their peak and rest."""
    context = Context(patch, cancelled=cancelled)
    found: dict[str, Any] = {"inaudible_after_s": round(max(context.shut_s - context.on_s, 0.0), 5)}
    lanes = context.measures.lanes
    for name in ALWAYS_SHOWN:
        if name in lanes:
            of = lanes[name].measures
            rest = of.at_off if of.settle is None else of.settle
            found |= {f"{name}_peak": round(of.peak, 6), f"{name}_rest": round(rest, 6)}
    return found
