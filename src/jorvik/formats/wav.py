"""Sound and control voltages as WAV, and cycles from WAV."""

import io
import struct
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
import soundfile

from jorvik.core.document.voice_settings import OWN_FRAMES, OWN_SAMPLES
from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE, MAX_RATE, MAX_RECORDING_S
from jorvik.core.problems import Problem
from jorvik.core.voice.render import Sound
from jorvik.formats.sound_file import read_sound

Depth = Literal["16", "24", "32f"]
SUBTYPES: Final[dict[str, str]] = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
RATES: Final = (44_100, 48_000, 88_200, 96_000)

FULL_SCALE_V: Final = 10.0
"""Volts that a control-voltage file's full scale stands for."""

CAUTION: Final = (
    "Control voltage with DC: never play it through loudspeakers or headphones; "
    "keep to the input range in the maker's manual."
)

MAX_FILE_BYTES: Final = 6_000_000
MAX_FILE_S: Final = 60.0
MOST_CHANNELS: Final = 16
MIN_RECORDED_RATE: Final = 8_000
_CANCELLED: Final = 1e-3
"""Share of the power that channels must leave of each other to be mixed."""
READABLE: Final = ("PCM_U8", "PCM_S8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE", "ULAW", "ALAW")
MOST_SAMPLE: Final = 1000.0
"""60 dB over full scale: what is larger is no sound but a damaged file."""
GUESSES: Final = (2048, 1024, 4096, 512, 256, 128, 64)
"""Lengths of a frame that are tried, the likeliest first."""
LEAST_FRAME: Final = 16
MOST_FRAME: Final = 8192


def wav_bytes(sound: Sound, depth: Depth = "24", mono: bool = False) -> bytes:
    """Return a sound as a WAV file; mono is the mean of both sides."""
    samples = sound.samples.mean(axis=1) if mono else sound.samples
    buffer = io.BytesIO()
    soundfile.write(buffer, samples, sound.rate, subtype=SUBTYPES[depth], format="WAV")
    return buffer.getvalue()


def voltage_bytes(volts: Floats, rate: int, name: str, depth: Depth = "32f") -> tuple[bytes, tuple[float, float]]:
    """Return a signal in volts as a mono WAV whose text says what it is, and its least and greatest volts.

    Raises Problem where it leaves what the file can hold; nothing is clipped unsaid.
    """
    least, greatest = float(volts.min(initial=0.0)), float(volts.max(initial=0.0))
    if depth != "32f" and max(-least, greatest) > FULL_SCALE_V:
        found = f"{least:.3g} to {greatest:.3g} V"
        raise Problem(name, found, f"within ±{FULL_SCALE_V:g} V for {depth}-bit; take 32-bit float, or less volts")
    buffer = io.BytesIO()
    with soundfile.SoundFile(buffer, "w", rate, 1, subtype=SUBTYPES[depth], format="WAV") as file:
        file.title = name
        file.comment = f"{name}: {least:.4g} V to {greatest:.4g} V; full scale (1.0) is {FULL_SCALE_V:g} V. {CAUTION}"
        file.write(volts / FULL_SCALE_V)
    return buffer.getvalue(), (least, greatest)


