"""Sound files of every packing that soundfile reads, within limits.

The limits are of size, length, rate and channels.
"""

import io
from dataclasses import dataclass
from typing import Final

import numpy as np
import soundfile

from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import MAX_RATE
from jorvik.core.problems import Problem

MOST_CHANNELS: Final = 8
_FORMATS: Final = ("WAV", "WAVEX", "FLAC", "OGG", "AIFF", "RF64", "W64")
_BLOCK: Final = 1 << 16
"""Frames that are read at once."""


@dataclass(frozen=True)
class SoundInFile:
    """The beginning of a sound file, and what its header says of the whole."""

    samples: Floats
    """Shape (frames, channels), with two channels at most.

    It may hold values that are not finite.
    """
    rate: int
    frames: int
    channels: int
    subtype: str

    @property
    def seconds(self) -> float:
        """Length of the whole file."""
        return self.frames / self.rate


def read_sound(
    data: bytes, place: str, most_bytes: int, most_s: float, rates: tuple[int, int], most_channels: int = MOST_CHANNELS
) -> SoundInFile:
    """Return the first two channels of the beginning of a sound file.

    A short file can unpack to gigabytes, so the header is checked first, and the sound is read block by block.

    Parameters
    ----------
    data : bytes
        The file.
    place : str
        Its name in a refusal.
    most_bytes : int
        The greatest size of the file.
    most_s : float
        How many seconds are read of a longer one.
    rates : tuple of int
        The lowest and the highest rate, in samples per second.
    most_channels : int
        The greatest number of channels.

    Raises
    ------
    Problem
        For a file that is too large, of another format, or outside of these limits.
    """
    if len(data) > most_bytes:
        raise Problem(place, f"{len(data) / 1e6:.3g} MB", f"{most_bytes / 1e6:g} MB at most")
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            rate, kind = file.samplerate, file.format
            if kind not in _FORMATS:
                raise Problem(place, f"a file of the kind {kind}", "WAV, FLAC or OGG")
            if not rates[0] <= rate <= min(rates[1], MAX_RATE):
                raise Problem(place, f"{rate} samples a second", f"{rates[0]} to {min(rates[1], MAX_RATE)}")
            if file.channels > most_channels:
                raise Problem(place, f"{file.channels} channels", f"{most_channels} at most")
            blocks = file.blocks(blocksize=_BLOCK, frames=round(most_s * rate), dtype="float64", always_2d=True)
            none = np.zeros((0, min(file.channels, 2)))
            samples = np.concatenate([none, *(block[:, :2] for block in blocks)])
            return SoundInFile(samples, rate, file.frames, file.channels, file.subtype)
    except Problem:
        raise
    except (soundfile.SoundFileError, RuntimeError, ValueError, TypeError):
        raise Problem(place, "no sound that can be read", "a WAV, FLAC or OGG file") from None
