"""Steps: a pattern of hits of unlike strength."""

from collections.abc import Sequence
from fractions import Fraction
from typing import Any, ClassVar, Literal

from pydantic import field_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.limits import MAX_POINTS
from jorvik.core.modules.base import (
    NOTE_ON,
    START,
    Module,
    Reach,
    Signal,
    Time,
    choice,
    data,
    param,
    reset_signal,
    seconds,
)
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.words import time_text


class Steps(Module):
    """A row of hits from note-on, one each step: the hit's strength while its gate is open, else 0."""

    title: ClassVar[str] = "Steps"
    comes_to_end: ClassVar[bool] = True

    kind: Literal["steps"]
    values: list[float] = data([1.0], "Strength of each hit, 0..1.", "numbers")
    step: Time = seconds(0.25, "From one hit to the next.", low=1e-4)
    gate: float = param(0.5, "ratio", 0.0, 1.0, "Share of the step for which the hit sounds.")
    loop: bool = choice(False, "Begin again after the last hit.")
    reset: Signal = reset_signal()

    @field_validator("values")
    @classmethod
    def _values(cls, value: list[float]) -> list[float]:
        if not 1 <= len(value) <= MAX_POINTS or not all(0.0 <= v <= 1.0 for v in value):
            raise PydanticCustomError("values", f"1 to {MAX_POINTS} strengths, each 0 to 1")
        return value

    def packed(self) -> list[float]:
        """Their number, then the strengths."""
        return [float(len(self.values)), *self.values]

    @property
    def is_renewed(self) -> bool:
        """It begins with each note."""
        return True

    def state_size(self) -> int:
        """Number of the step, when it began (s after note-on), its length, sample of note-on, if it plays, reset."""
        return 6

    def loop_s(self, tempo: Tempo, clock_hz: float | None) -> float | None:
        """Return the time that all steps take."""
        del clock_hz
        return len(self.values) * self.slot_value("step", tempo) if self.loop else None

    def looped_longer(self, times: Fraction) -> dict[str, Any] | None:
        """Return the steps gone round again."""
        count = times * len(self.values)
        if count.denominator != 1 or count > MAX_POINTS:
            return None
        return {"values": [self.values[i % len(self.values)] for i in range(int(count))]}

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return its least and greatest value, and the 0 before and after it."""
        del inputs
        heights = self.values
        return min(0.0, *heights), max(0.0, *heights)

    def summary(self) -> str:
        """Say how many hits, and how far apart."""
        return f"{len(self.values)} hits, {time_text(self.step)} apart{', looped' if self.loop else ''}"


_STEP, _GATE, _LOOP = (Steps.slot(n) for n in ("step", "gate", "loop"))
_INDEX, _BEGAN, _LENGTH, _NOTE, _PLAYING, _BEFORE = range(6)
_NEAR = 1e-9
_MOST_STEPS = 64


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample; the length of a step is read when the step begins."""
    if events & START:
        s[:] = 0.0
    if rises(s, _BEFORE, x[0]) or events & NOTE_ON:
        s[_INDEX], s[_BEGAN], s[_NOTE], s[_PLAYING] = 0.0, 0.0, n, 1.0
        s[_LENGTH] = p[_STEP]
    if s[_PLAYING] == 0.0:
        return 0.0
    now = (n - s[_NOTE]) * dt + _NEAR
    for _ in range(_MOST_STEPS):
        if now < s[_BEGAN] + s[_LENGTH]:
            break
        s[_INDEX] += 1.0
        s[_BEGAN] += s[_LENGTH]
        s[_LENGTH] = p[_STEP]
    index, count = int(s[_INDEX]), int(d[0])
    if index >= count and p[_LOOP] == 0.0:
        return 0.0
    return d[1 + index % count] if now - s[_BEGAN] < p[_GATE] * s[_LENGTH] else 0.0