def table_bytes(table: Floats, rate: int = DEFAULT_RATE) -> bytes:
    """Return a wavetable's fullest level as a WAV of 16-bit cycles, one after the other, 2048 samples each.

    ``table`` has shape (levels, frames, samples). :func:`read_cycles` reads it back.
    """
    cycles = table[0][:, :: table.shape[2] // GUESSES[0]]
    peak = max(float(np.abs(cycles).max()), 1e-9)
    buffer = io.BytesIO()
    soundfile.write(buffer, (0.99 * cycles / peak).ravel(), rate, subtype="PCM_16", format="WAV")
    return buffer.getvalue()


@dataclass(frozen=True)
class Cycles:
    """Cycles read from a file."""

    cycles: Floats
    """Shape (frames, OWN_SAMPLES), within -1..1."""
    frame_length: int
    """Samples of a frame in the file."""
    frames_in_file: int
    remark: str
    """What was left out or changed, in a sentence; empty where nothing was."""


def read_cycles(data: bytes, frame_length: int | None = None) -> Cycles:
    """Return the frames of a WAV file as cycles for a wavetable.

    ``frame_length`` in samples is guessed where it is None: the whole file where it is short, else the first of
    GUESSES that divides it. More frames than a table holds are thinned evenly.

    Raises Problem when the file cannot be used.
    """
    samples, _, remarks = _read(data)
    length = frame_length or guess_frame(samples.size)
    if not LEAST_FRAME <= length <= MOST_FRAME:
        raise Problem("the frame length", str(length), f"{LEAST_FRAME} to {MOST_FRAME} samples")
    count = samples.size // length
    if count == 0:
        raise Problem("the file", f"{samples.size} samples", f"a frame of {length} samples at least")
    if samples.size % length:
        remarks.append(f"{samples.size % length} samples at the end are not a whole frame and were left out")
    frames = samples[: count * length].reshape(count, length)
    frames = frames - frames.mean(axis=1, keepdims=True)
    peak = float(np.abs(frames).max())
    if peak < 1e-5:
        raise Problem("the file", "silence", "frames with sound in them")
    if count > OWN_FRAMES:
        frames = frames[np.round(np.linspace(0, count - 1, OWN_FRAMES)).astype(int)]
        remarks.append(f"of {count} frames, {OWN_FRAMES} evenly spaced ones were taken")
    return Cycles(_resampled(frames / peak), length, count, _sentence(remarks))


@dataclass(frozen=True)
class RecordingOfFile:
    """A recorded sound, read from a file."""

    samples: Floats
    rate: int
    remark: str


def read_recording(data: bytes) -> RecordingOfFile:
    """Return the first seconds of a recorded sound, as many as a patch carries.

    Raises Problem when the file cannot be used.
    """
    samples, rate, remarks = _read(data, MIN_RECORDED_RATE, mixed=True)
    most = int(MAX_RECORDING_S * rate)
    if samples.size > most:
        remarks.append(f"of {samples.size / rate:.3g} s the first {MAX_RECORDING_S:g} were taken")
    peak = float(np.abs(samples[:most]).max())
    if peak < 1e-5 or samples.size < 2:
        raise Problem("the file", "silence", "sound")
    return RecordingOfFile(samples[:most] / max(peak, 1.0), rate, _sentence(remarks))


def _read(data: bytes, least_rate: int = 1, mixed: bool = False) -> tuple[Floats, int, list[str]]:
    """Return one channel of a file, its rate, and remarks.

    It is the first, or the mean of two that do not cancel each other.
    """
    file = read_sound(data, "the file", MAX_FILE_BYTES, MAX_FILE_S, (least_rate, MAX_RATE), MOST_CHANNELS)
    if file.subtype not in READABLE:
        raise Problem("the file", f"samples packed as {file.subtype}", f"one of {', '.join(READABLE)}")
    if file.seconds > MAX_FILE_S:
        wanted = f"{MAX_FILE_S:g} s at most, single cycles one after the other"
        raise Problem("the file", f"{file.seconds / 60:.3g} minutes of sound", wanted)
    table, remarks = file.samples, []
    if len(table) == 0:
        raise Problem("the file", "no samples", "a WAV file with frames in it")
    if not np.isfinite(table).all():
        raise Problem("the file", "samples that are no numbers", "finite samples throughout")
    if float(np.abs(table).max()) > MOST_SAMPLE:
        found = f"samples as large as {float(np.abs(table).max()):.3g}"
        raise Problem("the file", found, f"within ±{MOST_SAMPLE:g}; full scale is 1")
    samples, mean = table[:, 0], table.mean(axis=1)
    is_mean = mixed and float((mean**2).mean()) > _CANCELLED * float((table**2).mean())
    if file.channels > 1:
        remarks.append(f"of {file.channels} channels the {'mean' if is_mean else 'first'} was taken")
    samples = mean if is_mean else samples
    if float((np.abs(samples) >= 0.99999).mean()) > 0.01:
        remarks.append("it is clipped: more than 1 % of the samples stand at full scale")
    return samples, file.rate, remarks


def guess_frame(samples: int) -> int:
    """Return the likeliest length of a frame in a file of so many samples.

    >>> guess_frame(2048 * 64), guess_frame(600), guess_frame(300 * 512)
    (2048, 600, 2048)
    """
    if samples <= GUESSES[0]:
        return max(samples, 1)
    return next((length for length in GUESSES if samples % length == 0), min(samples, GUESSES[0]))


def _resampled(frames: Floats) -> Floats:
    """Return cycles at OWN_SAMPLES samples each, through their harmonics, as many as fit."""
    length = frames.shape[1]
    spectrum = np.fft.rfft(frames, axis=1)
    kept = min((length - 1) // 2, (OWN_SAMPLES - 1) // 2)
    held = np.zeros((frames.shape[0], OWN_SAMPLES // 2 + 1), dtype=np.complex128)
    held[:, 1 : kept + 1] = spectrum[:, 1 : kept + 1]
    cycles = np.fft.irfft(held, n=OWN_SAMPLES, axis=1) * (OWN_SAMPLES / length)
    return np.asarray(cycles / max(1.0, float(np.abs(cycles).max())))


def _sentence(remarks: list[str]) -> str:
    text = "; ".join(remarks)
    return f"{text[0].upper()}{text[1:]}." if text else ""


def with_loop(data: bytes, key: int, start: int, end: int) -> bytes:
    """Return a WAV file that says where its sample repeats, and of which key it is, in a ``smpl`` chunk.

    The chunk names the last sample of the loop, not the one after it.
    """
    rate = struct.unpack_from("<I", data, data.index(b"fmt ") + 12)[0]
    body = struct.pack("<9I", 0, 0, round(1e9 / rate), key, 0, 0, 0, 1, 0) + struct.pack(
        "<6I", 0, 0, start, end - 1, 0, 0
    )
    made = data + (b"\0" if len(data) % 2 else b"") + b"smpl" + struct.pack("<I", len(body)) + body
    return made[:4] + struct.pack("<I", len(made) - 8) + made[8:]
