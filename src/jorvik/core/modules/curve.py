"""Curve: a drawn shape, once through or looped."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from pydantic import field_validator, model_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.waves import EDGE, SUM_STATES, accumulate, drawn, pack_points
from jorvik.core.modules.base import (
    GATE,
    NOTE_ON,
    START,
    Handle,
    Module,
    Reach,
    Signal,
    Time,
    check_points,
    choice,
    data,
    reset_signal,
    seconds,
)
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.words import time_text


class Curve(Module):
    """Points with bends between them, played from note-on.

    With ``loop`` the stretch between two of the points repeats without end; with ``hold_at`` the curve waits at a
    point until note-off.
    """

    title: ClassVar[str] = "Drawn curve"
    single_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True

    kind: Literal["curve"]
    points: list[list[float]] = data(
        [[0.0, 0.0], [1.0, 1.0]], "[t, y, bend to the next], t in units of time.", across="time"
    )
    time: Time = seconds(1.0, "How long one unit of t lasts.", low=1e-6, at_stage=False)
    loop: list[int] | None = data(
        None, "First and last point of the stretch that repeats, or none.", "loop", with_points=True
    )
    hold_at: int | None = choice(None, "The point at which it waits for note-off, or none.", with_points=True)
    reset: Signal = reset_signal()

    @field_validator("points")
    @classmethod
    def _points(cls, value: list[list[float]]) -> list[list[float]]:
        return check_points(value, 1)

    @model_validator(mode="after")
    def _marks_exist(self) -> "Curve":
        last = len(self.points) - 1
        if self.loop is not None:
            ends = self.loop
            if (
                len(ends) != 2
                or not 0 <= ends[0] < ends[1] <= last
                or self.points[ends[0]][0] >= self.points[ends[1]][0]
            ):
                raise PydanticCustomError("loop", f"a loop as [i, j], two points 0 to {last} with time between them")
        if self.hold_at is not None and not 0 <= self.hold_at <= last:
            raise PydanticCustomError("hold", f"hold_at as a point 0 to {last}, or none")
        return self

    def packed(self) -> list[float]:
        """Begin and end of the loop (equal when none), time of the hold (-1 when none), then the points."""
        times = [point[0] for point in self.points]
        loop = [times[i] for i in self.loop] if self.loop else [0.0, 0.0]
        hold = times[self.hold_at] if self.hold_at is not None else -1.0
        return [*loop, hold, *pack_points(self.points)]

    @property
    def is_renewed(self) -> bool:
        """It begins with each note."""
        return True

    def state_size(self) -> int:
        """Place on the curve, in units of t (2), whether a note has begun, the reset."""
        return SUM_STATES + 2

    def span(self) -> tuple[float, float]:
        """As drawn."""
        heights = [point[1] for point in self.points]
        return (min(0.0, *heights), max(1.0, *heights))

    def loop_s(self, tempo: Tempo, clock_hz: float | None) -> float | None:
        """Return the time between the points that it loops between."""
        del clock_hz
        if self.loop is None:
            return None
        begin, end = self.loop
        return float(self.points[end][0] - self.points[begin][0]) * self.slot_value("time", tempo)

    def handles(self, tempo: Tempo, on_s: float, off_s: float) -> list[Handle]:
        """Each of its points, where the first time through it lies. Of two in one place the later is on top."""
        del off_s
        unit_s = self.slot_value("time", tempo)
        return [
            Handle(f"point {i + 1}", on_s + t * unit_s, height, None, None, on_s, i, unit_s)
            for i, (t, height, *_) in enumerate(self.points)
        ]

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return its least and greatest value, and the 0 before and after it."""
        del inputs
        heights = [point[1] for point in self.points]
        return min(0.0, *heights), max(0.0, *heights)

    def summary(self) -> str:
        """Say how long it is."""
        kind = "looped" if self.loop else "once"
        return f"{len(self.points)} points, {time_text(self.time)} a unit, {kind}"


_TIME = Curve.slot("time")
_PLAYING, _BEFORE = SUM_STATES, SUM_STATES + 1
_LOOP_FROM, _LOOP_TO, _HOLD, _POINTS = range(4)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample of the curve, then move on along it."""
    reset = rises(s, _BEFORE, x[0])
    if reset or events & (START | NOTE_ON):
        s[:_BEFORE] = 0.0
        s[_PLAYING] = 1.0 if reset or events & NOTE_ON else 0.0
    at = s[0]
    if s[_PLAYING] != 0.0:
        accumulate(s, dt / p[_TIME])
        if d[_HOLD] >= 0.0 and events & GATE and at <= d[_HOLD] < s[0]:
            s[0], s[1] = d[_HOLD], 0.0
        if d[_LOOP_TO] > d[_LOOP_FROM] and s[0] >= d[_LOOP_TO] - EDGE:
            s[0] -= (d[_LOOP_TO] - d[_LOOP_FROM]) * math.floor(
                (s[0] - d[_LOOP_FROM] + EDGE) / (d[_LOOP_TO] - d[_LOOP_FROM])
            )
    return drawn(d[_POINTS:], at)
