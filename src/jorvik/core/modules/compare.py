"""Compare: whether one signal is over another."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.modules.base import START, Module, Reach, Signal, param, signal, signal_text


class Compare(Module):
    """1 where a is over b by more than the hysteresis, 0 where it is under by more, else as before, from 0."""

    title: ClassVar[str] = "Compare"
    compares: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["compare"]
    a: Signal = signal("What is compared.")
    b: Signal = signal("With what.")
    hysteresis: float = param(0.0, "signal", 0.0, 1000.0, "How far past b it must go to switch.")

    def state_size(self) -> int:
        """The output before."""
        return 1

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return 0 and 1, low and high."""
        del inputs
        return 0.0, 1.0

    def summary(self) -> str:
        """Say what is compared."""
        return f"{signal_text(self.a)} over {signal_text(self.b)}"


_HYSTERESIS = Compare.slot("hysteresis")


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    if events & START:
        s[0] = 0.0
    if x[0] > x[1] + p[_HYSTERESIS]:
        s[0] = 1.0
    elif x[0] < x[1] - p[_HYSTERESIS]:
        s[0] = 0.0
    return s[0]
