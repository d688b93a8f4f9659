"""A regular movement in a lane: its rate, how far it goes, when it begins and how long it fades in."""

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from jorvik.core.dsp.kernels import Floats

SLOWEST_HZ: Final = 2.5
FASTEST_HZ: Final = 12.0
"""Slower is a drift, faster is roughness."""
LEAST_SHARE: Final = 0.5
"""Of what moves, what a vibrato has to explain to be one."""
_LEAST_CYCLES: Final = 2.0
_LEAST_VALUES: Final = 40
_DRIFT: Final = 4
"""How many powers of time the slow movement beneath it may have."""
_SHORTEST_S: Final = 1e-3


@dataclass(frozen=True)
class Vibrato:
    """A sine about a lane; ``depth`` to either side, in the lane's unit."""

    rate_hz: float
    depth: float
    start_s: float
    """From the moment on that it is counted from: the lane's first, or note-on."""
    fade_s: float
    phase: float
    """In cycles, at that moment."""
    sure: float
    """The share of the movement that it explains."""


def vibrato_within(
    times: Floats, lane: Floats, where: NDArray[np.bool_], least_depth: float, since: float
) -> Vibrato | None:
    """Return the vibrato of a lane where something is so, straight across what is not known; counted from ``since``."""
    at = np.flatnonzero(where & np.isfinite(lane))
    if at.size < _LEAST_VALUES:
        return None
    whole = np.arange(at[0], at[-1] + 1)
    found = fitted_vibrato(times[whole], np.interp(whole, at, lane[at]), least_depth)
    if found is None:
        return None
    later = float(times[at[0]]) - since
    return replace(found, start_s=found.start_s + later, phase=(found.phase - found.rate_hz * later) % 1.0)


def fitted_vibrato(times: Floats, lane: Floats, least_depth: float) -> Vibrato | None:
    """Return the vibrato of a lane that is even in time; None where nothing in it is regular, or deep enough.

    Rate, start and fade are found by least squares; for each of them depth, phase and a slow drift beneath follow by
    linear ones.
    """
    from scipy.optimize import least_squares

    if lane.size < _LEAST_VALUES:
        return None
    step = float(times[1] - times[0])
    since = times - times[0]
    length = float(since[-1])
    drift = np.stack([(2.0 * since / length - 1.0) ** power for power in range(_DRIFT)], axis=1)
    moved = lane - drift @ np.linalg.lstsq(drift, lane, rcond=None)[0]
    spectrum = np.abs(np.fft.rfft(moved * np.hanning(moved.size), 8 * moved.size))
    hz = np.fft.rfftfreq(8 * moved.size, step)
    inside = (hz >= SLOWEST_HZ) & (hz <= FASTEST_HZ)
    if not inside.any() or not spectrum[inside].any():
        return None
    rate = float(hz[inside][spectrum[inside].argmax()])

    def parts(q: Floats) -> tuple[Floats, Floats]:
        """Return what stands beside the drift at a rate, start and fade, and how much of each there is."""
        ramp = np.clip((since - q[1]) / max(float(q[2]), _SHORTEST_S), 0.0, 1.0)
        turn = 2.0 * np.pi * q[0] * since
        basis = np.concatenate([(ramp * np.sin(turn))[:, None], (ramp * np.cos(turn))[:, None], drift], axis=1)
        return basis, np.linalg.lstsq(basis, lane, rcond=None)[0]

    def misses(q: Floats) -> Floats:
        basis, much = parts(q)
        return np.asarray(basis @ much - lane)

    low = np.array([0.85 * rate, 0.0, _SHORTEST_S])
    high = np.array([1.15 * rate, length, length])
    tries = [np.array([rate, start * length, fade * length]) for start in (0.0, 0.25, 0.5) for fade in (0.01, 0.3)]
    found = [
        least_squares(misses, np.clip(q, low + 1e-9, high - 1e-9), bounds=(low, high), x_scale=[0.2, 0.1, 0.1])
        for q in tries
    ]
    q = min(found, key=lambda one: float(one.cost)).x
    _, much = parts(q)
    depth = float(np.hypot(much[0], much[1]))
    sounding = since > q[1]
    beneath = lane - drift @ much[2:]
    whole = float(np.var(beneath[sounding])) if sounding.any() else 0.0
    sure = 1.0 - float(np.var(misses(q)[sounding])) / whole if whole > 0.0 else 0.0
    if depth < least_depth or sure < LEAST_SHARE or (length - float(q[1])) * float(q[0]) < _LEAST_CYCLES:
        return None
    phase = float(np.arctan2(much[1], much[0]) / (2 * np.pi)) % 1.0
    return Vibrato(float(q[0]), depth, float(q[1]), float(q[2]), phase, sure)
