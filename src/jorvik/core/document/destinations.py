"""What can be moved: the voice's destinations in one table, and the parameters and route amounts of a patch."""

import math
from dataclasses import dataclass
from typing import Final

from jorvik.core.modules.base import Law, Module, field_facts

STEPS_PER_OCTAVE: Final = {"sum": 0.0, "octaves": 1.0, "semitones": 12.0}
"""How many of a law's modulation units double the value; 0 for a plain sum."""

UNBOUNDED: Final = 1e9
"""The range of what has none of its own: large enough never to be met, small enough to stay finite."""

_MOST_OCTAVES: Final = 900.0
"""A value moved by so many octaves is past every range, and still a number."""


@dataclass(frozen=True)
class Destination:
    """One thing that routes may move."""

    name: str
    title: str
    unit: str
    """Unit of the value."""
    low: float
    high: float
    base: float
    """The value when the patch leaves it out."""
    law: Law = "sum"
    moved_in: str = ""
    """Unit of what moves it; the unit itself where that is empty."""

    @property
    def amount_unit(self) -> str:
        """Unit of a route's amount and of its contribution."""
        return self.moved_in or self.unit

    @property
    def steps_per_octave(self) -> float:
        """How many of the modulation unit double the value; 0 for a plain sum."""
        return STEPS_PER_OCTAVE[self.law]

    def moved(self, base: float, distance: float) -> float:
        """Return a value moved by a distance in the modulation unit.

        >>> VOICE["cutoff"].moved(1000.0, 12.0)
        2000.0
        """
        n = self.steps_per_octave
        return base * 2.0 ** min(max(distance / n, -_MOST_OCTAVES), _MOST_OCTAVES) if n else base + distance

    def distance(self, a: float, b: float) -> float:
        """Return how far b lies from a in the modulation unit; of frequencies, both over 0.

        >>> VOICE["cutoff"].distance(1000.0, 500.0)
        -12.0
        """
        n = self.steps_per_octave
        return n * math.log2(b / a) if n else b - a


def _ratio(name: str, title: str, base: float = 0.0) -> Destination:
    return Destination(name, title, "ratio", 0.0, 1.0, base)


def _hertz(name: str, title: str, base: float) -> Destination:
    return Destination(name, title, "Hz", 16.0, 20_000.0, base, "semitones", "st")


_TABLE: Final = (
    Destination("pitch", "Pitch", "st", -60.0, 60.0, 0.0),
    _hertz("cutoff", "Cutoff", 1_000.0),
    _ratio("wavetable_position", "Wavetable position"),
    _ratio("amplitude", "Amplitude", 1.0),
    Destination("osc2_pitch", "Oscillator 2 pitch", "st", -60.0, 60.0, 0.0),
    _ratio("resonance", "Resonance"),
    _hertz("filter2_cutoff", "Filter 2 cutoff", 20_000.0),
    _ratio("filter2_resonance", "Filter 2 resonance"),
    _ratio("fold", "Fold"),
    _ratio("osc1_level", "Oscillator 1 level", 1.0),
    _ratio("osc2_level", "Oscillator 2 level"),
    _ratio("sub_level", "Sub level"),
    _ratio("noise_level", "Noise level"),
    _ratio("filter_mix", "Filter mix"),
    _ratio("send_delay", "Delay send"),
    _ratio("send_chorus", "Chorus send"),
    _ratio("send_reverb", "Reverb send"),
    Destination("fm_index", "FM index", "rad", 0.0, 20.0, 0.0),
    Destination("fm_ratio", "FM ratio", "ratio", 0.125, 32.0, 1.0, "semitones", "st"),
    Destination("pulse_width", "Pulse width", "ratio", 0.01, 0.99, 0.5),
    Destination("osc2_pulse_width", "Oscillator 2 pulse width", "ratio", 0.01, 0.99, 0.5),
    Destination("drive", "Drive", "dB", 0.0, 36.0, 0.0),
    Destination("detune", "Detune", "cents", 0.0, 100.0, 0.0),
    Destination("pan", "Pan", "ratio", -1.0, 1.0, 0.0),
    _ratio("stereo_spread", "Stereo spread"),
)


def is_level(name: str) -> bool:
    """Tell whether a destination is a level, which is heard in dB."""
    return name == "amplitude" or name.endswith("_level")


VOICE: Final = {destination.name: destination for destination in _TABLE}
"""The voice's destinations by name, in the order in which the sheet shows them."""

_MOVED_IN: Final = {"octaves": "oct", "semitones": "st", "sum": ""}


def of_parameter(module: Module, name: str) -> Destination | None:
    """Return a module's parameter as a destination, or None when it has no such parameter or nothing may move it."""
    field = type(module).model_fields.get(name)
    facts = field_facts(field) if field else {}
    if not facts.get("movable"):
        return None
    return Destination(
        name=f"{module.id}.{name}",
        title=f"{module.id} {name.removesuffix('_s').removesuffix('_hz').replace('_', ' ')}",
        unit=facts["unit"],
        low=facts["minimum"],
        high=facts["maximum"],
        base=0.0,
        law=facts["law"],
        moved_in=_MOVED_IN[facts["law"]],
    )
