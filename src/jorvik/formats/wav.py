"""Sound as WAV."""

import io

import soundfile

from jorvik.core.voice.render import Sound


def wav_bytes(sound: Sound) -> bytes:
    """Return a sound as a 24-bit stereo WAV file."""
    buffer = io.BytesIO()
    soundfile.write(buffer, sound.samples, sound.rate, subtype="PCM_24", format="WAV")
    return buffer.getvalue()
