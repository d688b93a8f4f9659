"""Control filter: a resonant filter for control signals, up into audio rate."""

from typing import ClassVar, Literal

from jorvik.core.dsp.kernels import Floats, inline_kernel, unlikely
from jorvik.core.dsp.svf import CONTROL_TOP, advance, corner, feedback, passed
from jorvik.core.modules.base import START, Module, Signal, choice, hertz, param, signal, signal_text
from jorvik.core.units.words import rate_text


class Filter(Module):
    """A trapezoidal state-variable filter, from rest, its frequency read at every sample.

    Source of the form: the trapezoidal integration of the state-variable filter (Zavalishin, "The Art of VA Filter
    Design", ch. 4; the same unknowns as in the model: g = tan(pi f / fs), k = 1/q).
    """

    title: ClassVar[str] = "Control filter"
    rings: ClassVar[bool] = True
    may_overshoot: ClassVar[bool] = True
    keeps_shape: ClassVar[bool] = True
    comes_to_end: ClassVar[bool] = True
    role: ClassVar[Literal["source", "processor", "control"]] = "processor"

    kind: Literal["filter"]
    input: Signal = signal("What is filtered.")
    response: Literal["low", "high", "band", "notch"] = choice("low", "What passes.")
    frequency_hz: float = hertz(10.0, "Corner or centre, in hertz.", low=1e-3, high=96_000.0)
    q: float = param(0.5, "Q", 0.5, 1e4, "Resonance: 0.5 does not ring, 10 rings for ten audible cycles.")
    coupling: Literal["dc", "ac"] = choice("dc", "ac takes a standing offset out before the filter.")
    coupling_hz: float = hertz(1.0, "Corner of the coupling's high-pass.", low=1e-3, high=96_000.0)
    gain: float = param(1.0, "x", -1000.0, 1000.0, "The output is multiplied by this.")

    @property
    def passes_standing(self) -> bool:
        """True where a standing input comes through, times the gain."""
        return self.response in ("low", "notch") and self.coupling == "dc"

    def state_size(self) -> int:
        """Two integrators, the coupling's integrator, frequency and Q last used, and what was made of them."""
        return 8

    def span(self) -> tuple[float, float]:
        """As wide as any nominal signal."""
        return (-1.0, 1.0)

    def summary(self) -> str:
        """Say what is filtered, how and where."""
        return f"{self.response} of {signal_text(self.input)}, {rate_text(self.frequency_hz)}, Q {self.q:g}"


_RESPONSE, _FREQUENCY, _Q, _AC = (Filter.slot(n) for n in ("response", "frequency_hz", "q", "coupling"))
_COUPLING_HZ, _GAIN = Filter.slot("coupling_hz"), Filter.slot("gain")
_S1, _, _BLOCKED, _LAST_HZ, _LAST_Q, _G, _K, _A1 = range(8)


@inline_kernel
def step(p: Floats, x: Floats, s: Floats, d: Floats, events: int, n: int, dt: float) -> float:
    """Make one sample."""
    if events & START:
        s[:] = 0.0
    y = x[0]
    if unlikely(p[_AC] != 0.0):
        g = corner(p[_COUPLING_HZ] * dt, CONTROL_TOP)
        v = (y - s[_BLOCKED]) * g / (1.0 + g)
        low = v + s[_BLOCKED]
        s[_BLOCKED] = low + v
        y -= low
    if unlikely(p[_FREQUENCY] != s[_LAST_HZ] or p[_Q] != s[_LAST_Q]):
        s[_LAST_HZ], s[_LAST_Q] = p[_FREQUENCY], p[_Q]
        s[_G], s[_K] = corner(p[_FREQUENCY] * dt, CONTROL_TOP), 1.0 / p[_Q]
        s[_A1] = feedback(s[_G], s[_K])
    v1, v2 = advance(s, _S1, s[_G], s[_A1], y)
    return p[_GAIN] * passed(int(p[_RESPONSE]), s[_K], y, v1, v2)
