"""Random: new targets at a rate, joined in one of five ways."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.edges import rises
from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.randomness import uniform
from jorvik.core.dsp.waves import PHASE_STATES, advance
from jorvik.core.modules.base import (
    NOTE_ON,
    START,
    Module,
    Rate,
    Reach,
    Signal,
    Stream,
    choice,
    hertz,
    joined_flag,
    signal,
    stream_name,
)
from jorvik.core.units.words import rate_text


class Random(Module):
    """A new random target each period: held, joined straight, by a cosine, by random slopes, or walked."""

    title: ClassVar[str] = "Random"
    on_panels: ClassVar[tuple[str, ...]] = ("rate",)
    draws_at_rate: ClassVar[bool] = True
    is_random: ClassVar[bool] = True

    kind: Literal["random"]
    rate: Rate = hertz(4.0, "Targets a second, or the note value between two.")
    shape: Literal["hold", "line", "cosine", "gradient", "walk"] = choice(
        "hold",
        "hold steps; line and cosine run from target to target; gradient runs through 0 at each period with a random "
        "slope; walk moves each target by a random step from the last.",
    )
    start: Literal["note", "free"] = choice("note", "note draws a new row of targets for each note; free runs on.")
    polarity: Literal["bipolar", "unipolar"] = choice("bipolar", "-1..1, or 0..1.")
    stream: Stream | None = stream_name()
    joined: bool = joined_flag()
    reset: Signal = signal("Where this rises through 0.5 the row of targets begins again; left out, nothing does that.")

    @property
    def is_renewed(self) -> bool:
        """Unless it runs free."""
        return self.start == "note"

    def state_size(self) -> int:
        """Phase (2), number of the target, row of targets, where a walk stands and goes, the reset, if a note began."""
        return PHASE_STATES + 6

    def span(self) -> tuple[float, float]:
        """By polarity."""
        return (-1.0, 1.0) if self.polarity == "bipolar" else (0.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return its whole range: chance counts with all of it."""
        del inputs
        return self.span()

    def is_even(self, inputs: Sequence[Reach]) -> bool:
        """Values that are held are."""
        del inputs
        return self.shape == "hold"

    def summary(self) -> str:
        """Say how the targets are joined, and how often they come."""
        return f"{self.shape}, {rate_text(self.rate)}"


_RATE, _SHAPE, _FREE, _UNIPOLAR = (Random.slot(n) for n in ("rate", "shape", "start", "polarity"))
_STREAM, _FIRST_NOTE = Random.slot("stream"), Random.slot("note")
_HOLD, _LINE, _COSINE, _GRADIENT, _WALK = range(5)
_INDEX, _ROW, _FROM, _TO, _BEFORE, _PLAYED = range(PHASE_STATES, PHASE_STATES + 6)
_STRIDE = 0.5


@inline_kernel
def _reflect(y: float) -> float:
    """Return ``y`` turned back at -1 and 1."""
    return 1.0 - abs((y + 1.0) % 4.0 - 2.0)


@inline_kernel
def _walk_on(p: Floats, s: Floats) -> None:
    s[_FROM] = s[_TO]
    s[_TO] = _reflect(s[_TO] + _STRIDE * uniform(p[_STREAM], int(s[_ROW]), int(s[_INDEX]) + 1))


@inline_kernel
def _value(p: Floats, s: Floats) -> float:
    shape = int(p[_SHAPE])
    x = min(max(s[0], 0.0), 1.0)
    if shape == _WALK:
        return s[_FROM] + (s[_TO] - s[_FROM]) * x
    a = uniform(p[_STREAM], int(s[_ROW]), int(s[_INDEX]))
    if shape == _HOLD:
        return a
    b = uniform(p[_STREAM], int(s[_ROW]), int(s[_INDEX]) + 1)
    if shape == _LINE:
        return a + (b - a) * x
    if shape == _COSINE:
        return a + (b - a) * 0.5 * (1.0 - math.cos(math.pi * x))
    ease = x * x * x * (x * (6.0 * x - 15.0) + 10.0)
    return 2.0 * (a * x + (b * (x - 1.0) - a * x) * ease)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample, then move on; a period that ends draws the next target."""
    begins = events & START or (events & NOTE_ON and p[_FREE] == 0.0)
    if rises(s, _BEFORE, x[0]) or begins:
        # The first note of a voice has the row of its own number, however long the run has gone on before it.
        row = s[_ROW]
        if events & START:
            s[_PLAYED] = 0.0
        if begins and s[_PLAYED] == 0.0:
            row = p[_FIRST_NOTE] + 1.0
        elif begins:
            row += 1.0
        if events & NOTE_ON:
            s[_PLAYED] = 1.0
        s[:_BEFORE] = 0.0
        s[_ROW] = 0.0 if p[_FREE] != 0.0 else row
        s[_TO] = uniform(p[_STREAM], int(s[_ROW]), 0)
        _walk_on(p, s)
    y = _value(p, s)
    for _ in range(min(advance(s, p[_RATE] * dt), 64)):
        s[_INDEX] += 1.0
        _walk_on(p, s)
    return 0.5 * (y + 1.0) if p[_UNIPOLAR] != 0.0 else y
