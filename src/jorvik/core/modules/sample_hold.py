"""Sample-and-hold: a value kept from one rising edge to the next."""

from collections.abc import Sequence
from fractions import Fraction
from typing import Any, ClassVar, Literal

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.limits import MAX_POINTS
from jorvik.core.modules.base import START, Module, Reach, Signal, choice, param, signal, signal_text
from jorvik.core.units.tempo import Tempo


class SampleHold(Module):
    """Takes its input where the clock rises through the threshold, and keeps it. A falling edge does nothing.

    With ``track`` it follows the input while the clock is high and keeps the last value while it is low. With
    ``loop`` it takes that many values and then repeats them, one at each rising edge.
    """

    title: ClassVar[str] = "Sample-and-hold"
    is_sampled: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["sample_hold"]
    input: Signal = signal("What is sampled.")
    clock: Signal = signal("Whose rising edge samples it.")
    threshold: float = param(
        0.5, "signal", -100.0, 100.0, "The clock rises where it was at or under this and is now over."
    )
    track: bool = choice(False, "Follow the input while the clock is over the threshold.")
    loop: int | None = choice(None, "Repeat the first so many values taken, or none.", minimum=1, maximum=512)
    reset: Signal = signal("Where this rises through 0.5 a loop goes back to its first value; left out, nothing does.")

    def state_size(self) -> int:
        """The value held, the clock and the reset before, values taken, the next one's place, the values to repeat."""
        return _MEMORY + (self.loop or 0)

    def span(self) -> tuple[float, float]:
        """As wide as any nominal signal."""
        return (-1.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return the input's: it comes to nothing that its input did not come to."""
        return inputs[0]

    def is_even(self, inputs: Sequence[Reach]) -> bool:
        """What it takes afresh is as even as what it takes from; a loop of few values is not."""
        del inputs
        return self.loop is None

    def loop_s(self, tempo: Tempo, clock_hz: float | None) -> float | None:
        """Return the time that the values of its loop take."""
        del tempo
        return self.loop / clock_hz if self.loop and clock_hz else None

    def looped_longer(self, times: Fraction) -> dict[str, Any] | None:
        """Return a loop of more values."""
        count = times * (self.loop or 0)
        return {"loop": int(count)} if count.denominator == 1 and count <= MAX_POINTS else None

    def summary(self) -> str:
        """Say what is sampled by what."""
        verb = "tracks" if self.track else "samples"
        return f"{verb} {signal_text(self.input)} at {signal_text(self.clock)}"


_THRESHOLD, _TRACK, _LOOP = (SampleHold.slot(n) for n in ("threshold", "track", "loop"))
_INPUT, _CLOCK, _RESET = range(3)
_HELD, _BEFORE, _RESET_BEFORE, _TAKEN, _NEXT, _MEMORY = range(6)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    high = x[_CLOCK] > p[_THRESHOLD]
    takes = events & START or (high and s[_BEFORE] <= p[_THRESHOLD])
    s[_BEFORE] = x[_CLOCK]
    length = int(p[_LOOP])
    if rises(s, _RESET_BEFORE, x[_RESET]) and length > 0:
        s[_NEXT] = 0.0
        takes = True
    if p[_TRACK] != 0.0:
        if high or events & START:
            s[_HELD] = x[_INPUT]
    elif takes:
        if length < 1:
            s[_HELD] = x[_INPUT]
        else:
            place = int(s[_NEXT])
            if place >= s[_TAKEN]:
                s[_MEMORY + place] = x[_INPUT]
                s[_TAKEN] = place + 1.0
            s[_HELD] = s[_MEMORY + place]
            s[_NEXT] = (place + 1) % length
    return s[_HELD]
