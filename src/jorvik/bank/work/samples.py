"""One sample of a set: a key at a velocity, trimmed at silence, looped where it settles into something periodic."""

from collections.abc import Callable
from typing import Any, Final

import numpy as np

from jorvik.bank.pieces import Piece
from jorvik.bank.settings import SampleSettings
from jorvik.bank.work import Made
from jorvik.bank.works import WorkFacts
from jorvik.core.analysis.loops import find_loop
from jorvik.core.document.destinations import VOICE
from jorvik.core.dsp.kernels import Floats
from jorvik.core.measure.context import Context
from jorvik.core.measure.sound import loudness
from jorvik.core.problems import Problem
from jorvik.core.units.levels import amplitude_of
from jorvik.core.voice.render import Sound, render
from jorvik.formats.wav import wav_bytes, with_loop

FACTS: Final = WorkFacts(
    "Sample sets",
    "WAV over keys and velocities, looped, with a map",
    5,
    axes=("key", "velocity", "length_s", "seed"),
    options=("rate", "depth", "samples"),
    is_sample_set=True,
    piece_s=0.1,
    row_s=0.004,
)

_EDGE_S = 0.002
"""Over which what was cut off at the end goes down."""


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return the sample as a WAV file, and what a map has to know of it."""
    patch, rate = piece.performed(), int(piece.options["rate"])
    how = SampleSettings.model_validate(piece.options["samples"])
    note = patch.performance.notes[0]
    sound = render(patch, rate, cancelled)
    first, last = trimmed(sound.samples, how.silence_db)
    samples = sound.samples[first:last].copy()
    if last < len(sound.samples):
        edge = min(round(_EDGE_S * rate), len(samples))
        samples[-edge:] *= np.linspace(1.0, 0.0, edge)[:, None]
    figures: dict[str, Any] = {
        "sampled_key": note.key,
        "sampled_velocity": note.velocity,
        "seconds": len(samples) / rate,
        "trimmed_start_s": first / rate,
        "loudness_lufs": round(loudness(samples, rate), 3),
        "limited_db": round(sound.limited_db, 3),
        "loop_start": None,
        "loop_end": None,
    }
    data = wav_bytes(Sound(samples, rate, sound.limited_db), piece.options["depth"])
    if how.loops:
        pitch = Context(patch, cancelled=cancelled).measures.lanes.get("pitch")
        moved = pitch.measures.at_off if pitch is not None else patch.base(VOICE["pitch"])
        hertz = 440.0 * 2.0 ** ((note.key + moved - 69.0) / 12.0)
        loop = find_loop(samples, rate, hertz, note.start_s + note.length_s - first / rate)
        if loop is not None:
            figures |= {"loop_start": loop.start, "loop_end": loop.end, "loop_correlation": round(loop.correlation, 6)}
            data = with_loop(data, round(note.key), loop.start, loop.end)
    return Made(figures, {piece.file_name: data})


def trimmed(samples: Floats, silence_db: float) -> tuple[int, int]:
    """Return the first sample that is heard, and the one after the last. Raises Problem where none is."""
    greatest = np.abs(samples).max(axis=1, initial=0.0)
    loudest = float(greatest.max(initial=0.0))
    heard = np.flatnonzero(greatest > loudest * amplitude_of(silence_db)) if loudest > 0.0 else np.array([])
    if len(heard) == 0:
        raise Problem("the sample", "silence", "something to be heard at this key and velocity")
    return int(heard[0]), int(heard[-1]) + 1
