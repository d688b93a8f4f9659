"""Recorded notes from files: WAV, FLAC or OGG, of any depth and rate, by soundfile."""

import base64
import io
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np
import soundfile

from jorvik.core.analysis.recording import MAX_S, QUIETEST
from jorvik.core.document.recording import MAX_SOUND
from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import MAX_NAME, MAX_RATE, MIN_RATE
from jorvik.core.problems import Problem
from jorvik.core.units.words import time_text
from jorvik.formats.sound_file import read_sound

MAX_FILE_BYTES: Final = 60_000_000
"""Thirty seconds at 192 kHz in floats, of both sides."""
LEAST_RATE: Final = 2 * MIN_RATE
_QUIET: Final = 1e-3
"""Of the greatest sample: what lies under it at either end is trimmed away."""
_ROOM_S: Final = 0.1
"""What is left before and after."""


@dataclass
class RecordedFile:
    """The sound in a file, shape (frames, 1 or 2), 30 s of it at most."""

    samples: Floats
    rate: int
    remarks: list[str] = field(default_factory=list)


def packed_recording(data: bytes, name: str) -> tuple[dict[str, Any], list[str]]:
    """Return the document of a recorded note in a file, trimmed to what is heard, and what is to be said of it.

    Raises Problem as :func:`read_recorded` does, for silence, and where it is too large to be kept.
    """
    read = read_recorded(data)
    loud = np.flatnonzero(np.abs(read.samples).max(axis=1) > max(_QUIET * float(np.abs(read.samples).max()), QUIETEST))
    if loud.size == 0:
        raise Problem("the recording", "silence", "a note that can be heard")
    room = round(_ROOM_S * read.rate)
    sound = read.samples[max(0, int(loud[0]) - room) : int(loud[-1]) + room]
    for samples, remark in ((sound, ""), (sound.mean(axis=1), "It is kept with one side: both are too large.")):
        buffer = io.BytesIO()
        soundfile.write(buffer, np.clip(samples, -1.0, 1.0), read.rate, format="FLAC", subtype="PCM_16")
        packed = base64.b64encode(buffer.getvalue()).decode()
        if len(packed) <= MAX_SOUND:
            remarks = [*read.remarks, *([remark] if remark else [])]
            about = {"format": "jorvik-recording", "version": 1, "name": name[:MAX_NAME] or "A recording"}
            return {**about, "sound": packed, "seconds": round(len(sound) / read.rate, 4)}, remarks
    raise Problem(
        "the recording", f"{len(packed) / 1e6:.2g} MB packed", f"{MAX_SOUND / 1e6:.2g} MB at most: a shorter note"
    )


def read_recorded(data: bytes) -> RecordedFile:
    """Return the sound in a file; of a longer one the first 30 s, with a remark.

    Raises Problem for what is no sound, too large, or at a rate that cannot be used.
    """
    file = read_sound(data, "the recording", MAX_FILE_BYTES, MAX_S, (LEAST_RATE, MAX_RATE))
    samples, rate = file.samples, file.rate
    if len(samples) == 0:
        raise Problem("the recording", "no sample", "a note that can be heard")
    remarks = []
    if file.frames > len(samples):
        remarks.append(f"Of {time_text(float(f'{file.seconds:.3g}'))} the first {MAX_S:g} s are looked at.")
    if not np.isfinite(samples).all():
        remarks.append("Samples that are no numbers count as silence.")
    return RecordedFile(np.nan_to_num(samples, posinf=0.0, neginf=0.0), rate, remarks)
