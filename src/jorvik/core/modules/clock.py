"""Clock: pulses locked to the tempo."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.waves import EDGE, PHASE_STATES, advance
from jorvik.core.modules.base import START, Module, Rate, Reach, Signal, choice, hertz, param, signal
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.words import rate_text


class Clock(Module):
    """A train of 0/1 pulses that counts from time 0, divided, multiplied, and delayed by a share of a step."""

    title: ClassVar[str] = "Clock"
    rate_field: ClassVar[str] = "rate"
    on_panels: ClassVar[tuple[str, ...]] = ("rate",)

    kind: Literal["clock"]
    rate: Rate = hertz("1/4", "Pulses a second, or the note value from one to the next.")
    divide: int = choice(1, "Let one pulse in so many through.", minimum=1, maximum=256)
    multiply: int = choice(1, "Make so many pulses of each.", minimum=1, maximum=256)
    delay: float = param(0.0, "ratio", 0.0, 1.0, "Share of a step by which each pulse comes late.")
    width: float = param(0.5, "ratio", 0.0, 1.0, "Share of the step for which the pulse is up.")
    reset: Signal = signal("Where this rises through 0.5 it counts from there; left out, from time 0.")

    def state_size(self) -> int:
        """Phase (2), whole steps so far, the reset."""
        return PHASE_STATES + 2

    @property
    def repeats(self) -> str:
        """Its rate, before it is multiplied and divided."""
        return "rate"

    def repeats_hz(self, tempo: Tempo) -> float:
        """Return how often it ticks."""
        return self.slot_value("rate", tempo) * self.multiply / self.divide

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return 0 and 1, low and high."""
        del inputs
        return 0.0, 1.0

    def summary(self) -> str:
        """Say the rate."""
        ratio = f" x {self.multiply}" if self.multiply > 1 else ""
        ratio += f" / {self.divide}" if self.divide > 1 else ""
        return f"pulses, {rate_text(self.rate)}{ratio}"


_RATE, _DIVIDE, _MULTIPLY, _DELAY, _WIDTH = (Clock.slot(n) for n in ("rate", "divide", "multiply", "delay", "width"))
_BEFORE = PHASE_STATES + 1


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample, then move on."""
    if rises(s, _BEFORE, x[0]) or events & START:
        s[:_BEFORE] = 0.0
    at = s[PHASE_STATES] + s[0] - p[_DELAY] + EDGE
    s[PHASE_STATES] += advance(s, p[_RATE] * p[_MULTIPLY] / p[_DIVIDE] * dt)
    return 1.0 if at >= 0.0 and at - math.floor(at) < p[_WIDTH] else 0.0
