"""Quantise: pitches kept to a scale."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import field_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.modules.base import Module, Reach, Signal, choice, data, signal, signal_text
from jorvik.core.units.scales import SCALES


class Quantise(Module):
    """Octaves from key 60 in and out: the nearest note of a scale on its root, a tie going down."""

    title: ClassVar[str] = "Quantise"
    gives_octaves: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["quantise"]
    input: Signal = signal("Octaves from key 60.")
    scale: str | list[int] = data("chromatic", "A scale by name, or its semitones over the root.", "scale")
    root: int = choice(0, "Pitch class of the root: 0 is C, 11 is B.", minimum=0, maximum=11)

    @field_validator("scale")
    @classmethod
    def _scale(cls, value: str | list[int]) -> str | list[int]:
        if isinstance(value, str):
            if value not in SCALES:
                raise PydanticCustomError("scale", f"one of {', '.join(SCALES)}, or a list of semitones")
        elif not value or not all(0 <= degree <= 11 for degree in value):
            raise PydanticCustomError("scale", "1 to 12 semitones over the root, each 0 to 11")
        return value

    def packed(self) -> list[float]:
        """Their number, then the degrees, rising, without repeats."""
        degrees = SCALES[self.scale] if isinstance(self.scale, str) else self.scale
        return [float(n) for n in (len(set(degrees)), *sorted(set(degrees)))]

    def span(self) -> tuple[float, float]:
        """Two octaves either way."""
        return (-2.0, 2.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return the notes nearest to the input's ends, since a higher input never comes out lower."""
        low, high = inputs[0]
        return self.nearest_note(low), self.nearest_note(high)

    def nearest_note(self, octaves: float) -> float:
        """Return the nearest note of the scale, ties going down, in octaves."""
        semitones = 12.0 * octaves - self.root
        turn = 12.0 * math.floor(semitones / 12.0)
        notes = [turn + 12.0 * octave + note for octave in (-1, 0, 1) for note in self.packed()[1:]]
        return (min(notes, key=lambda note: (abs(note - semitones), note)) + self.root) / 12.0

    def summary(self) -> str:
        """Say what is kept to which scale."""
        scale = self.scale.replace("_", " ") if isinstance(self.scale, str) else f"{len(self.scale)} notes"
        return f"{signal_text(self.input)} kept to {scale}"


_ROOT = Quantise.slot("root")
_TIE = 1e-9


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    semitones = 12.0 * x[0] - p[_ROOT]
    octave = 12.0 * math.floor(semitones / 12.0)
    count = int(d[0])
    best = octave - 12.0 + d[count]
    for turn in range(2):
        for i in range(1, count + 1):
            note = octave + 12.0 * turn + d[i]
            if abs(note - semitones) < abs(best - semitones) - _TIE:
                best = note
    return (best + p[_ROOT]) / 12.0
