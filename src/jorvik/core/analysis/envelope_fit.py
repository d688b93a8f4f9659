"""The envelope in a level: attack, decay, sustain and release, each with its bend, by least squares."""

import math
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import MAX_BEND

_GRID_S: Final = 0.0025
_FEW, _SOME, _MANY = 15, 60, 300
"""Evaluations of a fit: from each start, from the best few, from the best one."""
_PROMISING: Final = 3
_MOST_POINTS: Final = 1600
_FLOOR_DB: Final = (35.0, 70.0)
"""So far under the peak a level counts as nothing: by the noise that stands in the recording's quietest moments."""
_STRAIGHT: Final = 1e-3
_BEND: Final = 8.0
_STRAIGHTER_DB: Final = 1.0
"""What a bend of 1 in the attack counts as much as, in one place of the level."""
_ENDED: Final = 0.04
"""Of the peak: what has fallen so far before note-off has ended by itself."""


@dataclass(frozen=True)
class FittedEnvelope:
    """Stages as our envelope has them; times in seconds, ``on_s`` and ``off_s`` from the sound's first sample."""

    on_s: float
    attack_s: float
    attack_bend: float
    decay_s: float
    decay_bend: float
    sustain: float
    off_s: float | None
    """None where it has ended by itself before."""
    release_s: float | None
    release_bend: float
    peak: float
    """Amplitude where it is highest."""
    rms_db: float
    """How far it lies from the level, in dB, over what is heard."""

    def falls_s(self, left: float) -> float:
        """Return how long after the peak a share of the fall to the sustain level is left."""
        return self.decay_s * _when(1.0 - left, self.decay_bend)

    @property
    def falls_to_tenth_s(self) -> float:
        """How long after note-off a tenth is left; 0 where it has ended before."""
        return (self.release_s or 0.0) * _when(0.9, self.release_bend)


def _when(share: float, k: float) -> float:
    """Return at which part of a stage that is bent so far a share of it is gone."""
    return share if abs(k) < _STRAIGHT else -math.log1p(share * math.expm1(-k)) / k


def bent(x: Floats, k: float) -> Floats:
    """Return the bend of stages, :func:`jorvik.core.dsp.bend.bend`, over x in 0 to 1."""
    return np.asarray(x if abs(k) < _STRAIGHT else np.expm1(-k * x) / math.expm1(-k))


def envelope_at(times: Floats, p: Floats) -> Floats:
    """Return the amplitude at moments.

    Parameters are on, attack, its bend, decay, its bend, sustain, off, release, its bend, and the peak.
    """
    on, attack, ka, decay, kd, sustain, off, release, kr, peak = p
    since = times - on
    held = np.where(
        since < attack,
        bent(np.clip(since / max(attack, 1e-6), 0.0, 1.0), ka),
        1.0 - (1.0 - sustain) * bent(np.clip((since - attack) / max(decay, 1e-6), 0.0, 1.0), kd),
    )
    at_off = float(np.interp(off, times, held))
    after = at_off * (1.0 - bent(np.clip((times - off) / max(release, 1e-6), 0.0, 1.0), kr))
    return np.asarray(peak * np.where(since < 0.0, 0.0, np.where(times < off, held, after)))


