"""Low-frequency oscillator: a repeating shape, at any rate up to half the sample rate."""

from collections.abc import Collection, Sequence
from typing import ClassVar, Literal

from pydantic import field_validator, model_validator
from pydantic_core import PydanticCustomError

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.waves import EDGE, PHASE_STATES, advance, pack_points, wave
from jorvik.core.modules.base import (
    NOTE_ON,
    START,
    Module,
    Rate,
    Reach,
    Signal,
    Time,
    check_points,
    choice,
    data,
    hertz,
    param,
    reset_signal,
    seconds,
)
from jorvik.core.units.words import rate_text, time_text


class Lfo(Module):
    """A repeating shape with a rate, a start rule, a delay and a fade-in. A new rate never makes the phase jump."""

    title: ClassVar[str] = "LFO"
    rate_field: ClassVar[str] = "rate"
    on_panels: ClassVar[tuple[str, ...]] = ("rate",)

    kind: Literal["lfo"]
    shape: Literal["sine", "triangle", "saw_up", "saw_down", "square", "drawn"] = choice(
        "sine", "The shape of one cycle; drawn follows the points."
    )
    rate: Rate = hertz(1.0, "Cycles a second, or the note value of one cycle.")
    phase: float = param(0.0, "cycle", 0.0, 1.0, "Where in the cycle it starts.", at_stage=True)
    pulse_width: float = param(0.5, "ratio", 0.0, 1.0, "Share of the cycle that a square stays up.")
    polarity: Literal["bipolar", "unipolar"] = choice("bipolar", "-1..1, or 0..1.")
    start: Literal["note", "free", "once"] = choice(
        "note", "note restarts with each note; free runs from time 0; once stops after one cycle and holds its end."
    )
    delay_s: Time = seconds(0.0, "Silence after the note begins.", at_stage=False)
    fade_in_s: Time = seconds(0.0, "Straight fade-in after the delay.", at_stage=False)
    points: list[list[float]] = data(
        [], "The drawn cycle: [x, y, bend to the next] with x in 0..1.", across="cycle", only_for={"shape": ["drawn"]}
    )
    reset: Signal = reset_signal()

    @field_validator("points")
    @classmethod
    def _points(cls, value: list[list[float]]) -> list[list[float]]:
        return check_points(value, 0)

    @model_validator(mode="after")
    def _drawn_needs_points(self) -> "Lfo":
        if self.shape == "drawn" and len(self.points) < 2:
            raise PydanticCustomError("points", "at least two points for a drawn shape")
        return self

    def packed(self) -> list[float]:
        """The drawn points."""
        return pack_points(self.points)

    @property
    def is_renewed(self) -> bool:
        """Unless it runs free."""
        return self.start != "free"

    def hears_notes(self, moved: Collection[str]) -> bool:
        """A delay and a fade-in count from the note, also of one that runs free."""
        fades = ("delay_s", "fade_in_s")
        return self.is_renewed or any(getattr(self, name) != 0.0 or name in moved for name in fades)

    def state_size(self) -> int:
        """Phase (2), samples since the note began, cycles since then, the value last made, the reset."""
        return PHASE_STATES + 4

    def span(self) -> tuple[float, float]:
        """By polarity."""
        return (-1.0, 1.0) if self.polarity == "bipolar" else (0.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return its range by polarity or as drawn, and the 0 before it begins."""
        del inputs
        low, high = self.span()
        if self.shape == "drawn" and self.points:
            heights = [point[1] for point in self.points]
            drawn = [0.5 * (y + 1.0) if self.polarity == "unipolar" else y for y in (min(heights), max(heights))]
            low, high = drawn
        return (min(low, 0.0), max(high, 0.0)) if self.delay_s or self.fade_in_s else (low, high)

    @property
    def repeats(self) -> str:
        """Its rate."""
        return "rate"

    def summary(self) -> str:
        """Say shape, rate and when it is heard."""
        text = f"{self.shape.replace('_', ' ')}, {rate_text(self.rate)}"
        late = f", after {time_text(self.delay_s)}" if self.delay_s else ""
        fades = f", fades in over {time_text(self.fade_in_s)}" if self.fade_in_s else ""
        return f"{text}{late}{fades}" if late or fades else f"{text}, {self.start}"


_SHAPE, _RATE, _PHASE, _WIDTH = (Lfo.slot(n) for n in ("shape", "rate", "phase", "pulse_width"))
_UNIPOLAR, _START_RULE, _DELAY, _FADE = (Lfo.slot(n) for n in ("polarity", "start", "delay_s", "fade_in_s"))
_FREE, _ONCE = (Lfo.choices("start").index(n) for n in ("free", "once"))
_SINCE, _CYCLES, _LAST, _BEFORE = range(PHASE_STATES, PHASE_STATES + 4)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample of the LFO, then move its phase on."""
    reset = rises(s, _BEFORE, x[0])
    if reset or events & (START | NOTE_ON):
        s[_SINCE] = 0.0
        if reset or events & START or p[_START_RULE] != _FREE:
            s[:_BEFORE] = 0.0
            s[0] = p[_PHASE] % 1.0
    once = p[_START_RULE] == _ONCE
    if once and s[_CYCLES] >= 1.0 - EDGE:
        y = s[_LAST]
    else:
        y = wave(int(p[_SHAPE]), s[0], p[_WIDTH], d)
        if p[_UNIPOLAR] != 0.0:
            y = 0.5 * (y + 1.0)
        cycles = p[_RATE] * dt
        advance(s, cycles)
        if once:
            s[_LAST] = y
            s[_CYCLES] += cycles
    t = s[_SINCE] * dt
    s[_SINCE] += 1.0
    if t < p[_DELAY]:
        return 0.0
    if t < p[_DELAY] + p[_FADE]:
        return y * ((t - p[_DELAY]) / p[_FADE])
    return y
