"""DC in the sound, and movement under hearing: level that takes headroom and moves loudspeakers without being heard.

What lies under 20 Hz, the lower end of hearing (ISO 226), against the whole, over the first half second as it is
rendered, before the output's high-pass takes the DC out; told from -15 dB of it on, where it takes 1.4 dB of headroom, and from a hundredth of full scale.
"""

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from jorvik.core.document.patch import Patch, check_patch, edited
from jorvik.core.document.performance import Note
from jorvik.core.findings.base import Finding, Fix
from jorvik.core.measure.context import Context
from jorvik.core.units.levels import decibels
from jorvik.core.units.noticed import AUDIO_HZ
from jorvik.core.voice.render import render

LEAST_DB = -15.0
LEAST_SIZE = 0.01
LONGEST_S = 0.5
BLOCKED_HZ = 30.0
LEAST_SAMPLES = 1200
"""One cycle at the lower end of hearing: of less nothing under it can be told."""

_RATE = 24_000


def find(context: Context) -> Iterator[Finding]:
    """Yield a finding where too much of the sound lies under hearing."""
    if note_of(context.patch).length_s * _RATE < LEAST_SAMPLES:
        return
    samples = render(_start(context.patch), _RATE, context.cancelled, blocked=False).samples
    # Faded in and out, so that the cut at the end does not itself count as movement.
    faded = samples * np.hanning(samples.shape[0])[:, None]
    power = (np.abs(np.fft.rfft(faded, 4 * samples.shape[0], axis=0)) ** 2).sum(axis=1)
    whole = float(power.sum())
    if whole <= 1e-9:
        return
    hz = np.fft.rfftfreq(4 * samples.shape[0], 1.0 / _RATE)
    share_db = decibels(math.sqrt(float(power[hz < AUDIO_HZ].sum()) / whole))
    size = math.sqrt(float((samples**2).mean())) * 10.0 ** (share_db / 20.0)
    if share_db < LEAST_DB or size < LEAST_SIZE:
        return
    dc = float(np.abs(samples.mean(axis=0)).max())
    standing = f", {100.0 * dc:.1f} % of full scale of it standing still (DC)" if dc > 1e-3 else ""
    yield Finding(
        rule="subsonic",
        severity="caution",
        sentence=f"{share_db:.0f} dB of the sound lies under {AUDIO_HZ:g} Hz{standing}.".replace("-", "−"),
        why="It is not heard, takes headroom, and moves what comes after it. Standing DC is taken out at the output; what causes it is here.",
        about="amplitude",
        from_s=context.on_s,
        to_s=min(context.off_s, context.on_s + LONGEST_S),
        fix=_fix(context),
    )


def note_of(patch: Patch) -> Note:
    """Return the note that the patch is tested with."""
    return patch.performance.notes[0]


def _start(patch: Patch) -> Patch:
    """Return the patch's first note alone, cut short, without effects."""
    document = patch.document()
    note = note_of(patch)
    first = {"key": note.key, "velocity": note.velocity, "length_s": min(note.length_s, LONGEST_S)}
    document["performance"] = {**document.get("performance", {}), "notes": [first], "tail_s": 0.0}
    return check_patch(document)


def _fix(context: Context) -> Fix | None:
    """Block it with the second filter, where that is free."""
    voice: dict[str, Any] = context.patch.document().get("voice", {})
    used = "filter2" in voice or any(name in voice.get("base", {}) for name in ("filter2_cutoff", "filter_mix"))
    if used or any(context.routes_to(name) for name in ("filter2_cutoff", "filter_mix")):
        return None
    blocking = {"filter2": {"response": "high", "slope": "steep"}}
    patch = edited(context.patch, base={"filter2_cutoff": BLOCKED_HZ}, voice=blocking)
    return Fix(f"filter 2 as a high-pass at {BLOCKED_HZ:g} Hz", patch)
