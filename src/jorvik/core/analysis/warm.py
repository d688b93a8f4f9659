"""What the analysis libraries compile at their first use, compiled before anybody waits for it."""

import numpy as np

from jorvik.core.analysis.sound_lanes import sound_lanes


def warm_analysis() -> None:
    """Have the search for a pitch compiled, which takes half a minute once."""
    t = np.arange(4_800) / 48_000
    sound_lanes(np.stack([np.sin(2 * np.pi * 300 * t)] * 2, axis=1), 48_000)
