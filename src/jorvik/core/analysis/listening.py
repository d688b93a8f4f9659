"""Steps of a sweep made ready to be heard one beside the other: short loops at one loudness."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.units.levels import SILENCE_DB, amplitude_of
from jorvik.core.voice.limiter import CEILING_DB

LOOP_S: Final = 0.4
_BLEND_S: Final = 0.05
"""Over which the end of a loop leads into its beginning."""
MOST_RAISED_DB: Final = 24.0


def looped(held: Floats, rate: int = DEFAULT_RATE) -> Floats:
    """Return the beginning of a held sound, shape (frames, 2), such that it can be played round and round."""
    blend = min(round(_BLEND_S * rate), len(held) // 3)
    length = min(round(LOOP_S * rate), len(held) - blend)
    # Power stays the same where one goes and the other comes, since they do not move together.
    share = np.sqrt(np.linspace(0.0, 1.0, blend, endpoint=False))[:, None]
    loop = held[:length].copy()
    loop[:blend] = loop[:blend] * share + held[length : length + blend] * np.sqrt(1.0 - share**2)
    return loop


def at_one_loudness(sounds: Sequence[Floats], loudnesses: Sequence[float]) -> list[Floats]:
    """Return sounds brought to the loudness that stands in the middle of theirs.

    What is quieter is raised, by 24 dB at most and never over the limiter's ceiling; silence stays silence.
    """
    heard = [level for level in loudnesses if level > SILENCE_DB]
    wanted = float(np.median(heard)) if heard else SILENCE_DB
    made = []
    for sound, level in zip(sounds, loudnesses, strict=True):
        gain = amplitude_of(min(wanted - level, MOST_RAISED_DB)) if level > SILENCE_DB else 0.0
        peak = float(np.abs(sound).max()) if sound.size else 0.0
        made.append(sound * min(gain, amplitude_of(CEILING_DB) / max(peak, 1e-9)))
    return made
