"""Follower: how strong a signal is, over time."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.one_pole import APPROACH_STATES, approach
from jorvik.core.modules.base import START, Module, Reach, Signal, Time, seconds, signal, signal_text
from jorvik.core.units.words import time_text


class Follower(Module):
    """A one-pole follower of the size of its input, with one time constant up and one down, from 0."""

    title: ClassVar[str] = "Follower"
    keeps_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["follower"]
    input: Signal = signal("What is followed.")
    attack_s: Time = seconds(0.01, "Time constant of the rise.", at_stage=False)
    release_s: Time = seconds(0.1, "Time constant of the fall.", at_stage=False)

    def state_size(self) -> int:
        """The output before, then the share of the way up and down."""
        return 1 + 2 * APPROACH_STATES

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return 0 to the greatest size of its input."""
        return 0.0, max(abs(end) for end in inputs[0])

    def summary(self) -> str:
        """Say what is followed, and how fast."""
        return f"follows {signal_text(self.input)}, {time_text(self.attack_s)} up, {time_text(self.release_s)} down"


_ATTACK, _RELEASE = Follower.slot("attack_s"), Follower.slot("release_s")
_RISING, _FALLING = 1, 1 + APPROACH_STATES


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    if events & START:
        s[0] = 0.0
    gap = abs(x[0]) - s[0]
    if gap > 0.0:
        s[0] += gap * approach(s, _RISING, p[_ATTACK], dt)
    else:
        s[0] += gap * approach(s, _FALLING, p[_RELEASE], dt)
    return s[0]
