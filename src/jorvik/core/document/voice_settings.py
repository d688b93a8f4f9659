"""The parts of the voice that a patch chooses and nothing moves."""

import base64
import binascii
from functools import lru_cache
from typing import Any, Final, Literal

import numpy as np
from pydantic import Field, field_validator, model_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.wavetables import FORMULAS, OWN_HARMONICS, leveled, mip_levels, own_spectra, spectra_of
from jorvik.core.limits import DEFAULT_RATE, MAX_LEVELED, MAX_NAME, MAX_RATE, MAX_RECORDING_S
from jorvik.core.modules.base import Identifier, Strict, Time, choice, param, refusal, seconds

OWN_FRAMES: Final = 16
OWN_SAMPLES: Final = 1024
"""Samples of an imported cycle as a patch keeps it, 16 bits each: 512 harmonics."""
OWN_TABLES: Final = 4
MAX_UNISON: Final = 7
_SHORTEST_S: Final = 0.002
"""Of a loop."""


def table_choice(text: str) -> Any:
    """Declare the choice of a wavetable."""
    return Field("ladder", description=text, json_schema_extra={"role": "table"})


class OwnTable(Strict):
    """A wavetable of the patch's own: frames of harmonics set by hand, or cycles read from a file."""

    name: Identifier
    frames: list[list[list[float]]] | None = Field(
        None, max_length=OWN_FRAMES, description="Frames of harmonics 1 to 32, each [level 0..1, phase in cycles]."
    )
    cycles: str | None = Field(None, description=f"Frames of {OWN_SAMPLES} samples, 16-bit little-endian, in base64.")

    @field_validator("frames")
    @classmethod
    def _frames(cls, frames: list[list[list[float]]] | None) -> list[list[list[float]]] | None:
        for frame in frames or []:
            if not 1 <= len(frame) <= OWN_HARMONICS:
                raise PydanticCustomError("frame", f"1 to {OWN_HARMONICS} harmonics in a frame")
            if not all(len(pair) == 2 and 0.0 <= pair[0] <= 1.0 and -1.0 <= pair[1] <= 1.0 for pair in frame):
                raise PydanticCustomError("frame", "harmonics as [level 0..1, phase -1..1 cycles]")
        if frames == []:
            raise PydanticCustomError("frame", "a frame at least")
        return frames

    @field_validator("cycles")
    @classmethod
    def _cycles(cls, cycles: str | None) -> str | None:
        if cycles is not None:
            try:
                size = len(base64.b64decode(cycles, validate=True))
            except (binascii.Error, ValueError):
                raise PydanticCustomError("cycles", "base64") from None
            if size == 0 or size % (2 * OWN_SAMPLES) or size > 2 * OWN_SAMPLES * OWN_FRAMES:
                raise PydanticCustomError("cycles", f"1 to {OWN_FRAMES} frames of {OWN_SAMPLES} 16-bit samples")
        return cycles

    def spectra(self) -> Any:
        """Return the harmonics of each frame."""
        if self.cycles is not None:
            samples = np.frombuffer(base64.b64decode(self.cycles), dtype="<i2").reshape(-1, OWN_SAMPLES)
            return spectra_of(samples / 32767.0)
        return own_spectra(self.frames or [[[1.0, 0.0]]])


def packed_cycles(cycles: Floats) -> str:
    """Return cycles of shape (frames, OWN_SAMPLES), within -1..1, as a patch keeps them."""
    return packed_samples(cycles)


def packed_samples(cycles: Floats) -> str:
    """Return samples within -1..1 as a patch keeps them: 16 bits each, in base64."""
    return base64.b64encode(np.round(np.clip(cycles, -1.0, 1.0) * 32767.0).astype("<i2").tobytes()).decode()


def frame_of(table: Floats, position: float) -> list[list[float]]:
    """Return the harmonics 1 to 32 of a table at a position, each [level, phase], the strongest at 1.

    ``table`` is as :func:`jorvik.core.dsp.wavetables.leveled` makes it.
    """
    frames = table[0]
    at = position * (frames.shape[0] - 1)
    below = min(int(at), frames.shape[0] - 2)
    cycle = frames[below] + (at - below) * (frames[below + 1] - frames[below])
    found = spectra_of(cycle[None, :])[0, :OWN_HARMONICS]
    sizes = np.abs(found)
    most = float(sizes.max()) or 1.0
    phases = np.where(sizes > 1e-6 * most, np.angle(found) / (2.0 * np.pi), 0.0)
    return [[round(float(size / most), 5), round(float(phase), 5)] for size, phase in zip(sizes, phases, strict=True)]


class OscillatorSettings(Strict):
    """One wavetable oscillator."""

    table: str = table_choice("The wavetable that the position runs through: of the bank or the patch.")
    phase: float = param(0.0, "cycle", 0.0, 1.0, "Where in the cycle each note starts.", movable=False)
    start: Literal["fixed", "free"] = choice(
        "fixed", "fixed starts each note at the phase; free at a phase of its own, the same at each playing."
    )


class SubSettings(Strict):
    """The oscillator under the others: a frame of a table, one or two octaves down."""

    table: str = table_choice("Its wavetable.")
    position: float = Field(
        0.0, ge=0.0, le=1.0, description="Before it could be moved: what sub_position is where that is left out."
    )
    octaves: Literal[1, 2] = choice(1, "Octaves under the note.")


