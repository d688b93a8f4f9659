"""Signals as control voltage."""

import numpy as np

from jorvik.core.document.destinations import UNBOUNDED, Destination
from jorvik.core.dsp.kernels import Floats
from jorvik.core.units.pitch import KEY60_HZ


def lane_volts(values: Floats, at: Destination, volts: float) -> Floats:
    """Return a lane in volts: pitches at 1 V an octave, the rest so that the greater end of its range is ``volts``.

    A pitch is counted from the key, a frequency from key 60. What has no range stands at ``volts`` for 1.
    """
    if at.unit in ("st", "oct"):
        return values / (12.0 if at.unit == "st" else 1.0)
    if at.unit == "Hz":
        return np.asarray(np.log2(np.maximum(values, 1e-6) / KEY60_HZ))
    most = max(abs(at.low), abs(at.high))
    return values * (volts if most >= UNBOUNDED else volts / most)