def fitted_envelope(level_db: Floats, hop_s: float, window_s: float) -> FittedEnvelope:
    """Return the envelope that comes nearest to a level, which is the mean square over ``window_s`` in dB.

    The model is smeared over the same window before it is compared, so that an attack shorter than it is told as well.
    """
    from scipy.optimize import least_squares

    wanted = 10.0 ** (level_db / 20.0)
    peak = float(wanted.max())
    end = len(wanted) * hop_s
    # A multiple of the hop, so that both stand on one grid.
    parts = max(1, round(hop_s / _GRID_S))
    while len(wanted) * parts > _MOST_POINTS and parts > 1:
        parts -= 1
    skip = max(1, math.ceil(len(wanted) * parts / _MOST_POINTS))
    fine = np.arange(len(wanted) * parts) * hop_s / parts
    smear = max(1, round(window_s / hop_s * parts))
    floor_db = float(np.clip(level_db.max() - np.percentile(level_db, 5) - 3.0, *_FLOOR_DB))
    eps = peak * 10.0 ** (-floor_db / 20.0)
    target = 20.0 * np.log10(wanted + eps)

    def model(p: Floats) -> Floats:
        squared = envelope_at(fine, p) ** 2
        sums = np.concatenate([[0.0], np.cumsum(squared)])
        first = np.clip(np.arange(fine.size) - smear // 2, 0, fine.size)
        last = np.clip(first + smear, 0, fine.size)
        return np.asarray(np.sqrt((sums[last] - sums[first]) / np.maximum(last - first, 1))[::parts])

    def misses(p: Floats) -> Floats:
        # Of two that are as near the one with the straighter stages is meant.
        bends = _STRAIGHTER_DB * p[[2, 4, 8]] * np.array([1.0, 0.02, 0.02])
        return np.concatenate([(20.0 * np.log10(model(p) + eps) - target)[::skip], bends])

    loud = np.flatnonzero(wanted > 1.5 * eps)
    on, last = float(loud[0]) * hop_s, float(loud[-1]) * hop_s
    top = float(np.argmax(wanted > 0.97 * peak)) * hop_s
    low = [max(0.0, on - 0.05), 0.0, -_BEND, 1e-3, -_BEND, 0.0, top, 1e-3, -_BEND, 0.5 * peak]
    high = [on + 0.1, end, _BEND, 2.0 * end, MAX_BEND, 1.0, end, 2.0 * end, MAX_BEND, 2.0 * peak]
    scale = np.array([0.02, 0.05, 2.0, 0.2, 2.0, 0.2, 0.1, 0.2, 2.0, 0.2 * peak])
    begun = []
    for share in (0.35, 0.6, 0.8, 0.92, 1.0):
        off = top + share * (last - top)
        at_off = float(np.interp(off, np.arange(len(wanted)) * hop_s, wanted)) / peak
        release = max(0.02, last - off)
        for decay in {max(0.02, 0.25 * (off - top)), max(0.02, off - top)}:
            begin = [on, max(top - on, 2e-3), 0.5, decay, 1.5, min(at_off, 0.98), off, release, 2.5, peak]
            begun.append(np.clip(begin, np.array(low) + 1e-9, np.array(high) - 1e-9))

    def nearer(p: Floats, evaluations: int) -> Any:
        return least_squares(misses, p, bounds=(low, high), x_scale=scale, loss="soft_l1", max_nfev=evaluations)

    # A few steps tell which beginnings lead nowhere.
    first = sorted((nearer(p, _FEW) for p in begun), key=lambda found: float(found.cost))
    best = min((nearer(found.x, _SOME) for found in first[:_PROMISING]), key=lambda found: float(found.cost))
    heard = (target > target.max() - floor_db + 6.0)[::skip]
    p = nearer(best.x, _MANY).x
    return _as_stages(p, float(np.sqrt(np.mean(misses(p)[: heard.size][heard] ** 2))))


def _as_stages(p: Floats, rms_db: float) -> FittedEnvelope:
    on, attack, ka, decay, kd, sustain, off, release, kr, peak = (float(value) for value in p)
    reached = float(envelope_at(np.array([off - 1e-6]), p)[0]) / peak
    ended = reached < _ENDED
    if off < on + attack + decay and not ended:
        # Note-off came within the decay: what it would have come to is not told; it is cut off where it stood.
        share = max((off - on - attack) / max(decay, 1e-6), 0.0)
        whole = float(bent(np.array([min(share, 1.0)]), kd)[0])
        if share < 0.05:
            decay, kd, sustain = max(decay, 1e-3), 0.0, 1.0
        elif whole > 0.0 and share < 1.0:
            decay, kd, sustain = off - on - attack, kd * share, reached
    return FittedEnvelope(
        on_s=on,
        attack_s=attack,
        attack_bend=ka,
        decay_s=decay,
        decay_bend=kd,
        sustain=0.0 if ended else sustain,
        off_s=None if ended else off,
        release_s=None if ended else release,
        release_bend=kr,
        peak=peak,
        rms_db=rms_db,
    )
