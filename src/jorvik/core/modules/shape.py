"""Shape: a signal scaled, bent, folded, redrawn and clipped."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import field_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely
from jorvik.core.dsp.waves import drawn, pack_points
from jorvik.core.modules.base import Module, Reach, Signal, check_points, choice, data, param, signal, signal_text


class Shape(Module):
    """Gain x input + offset; then the power of its size; then fold; then the drawn points; then clip; in that order.

    ``invert`` turns the input over before anything else.
    """

    title: ClassVar[str] = "Shape"
    is_scaled: ClassVar[bool] = True
    keeps_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["shape"]
    input: Signal = signal("What is shaped.")
    gain: float = param(1.0, "x", -1000.0, 1000.0, "The input is multiplied by this.")
    offset: float = param(0.0, "signal", -1000.0, 1000.0, "Then this is added.")
    power: float = param(1.0, "x", 0.01, 100.0, "Then its size is raised to this power, its sign kept.")
    invert: bool = choice(False, "Turn the input over first.")
    clip: list[float] | None = data(None, "Least and greatest output, or none.", "pair")
    fold: bool = choice(False, "Reflect what passes -1 or 1 back in.")
    points: list[list[float]] | None = data(None, "Input to output, as points [x, y, bend], or none.", across="level")

    @field_validator("clip")
    @classmethod
    def _clip(cls, value: list[float] | None) -> list[float] | None:
        if value is not None and (len(value) != 2 or value[0] > value[1]):
            raise PydanticCustomError("clip", "a clip as [least, greatest]")
        return value

    @field_validator("points")
    @classmethod
    def _points(cls, value: list[list[float]] | None) -> list[list[float]] | None:
        return None if value is None else check_points(value, 1)

    def packed(self) -> list[float]:
        """The clip, then the points (none: a count of 0)."""
        return [*(self.clip or [-math.inf, math.inf]), *pack_points(self.points or [])]

    def span(self) -> tuple[float, float]:
        """The clip, or as wide as any nominal signal."""
        return (self.clip[0], self.clip[1]) if self.clip and self.clip[0] < self.clip[1] else (-1.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach | None:
        """Return what becomes of the input's ends; of a shape that folds or is drawn only trying tells."""
        if self.fold or self.points:
            return None
        turned = [-x if self.invert else x for x in inputs[0]]
        ends = [math.copysign(abs(y) ** self.power, y) for y in (x * self.gain + self.offset for x in turned)]
        low, high = self.clip or (-math.inf, math.inf)
        return max(min(ends), low), min(max(ends), high)

    def is_even(self, inputs: Sequence[Reach]) -> bool:
        """It stays even where it is straight and cuts nothing off."""
        low, high = sorted(x * self.gain + self.offset for x in inputs[0])
        is_uncut = self.clip is None or (self.clip[0] <= low and high <= self.clip[1])
        return bool(is_uncut and self.power == 1.0 and not self.fold and not self.points and not self.invert)

    def summary(self) -> str:
        """Say what is done, in its order."""
        done = [f"x {-self.gain if self.invert else self.gain:g}"]
        done += [f"{self.offset:+g}"] if self.offset else []
        done += [f"power {self.power:g}"] if self.power != 1.0 else []
        done += ["fold"] if self.fold else []
        done += ["drawn"] if self.points else []
        return f"{signal_text(self.input)} {', '.join(done)}"


_GAIN, _OFFSET, _POWER, _INVERT, _FOLD = (Shape.slot(n) for n in ("gain", "offset", "power", "invert", "fold"))


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    y = (-x[0] if p[_INVERT] != 0.0 else x[0]) * p[_GAIN] + p[_OFFSET]
    if unlikely(p[_POWER] != 1.0):
        y = math.copysign(abs(y) ** p[_POWER], y)
    if unlikely(p[_FOLD] != 0.0):
        y = 1.0 - abs((y + 1.0) % 4.0 - 2.0)
    if unlikely(d[2] > 0.0):
        y = drawn(d[2:], y)
    return min(max(y, d[0]), d[1])
