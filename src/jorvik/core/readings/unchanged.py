"""How often a moving cutoff no longer changes the sound: every harmonic that counts passes within 1 dB.

The tone is the table's own harmonics at the set position, those within 60 dB of the strongest and under 20 kHz; the
filter is the analogue state-variable one at the set resonance. Levels are told apart from about 1 dB on (Jesteadt, Wier
and Green, JASA 61, 1977).
"""

from collections.abc import Iterator
from typing import Final

import numpy as np

from jorvik.core.destinations import VOICE
from jorvik.core.kernels import Floats
from jorvik.core.measure.context import Context
from jorvik.core.pitch import key_hz
from jorvik.core.readings.base import Reading
from jorvik.core.voice_settings import frame_of

HEARD_DB: Final = 1.0
COUNTS_DB: Final = 60.0
MOMENTS: Final = 1024


def find(of: Context) -> Iterator[Reading]:
    """Yield the share of a moving cutoff that leaves the tone as it is."""
    lane = of.lane("cutoff")
    if lane is None or float(of.values("osc1_level").max()) == 0.0:
        return
    held = of.held(lane.value)
    steps = np.concatenate([[0], np.flatnonzero(np.diff(held)) + 1])
    stepped = steps.size <= held.size // 100
    cutoffs = held[steps] if stepped else held[:: max(1, held.size // MOMENTS)]
    hz = _harmonics(of)
    if hz.size == 0 or (stepped and steps.size < 2):
        return
    share = float((_greatest_change(of, cutoffs, hz) < HEARD_DB).mean())
    if share == 0.0 and not stepped:
        return
    yield Reading(
        "cutoff",
        "steps that change nothing" if stepped else "time it changes nothing",
        share,
        "ratio",
        "Where every harmonic of oscillator 1 within 60 dB of its strongest passes within 1 dB.",
    )


def _harmonics(of: Context) -> Floats:
    """Return the frequencies of the harmonics that count."""
    voice = of.patch.voice
    position = float(of.values("wavetable_position").mean())
    table = voice.oscillators.table(voice.oscillators.osc1.table)
    levels = np.array([level for level, _ in frame_of(table, position)])
    numbers = np.flatnonzero(levels > 10.0 ** (-COUNTS_DB / 20.0)) + 1
    hz = numbers * key_hz(of.patch.performance.notes[0].key)
    return np.asarray(hz[hz < 20_000.0], dtype=float)


def _greatest_change(of: Context, cutoffs: Floats, hz: Floats) -> Floats:
    """Return for each cutoff by how many dB it changes the harmonic that it changes most."""
    chosen = of.patch.voice.filter
    q = 0.5 * 128.0 ** of.patch.base(VOICE["resonance"])
    s = 1j * hz[None, :] / cutoffs[:, None]
    below = s * s + s / q + 1.0
    above = {"low": 1.0 + 0.0 * s, "band": s / q, "high": s * s, "notch": s * s + 1.0}[chosen.response]
    size = np.maximum(np.abs(above / below), 1e-9)
    return np.asarray(np.abs(20.0 * np.log10(size)).max(axis=1) * (2.0 if chosen.slope == "steep" else 1.0))
