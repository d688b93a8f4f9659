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

MAX_FILE_BYTES: Final = 60_000_000
"""Thirty seconds at 192 kHz in floats, of both sides."""
_FORMATS: Final = ("WAV", "WAVEX", "FLAC", "OGG", "AIFF", "RF64", "W64")
LEAST_RATE: Final = 2 * MIN_RATE
MOST_CHANNELS: Final = 8
_BLOCK: Final = 1 << 16
"""Frames that are read at once."""
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
    if len(data) > MAX_FILE_BYTES:
        raise Problem("the recording", f"{len(data) / 1e6:.3g} MB", f"{MAX_FILE_BYTES / 1e6:g} MB at most")
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            rate, frames, kind = file.samplerate, file.frames, file.format
            if kind not in _FORMATS:
                raise Problem("the recording", f"a file of the kind {kind}", "WAV, FLAC or OGG")
            if not LEAST_RATE <= rate <= MAX_RATE:
                raise Problem("the recording", f"{rate} samples a second", f"{LEAST_RATE} to {MAX_RATE}")
            if file.channels > MOST_CHANNELS:
                raise Problem("the recording", f"{file.channels} channels", f"{MOST_CHANNELS} at most")
            # Block by block: of many channels only two are ever in memory whole.
            wanted = {"blocksize": _BLOCK, "frames": round(MAX_S * rate), "dtype": "float64", "always_2d": True}
            samples = np.concatenate([np.zeros((0, min(file.channels, 2))), *(b[:, :2] for b in file.blocks(**wanted))])
    except (soundfile.SoundFileError, RuntimeError, ValueError, TypeError) as error:
        if isinstance(error, Problem):
            raise
        raise Problem("the recording", "no sound that can be read", "a WAV, FLAC or OGG file") from None
    if len(samples) == 0:
        raise Problem("the recording", "no sample", "a note that can be heard")
    remarks = []
    if frames > len(samples):
        remarks.append(f"Of {time_text(float(f'{frames / rate:.3g}'))} the first {MAX_S:g} s are looked at.")
    if not np.isfinite(samples).all():
        remarks.append("Samples that are no numbers count as silence.")
    return RecordedFile(np.nan_to_num(samples, posinf=0.0, neginf=0.0), rate, remarks)