class NoiseSettings(Strict):
    """The noise of the voice."""

    colour: Literal["white", "pink"] = choice("white", "Equal power a hertz, or equal power an octave.")


class Recording(Strict):
    """A recorded sound, played as a tone: at its own pitch at the key that it was recorded at."""

    name: str = Field("recording", max_length=MAX_NAME, description="What it is called.")
    rate: int = Field(DEFAULT_RATE, ge=8_000, le=MAX_RATE, description="Its samples a second.")
    samples: str = Field(description=f"Its samples, 16-bit little-endian, in base64: {MAX_RECORDING_S:g} s at most.")
    key: float = param(60.0, "key", 0.0, 127.0, "The key at which it sounds as it was recorded.", movable=False)
    loop: list[float] | None = Field(None, description="Begin and end, in seconds, of what repeats; none for once.")
    fade_s: float = param(0.01, "s", 0.0, 2.0, "Over which the end of the loop goes into its beginning.", movable=False)

    @model_validator(mode="after")
    def _readable(self) -> "Recording":
        size = _decoded_size(self.samples)
        if size is None:
            raise PydanticCustomError("samples", "base64 of 16-bit samples")
        lasts = size / 2 / self.rate
        if size < 4 or lasts > MAX_RECORDING_S:
            wanted = f"two samples at least and {MAX_RECORDING_S:g} s at most"
            raise refusal(wanted)
        if self.loop is not None:
            ends = self.loop
            if len(ends) != 2 or not 0.0 <= ends[0] <= ends[1] - _SHORTEST_S <= lasts - _SHORTEST_S:
                wanted = f"a loop as [begin, end] in seconds, within the {lasts:.4g} s that it lasts"
                raise refusal(wanted)
        return self

    def decoded(self) -> Floats:
        """Return its samples, within -1..1."""
        return np.frombuffer(base64.b64decode(self.samples), dtype="<i2") / 32767.0


@lru_cache(maxsize=8)
def _decoded_size(samples: str) -> int | None:
    try:
        size = len(base64.b64decode(samples, validate=True))
    except (binascii.Error, ValueError):
        return None
    return None if size % 2 else size


class Oscillators(Strict):
    """The tone generators."""

    osc1: OscillatorSettings = Field(default_factory=OscillatorSettings)
    osc2: OscillatorSettings = Field(default_factory=OscillatorSettings)
    sub: SubSettings = Field(default_factory=SubSettings)
    noise: NoiseSettings = Field(default_factory=NoiseSettings)
    unison: int = Field(1, ge=1, le=MAX_UNISON, description="Voices of oscillator 1, spread by detune and spread.")
    tables: list[OwnTable] = Field(
        default_factory=list, max_length=OWN_TABLES, description="Tables of the patch's own."
    )
    recording: Recording | None = Field(None, description="A recorded sound, heard by recording_level.")

    def table(self, name: str) -> Floats:
        """Return a table ready to be read."""
        for own in self.tables:
            if own.name == name:
                return _own_levels(own.model_dump_json())
        return mip_levels(name)

    def has_table(self, name: str) -> bool:
        """Tell whether there is a table of that name."""
        return name in FORMULAS or any(own.name == name for own in self.tables)


@lru_cache(maxsize=MAX_LEVELED)
def _own_levels(document: str) -> Floats:
    return leveled(OwnTable.model_validate_json(document).spectra())


class FilterSettings(Strict):
    """A filter after the oscillators."""

    response: Literal["low", "high", "band", "notch"] = choice("low", "What passes.")
    slope: Literal["gentle", "steep"] = choice("gentle", "12 or 24 dB an octave: one filter, or two in series.")
    sings: bool = choice(False, "Over a resonance of 97 % it sounds by itself, at its corner, and cutoff plays it.")


class DriveSettings(Strict):
    """The drive before the filters."""

    crossover_hz: float = param(
        0.0, "Hz", 0.0, 2_000.0, "Below this nothing is driven; 0 drives it all.", movable=False
    )
    compensated: bool = choice(True, "A driven tone of full level stays at full level; without this, drive is louder.")


class DelaySettings(Strict):
    """The delay that send_delay feeds."""

    time: Time = seconds(0.375, "From one echo to the next.", low=0.001)
    feedback: float = param(0.4, "ratio", 0.0, 0.95, "How much of each echo comes again.", movable=False)
    damp_hz: float = param(5_000.0, "Hz", 200.0, 20_000.0, "Each echo loses what is above this.", movable=False)


class ChorusSettings(Strict):
    """The chorus that send_chorus feeds."""

    rate: float = param(0.6, "Hz", 0.01, 10.0, "How often its delays swing.", movable=False)
    depth_ms: float = param(3.0, "ms", 0.0, 10.0, "How far they swing.", movable=False)


class ReverbSettings(Strict):
    """The reverb that send_reverb feeds."""

    decay_s: float = param(1.8, "s", 0.1, 10.0, "Time to fall by 60 dB.", movable=False)
    damp_hz: float = param(4_000.0, "Hz", 200.0, 20_000.0, "Above this it falls twice as fast.", movable=False)


class Effects(Strict):
    """What the sends feed."""

    delay: DelaySettings = Field(default_factory=DelaySettings)
    chorus: ChorusSettings = Field(default_factory=ChorusSettings)
    reverb: ReverbSettings = Field(default_factory=ReverbSettings)
