"""Oscillator: a source at audio rate, tuned to the note."""

import math
from collections.abc import Sequence
from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel
from jorvik.core.dsp.waves import PHASE_STATES, advance, wave
from jorvik.core.modules.base import NOTE_ON, START, Module, Reach, choice, hertz, param
from jorvik.core.signals import PITCH_LANE
from jorvik.core.units.pitch import KEY60_HZ
from jorvik.core.units.words import rate_text


class Oscillator(Module):
    """A repeating shape at the note's frequency, at the moving pitch's, or at one of its own.

    ``note`` is the key's frequency alone; ``pitch`` follows everything that moves the pitch, glide and bend too.
    """

    title: ClassVar[str] = "Oscillator"
    rate_field: ClassVar[str] = "hz"
    is_tone: ClassVar[bool] = True
    reads: ClassVar[tuple[str, ...]] = ("key", PITCH_LANE)

    kind: Literal["oscillator"]
    shape: Literal["sine", "triangle", "saw_up", "saw_down", "square"] = choice("sine", "The shape of one cycle.")
    tracks: Literal["note", "pitch", "none"] = choice("note", "What its frequency follows.")
    ratio: float = param(1.0, "x", 0.0, 128.0, "Times the frequency that it tracks.")
    hz: float = hertz(440.0, "Its frequency when it tracks nothing.")
    phase: float = param(0.0, "cycle", 0.0, 1.0, "Where in the cycle it starts, at each note.", at_stage=True)
    pulse_width: float = param(0.5, "ratio", 0.0, 1.0, "Share of the cycle that a square stays up.")

    def reads_now(self) -> tuple[str, ...]:
        """The pitch lane is read only when the pitch is tracked."""
        return self.reads if self.tracks == "pitch" else self.reads[:1]

    @property
    def is_renewed(self) -> bool:
        """It begins with each note."""
        return True

    def state_size(self) -> int:
        """Phase (2)."""
        return PHASE_STATES

    def span(self) -> tuple[float, float]:
        """Bipolar."""
        return (-1.0, 1.0)

    def reach(self, inputs: Sequence[Reach]) -> Reach:
        """Return -1 to 1, the range of a cycle."""
        del inputs
        return -1.0, 1.0

    def summary(self) -> str:
        """Say shape and frequency."""
        at = rate_text(self.hz) if self.tracks == "none" else f"{self.ratio:g} x {self.tracks}"
        return f"{self.shape.replace('_', ' ')}, {at}"


_SHAPE, _TRACKS, _RATIO, _HZ = (Oscillator.slot(n) for n in ("shape", "tracks", "ratio", "hz"))
_PHASE, _WIDTH = Oscillator.slot("phase"), Oscillator.slot("pulse_width")
_PITCH, _NONE = (Oscillator.choices("tracks").index(n) for n in ("pitch", "none"))


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample, then move the phase on."""
    if events & (START | NOTE_ON):
        s[0], s[1] = p[_PHASE] % 1.0, 0.0
    y = wave(int(p[_SHAPE]), s[0], p[_WIDTH], d)
    hz = p[_HZ]
    if p[_TRACKS] != _NONE:
        octaves = x[0] + x[1] / 12.0 if p[_TRACKS] == _PITCH else x[0]
        hz = KEY60_HZ * p[_RATIO] * math.exp(octaves * math.log(2.0))
    advance(s, hz * dt)
    return y
