"""What a control filter does to what it is given: gain and phase at the rate of its input, in closed form.

The trapezoidal state-variable filter is the analogue one with its frequencies bent: at s = j tan(pi f / fs) /
tan(pi f_c / fs), low = 1 / D, band = (s / q) / D, high = s^2 / D, notch = (s^2 + 1) / D, with D = s^2 + s / q + 1.
"""

import cmath
import math
from collections.abc import Iterator

from jorvik.core.dsp.svf import transfer
from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.words import in_words, rate_text, time_text

_SLOWEST_HZ = 1e-6


def find(context: Context) -> Iterator[Figure]:
    """Yield gain and phase of each control filter whose input repeats."""
    for module in context.having("rings"):
        hz = context.rate_of(str(module.input))
        # What stands still repeats nothing.
        if hz is None or not _SLOWEST_HZ <= hz < context.rate / 2.0:
            continue
        frequency, q = context.setting(module, "frequency_hz"), context.setting(module, "q")
        through = complex(transfer(module.response, hz, frequency, q, context.rate))
        if module.coupling == "ac":
            blocked = context.setting(module, "coupling_hz")
            corner = math.tan(math.pi * hz / context.rate) / math.tan(math.pi * blocked / context.rate)
            through *= 1j * corner / (1.0 + 1j * corner)
        through *= context.setting(module, "gain")
        about, group = f"signal.{module.id}", f"At {rate_text(hz)}, where {module.input} repeats"
        if abs(through) < 1e-9:
            yield Figure(about, "gain", -180.0, "dB", "Nothing of it passes.", group, words="nothing passes")
            continue
        gain, phase = decibels(abs(through), -180.0), math.degrees(cmath.phase(through))
        yield Figure(about, "gain", gain, "dB", "Size of the output's first harmonic over the input's.", group)
        yield Figure(
            about,
            "phase",
            phase,
            "°",
            "How far the output's first harmonic runs ahead of the input's (below 0: behind), in degrees and time.",
            group,
            words=f"{in_words(phase, '°').replace(' °', '°')}, {time_text(abs(phase) / 360.0 / hz)}",
        )
