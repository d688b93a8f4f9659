"""The parts of the voice that a patch chooses and nothing moves."""

from typing import Literal

from pydantic import Field

from jorvik.core.modules.base import Strict, param
from jorvik.core.wavetables import TableName


class OscillatorSettings(Strict):
    """One wavetable oscillator."""

    table: TableName = Field("ladder", description="The wavetable that the position runs through.")
    phase: float = param(0.0, "cycle", 0.0, 1.0, "Where in the cycle each note starts.")


class Oscillators(Strict):
    """The tone generators."""

    osc1: OscillatorSettings = Field(default_factory=OscillatorSettings)


class FilterSettings(Strict):
    """The filter after the oscillators."""

    response: Literal["low", "high", "band", "notch"] = Field("low", description="What passes.")
    slope: Literal["gentle", "steep"] = Field("gentle", description="One filter, or two in series.")
