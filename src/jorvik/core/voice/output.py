"""From the sum of all voices to what leaves: the sends' effects, and no DC."""

from collections.abc import Callable, Mapping
from typing import Final

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.voice.effects import Echoes, Room, Swung
from jorvik.core.voice.sounding import delay_of

DC_HZ: Final = 5.0
"""Corner of the one-pole high-pass that keeps the output free of DC: a tenth of a dB at 30 Hz."""

SILENT: Final = 1e-5
"""A peak under which what is heard has died away: 100 dB under full scale."""


def dc_filter(rate: int) -> tuple[Floats, Floats]:
    """Return the coefficients of the high-pass at :data:`DC_HZ` (the bilinear transform)."""
    from scipy.signal import butter

    b, a = butter(1, DC_HZ, "highpass", fs=rate)
    return b, a


class LiveOutput:
    """What :func:`~jorvik.core.voice.render.render` does with all voices together, on sound as it comes."""

    def __init__(self, patch: Patch, rate: int, block: int) -> None:
        """Begin in silence, for blocks of so many samples, which come as late as a voice's sound does."""
        of, tempo = patch.voice.effects, patch.performance.tempo
        made: dict[str, Callable[[], Echoes | Swung | Room]] = {
            "send_delay": lambda: Echoes(of.delay, tempo, rate),
            "send_chorus": lambda: Swung(of.chorus, rate, first=-delay_of(patch)),
            "send_reverb": lambda: Room(of.reverb, rate, block),
        }
        self._effects = {name: make() for name, make in made.items() if patch.at_work(name)}
        self._b, self._a = dc_filter(rate)
        self._states = np.zeros((1, 2))
        self.is_silent = True

    def block(self, made: Mapping[str, Floats]) -> Floats:
        """Return a block of what leaves before the limiter, shape (frames, 2)."""
        from scipy.signal import lfilter

        wet = made["dry"].copy()
        for name, effect in self._effects.items():
            wet += effect.block(made[name])
        out, self._states = lfilter(self._b, self._a, wet, axis=0, zi=self._states)
        self.is_silent = float(np.abs(out).max()) < SILENT
        return np.asarray(out)
