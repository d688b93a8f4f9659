"""Slew: a limit on how fast a signal rises and falls."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely
from jorvik.core.dsp.one_pole import APPROACH_STATES, approach
from jorvik.core.modules.base import START, Module, Reach, Signal, Time, choice, seconds, signal, signal_text
from jorvik.core.units.words import time_text


class Slew(Module):
    """Follows its input no faster than its rise and fall allow; starts at the input's first value."""

    title: ClassVar[str] = "Slew"
    keeps_shape: ClassVar[bool] = True
    may_overshoot: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["slew"]
    input: Signal = signal("What is followed.")
    rise_s: Time = seconds(0.1, "Time to rise by 1 (linear), or the time constant (exponential).", at_stage=False)
    fall_s: Time = seconds(0.1, "Time to fall by 1 (linear), or the time constant (exponential).", at_stage=False)
    law: Literal["linear", "exponential"] = choice("linear", "A straight line, or a one-pole approach.")

    def state_size(self) -> int:
        """The output before, then the share of the way up and down."""
        return 1 + 2 * APPROACH_STATES

    def span(self) -> tuple[float, float]:
        """As wide as any nominal signal."""
        return (-1.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return the input's: it comes to nothing that its input did not come to."""
        return inputs[0]

    def summary(self) -> str:
        """Say what is smoothed, and by how much."""
        return f"smooths {signal_text(self.input)}, {time_text(self.rise_s)} up, {time_text(self.fall_s)} down"


_RISE, _FALL, _LAW = (Slew.slot(n) for n in ("rise_s", "fall_s", "law"))
_RISING, _FALLING = 1, 1 + APPROACH_STATES


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    if events & START:
        s[0] = x[0]
        return s[0]
    gap = x[0] - s[0]
    time = p[_RISE] if gap > 0.0 else p[_FALL]
    if unlikely(p[_LAW] != 0.0):
        s[0] += gap * approach(s, _RISING if gap > 0.0 else _FALLING, time, dt)
    elif time <= 0.0:
        s[0] = x[0]
    else:
        most = dt / time
        s[0] = x[0] if abs(gap) <= most else s[0] + math.copysign(most, gap)
    return s[0]
