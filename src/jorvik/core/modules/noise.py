"""Noise: a random number for each sample."""

from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.randomness import uniform
from jorvik.core.modules.base import START, Module, Reach, Stream, choice, joined_flag, stream_name


class Noise(Module):
    """White or pink noise, made from seed, stream and sample number, so that any stretch can be made alone."""

    title: ClassVar[str] = "Noise"
    is_random: ClassVar[bool] = True

    kind: Literal["noise"]
    colour: Literal["white", "pink"] = choice("white", "Equal power a hertz, or equal power an octave.")
    polarity: Literal["bipolar", "unipolar"] = choice("bipolar", "-1..1, or 0..1.")
    stream: Stream | None = stream_name()
    joined: bool = joined_flag()

    def state_size(self) -> int:
        """The present number of each row of the pink sum."""
        return _PINK_ROWS

    def packed(self) -> list[float]:
        """How many rows there are: were it a constant, the compiler would work ahead on all of them, needed or not."""
        return [float(_PINK_ROWS)]

    def span(self) -> tuple[float, float]:
        """By polarity."""
        return (-1.0, 1.0) if self.polarity == "bipolar" else (0.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return its whole range: chance counts with all of it."""
        del inputs
        return self.span()

    def is_even(self, inputs: Sequence[Reach]) -> bool:
        """White noise is."""
        del inputs
        return self.colour == "white"

    def summary(self) -> str:
        """Say the colour."""
        return f"{self.colour}, {self.polarity}"


_COLOUR, _UNIPOLAR, _STREAM = (Noise.slot(n) for n in ("colour", "polarity", "stream"))
_PINK_ROWS = 16


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample of noise.

    Pink is a sum of white rows, each held twice as long as the one before (Voss's method as told by Gardner,
    Scientific American, April 1978); row r changes where n has a whole number of 2**r samples.
    """
    if p[_COLOUR] == 0.0:
        y = uniform(p[_STREAM], 0, n)
    else:
        rows, row = int(d[0]), 0
        while row < rows and (events & START or n % (1 << row) == 0):
            s[row] = uniform(p[_STREAM], row + 1, n >> row)
            row += 1
        y = 0.0
        for row in range(rows):
            y += s[row]
        y /= rows
    return 0.5 * (y + 1.0) if p[_UNIPOLAR] != 0.0 else y
