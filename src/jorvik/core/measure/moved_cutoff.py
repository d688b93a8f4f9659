"""What a moving cutoff does to the harmonics of oscillator 1.

The tone is the table's own harmonics at the set position, those within 60 dB of the strongest and under 20 kHz; the
filter is the voice's own at the set resonance.
"""

from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.document.destinations import VOICE
from jorvik.core.document.voice_settings import frame_of
from jorvik.core.dsp.kernels import Floats
from jorvik.core.dsp.svf import TOP, quality, transfer
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import levels_db
from jorvik.core.units.noticed import HIGHEST_HZ, LEVEL_DB, MASKED_DB
from jorvik.core.units.pitch import key_hz

MOMENTS: Final = 1024


@dataclass(frozen=True)
class MovedCutoff:
    """A cutoff that moves while the note is held, and the tone that it meets."""

    cutoffs: Floats
    """Each step that it takes, or its values at many moments, in hertz."""
    stepped: bool
    hz: Floats
    """Frequencies of the harmonics of oscillator 1 that count."""
    levels: Floats
    """Their levels, the strongest at 1."""
    response: str
    steep: bool
    q: float
    rate: float

    @classmethod
    def of(cls, context: Context) -> "MovedCutoff | None":
        """Return the moving cutoff of a patch, or None where nothing moves it or oscillator 1 is silent."""
        lane = context.lane("cutoff")
        if lane is None or float(context.values("osc1_level").max()) == 0.0:
            return None
        held = context.held(lane.value)
        if float(np.ptp(held)) <= 0.0:
            return None
        steps = np.concatenate([[0], np.flatnonzero(np.diff(held)) + 1])
        stepped = steps.size <= held.size // 100
        cutoffs = held[steps] if stepped else held[:: max(1, held.size // MOMENTS)]
        hz, levels = _harmonics(context)
        if hz.size == 0 or (stepped and steps.size < 2):
            return None
        chosen = context.patch.voice.filter
        q = quality(context.patch.base(VOICE["resonance"]))
        return cls(cutoffs, stepped, hz, levels, chosen.response, chosen.slope == "steep", q, context.rate)

    def unchanged_share(self) -> float:
        """Return the share of the steps or moments at which no harmonic changes by 1 dB."""
        return float((np.abs(self._gains_db()).max(axis=1) < LEVEL_DB).mean())

    def loudest_db(self) -> Floats:
        """Return for each step or moment the level of the loudest harmonic that is left, the strongest at 0 dB."""
        return np.asarray((self._gains_db() + levels_db(self.levels)[None, :]).max(axis=1))

    def _gains_db(self) -> Floats:
        """Return by how many dB each cutoff changes each harmonic, shape (cutoffs, harmonics)."""
        through = transfer(self.response, self.hz[None, :], self.cutoffs[:, None], self.q, self.rate, TOP)
        return np.asarray(levels_db(np.abs(through), -180.0) * (2.0 if self.steep else 1.0))


def _harmonics(context: Context) -> tuple[Floats, Floats]:
    """Return frequencies and levels of the harmonics that count."""
    voice = context.patch.voice
    position = float(context.values("wavetable_position").mean())
    table = voice.oscillators.table(voice.oscillators.osc1.table)
    levels = np.array([level for level, _ in frame_of(table, position)])
    numbers = np.flatnonzero(levels > 10.0 ** (-MASKED_DB / 20.0)) + 1
    hz = np.asarray(numbers * key_hz(context.note.key), dtype=float)
    heard = hz < min(HIGHEST_HZ, 0.5 * context.rate)
    return hz[heard], levels[numbers - 1][heard]
