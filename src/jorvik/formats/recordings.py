"""Recorded notes from files: WAV, FLAC or OGG, of any depth and rate, by soundfile."""

import io
from dataclasses import dataclass, field
from typing import Final

import numpy as np
import soundfile

from jorvik.core.analysis.recording import MAX_S
from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import MAX_RATE, MIN_RATE
from jorvik.core.problems import Problem
from jorvik.core.units.words import time_text

MAX_FILE_BYTES: Final = 60_000_000
"""Thirty seconds at 192 kHz in floats, of both sides."""
_FORMATS: Final = ("WAV", "WAVEX", "FLAC", "OGG", "AIFF", "RF64", "W64")
LEAST_RATE: Final = 2 * MIN_RATE


@dataclass
class RecordedFile:
    """The sound in a file, shape (frames, 1 or 2), 30 s of it at most."""

    samples: Floats
    rate: int
    remarks: list[str] = field(default_factory=list)


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
            samples = file.read(round(MAX_S * rate), dtype="float64", always_2d=True)
    except (soundfile.SoundFileError, RuntimeError, ValueError, TypeError) as error:
        if isinstance(error, Problem):
            raise
        raise Problem("the recording", "no sound that can be read", "a WAV, FLAC or OGG file") from None
    remarks = []
    if frames > len(samples):
        remarks.append(f"Of {time_text(float(f'{frames / rate:.3g}'))} the first {MAX_S:g} s are looked at.")
    if not np.isfinite(samples).all():
        remarks.append("Samples that are no numbers count as silence.")
    return RecordedFile(np.nan_to_num(samples[:, :2], posinf=0.0, neginf=0.0), rate, remarks)
