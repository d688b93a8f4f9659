"""Small patches of our scenario, for tasks: their names, and what they are made of."""

from collections.abc import Sequence
from random import Random
from typing import Any, Final

Json = dict[str, Any]

SOURCES: Final = ("swell", "lip", "sway", "watch", "fog", "rope", "oar", "tide", "latch", "weir")
_NAMES: Final = ("Ferry", "Barge", "Lantern", "Weir", "Mill", "Sluice", "Sledge", "Skate", "Tide", "Night")
_PARTS: Final = ("Horn", "Bell", "Hum", "Murmur", "Wheel", "Gate", "Line", "Blade", "Organ", "Watch")

AMPLIFIER: Final[Json] = {"id": "gate shape", "kind": "envelope", "attack_s": 0.005, "sustain": 1.0, "release_s": 0.1}


def named(rng: Random) -> str:
    """Return a name for a patch."""
    return f"{rng.choice(_NAMES)} {rng.choice(_PARTS)}"


def between(rng: Random, low: float, high: float, figures: int = 2) -> float:
    """Return a value at equal chances on a logarithmic scale, in so many figures."""
    return float(f"{low * (high / low) ** rng.random():.{figures}g}")


def small_patch(
    name: str,
    modules: Sequence[Json],
    routes: Sequence[Json],
    base: Json | None = None,
    key: float = 48.0,
    velocity: float = 96.0,
    length_s: float = 1.5,
    tail_s: float = 0.3,
    tempo_bpm: float = 96.0,
) -> Json:
    """Return a patch document of one note."""
    return {
        "format": "jorvik-patch",
        "version": 1,
        "name": name,
        "modules": list(modules),
        "routes": [{"id": f"r{number}", **route} for number, route in enumerate(routes)],
        "voice": {"base": {"cutoff": 2000.0, "wavetable_position": 0.3, **(base or {})}},
        "performance": {
            "tempo_bpm": tempo_bpm,
            "notes": [{"key": key, "velocity": velocity, "length_s": length_s}],
            "tail_s": tail_s,
        },
    }
