"""What was asked for, as it is heard: level, brightness and pitch of the rendered sound, and figures of them."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from jorvik.core.analysis.sound_lanes import HOP_S, SoundLanes, mono_of, sound_lanes
from jorvik.core.analysis.vibrato_fit import vibrato_within
from jorvik.core.document.patch import Patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.engine.run import never
from jorvik.core.limits import DEFAULT_RATE
from jorvik.core.units.noticed import MASKED_DB, PITCH_ST
from jorvik.core.units.pitch import key_hz
from jorvik.core.voice.render import render

QUIETEST_DB: Final = -MASKED_DB
"""Against the greatest level: what lies lower is not heard, unless another threshold is chosen."""

_SETTLED_S: Final = 0.05
_CLICK_S: Final = 0.05
"""Within which after note-on a click comes."""
_AFTER_S: Final = 0.15
_WINDOW_S: Final = 0.011
_STEP_S: Final = 0.001
_LEAST_CENTS: Final = 3.0
_LEAST_OCTAVES: Final = 0.1


@dataclass(frozen=True)
class HeardVibrato:
    """A vibrato that is found in the sound."""

    rate_hz: float
    depth_cents: float
    after_s: float
    """When it is first 5 cents off, from note-on."""


@dataclass(frozen=True)
class Click:
    """A note that begins brighter than it goes on."""

    octaves: float
    """How much brighter it is at most in its first 50 ms than in the 100 ms after them."""
    lasts_s: float
    """Until half of that is left."""


@dataclass(frozen=True)
class Heard:
    """One voice of a patch as it sounds, effects and all. Times are from note-on on; lanes from the first sample."""

    lanes: SoundLanes
    on_s: float
    key: float
    inaudible_after_s: float
    """When it has fallen under the threshold for good."""
    vibrato: HeardVibrato | None
    click: Click | None

    @property
    def pitch_st(self) -> Floats:
        """The pitch that is heard, in semitones from the key; not a number where none is."""
        return np.asarray(12.0 * np.log2(self.lanes.pitch_hz / key_hz(self.key)))


def heard(
    patch: Patch, voice: int = 0, threshold_db: float = QUIETEST_DB, cancelled: Callable[[], bool] = never
) -> Heard:
    """Return what is heard of a voice of a patch. Raises Problem where it comes to no finite number."""
    notes = sorted(patch.performance.notes, key=lambda note: note.start_s)
    note = notes[voice if patch.voice.mode == "poly" else 0]
    only = voice if patch.voice.mode == "poly" else None
    sound = render(patch, DEFAULT_RATE, cancelled, only=only).samples
    lanes = sound_lanes(sound, DEFAULT_RATE, key_hz(note.key))
    loud = np.flatnonzero(lanes.level_db > lanes.level_db.max() + threshold_db)
    until = float(loud[-1] + 1) * HOP_S if loud.size else note.start_s
    return Heard(
        lanes=lanes,
        on_s=note.start_s,
        key=note.key,
        inaudible_after_s=max(until - note.start_s, 0.0),
        vibrato=_vibrato(lanes, note.start_s, note.length_s),
        click=_click(mono_of(sound), note.start_s),
    )


def _vibrato(lanes: SoundLanes, on: float, length: float) -> HeardVibrato | None:
    """Return a vibrato, and when it is first far enough off to be noticed; none where it never is."""
    held = (lanes.times >= on + _SETTLED_S) & (lanes.times < on + length)
    known = lanes.pitch_hz[held & np.isfinite(lanes.pitch_hz)]
    if known.size == 0:
        return None
    cents = 1200.0 * np.log2(lanes.pitch_hz / np.median(known))
    found = vibrato_within(lanes.times, cents, held, _LEAST_CENTS, on)
    if found is None:
        return None
    t = np.arange(0.0, found.start_s + found.fade_s + 2.0 / found.rate_hz, _STEP_S)
    ramp = np.clip((t - found.start_s) / max(found.fade_s, _STEP_S), 0.0, 1.0)
    off = found.depth * ramp * np.abs(np.sin(2 * np.pi * (found.rate_hz * t + found.phase)))
    first = np.flatnonzero(off >= 100.0 * PITCH_ST)
    return HeardVibrato(found.rate_hz, found.depth, float(t[first[0]])) if first.size else None


def _click(mono: Floats, on: float) -> Click | None:
    """Return how much brighter the very beginning is, by the centroid over windows of 11 ms."""
    from scipy.signal.windows import hann

    size = 2 ** round(math.log2(_WINDOW_S * DEFAULT_RATE))
    begin = round(on * DEFAULT_RATE)
    steps = np.arange(0.0, _AFTER_S, _STEP_S)
    window, hz = hann(size, sym=False), np.fft.rfftfreq(size, 1.0 / DEFAULT_RATE)
    found = np.full(steps.size, np.nan)
    for i, step in enumerate(steps):
        first = begin + round(step * DEFAULT_RATE)
        held = mono[first : first + size]
        if held.size < size:
            break
        power = np.abs(np.fft.rfft(held * window)) ** 2
        if power.sum() > 1e-9:
            found[i] = np.log2(max(float((hz * power).sum() / power.sum()), 1.0))
    early, late = found[steps < _CLICK_S], found[steps >= _CLICK_S]
    if not np.isfinite(early).any() or not np.isfinite(late).any():
        return None
    settled = float(np.nanmedian(late))
    octaves = float(np.nanmax(early)) - settled
    if octaves < _LEAST_OCTAVES:
        return None
    top = int(np.nanargmax(early))
    below = np.flatnonzero(found[top:] <= settled + octaves / 2)
    return Click(octaves, float(steps[top + below[0]]) if below.size else _CLICK_S)
