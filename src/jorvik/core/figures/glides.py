"""Glides of a voice that keeps one pitch: path, time and arrival of each."""

from collections.abc import Iterator

from jorvik.core.figures.base import Figure
from jorvik.core.measure.context import Context
from jorvik.core.units.words import in_words, note_name, time_text

MOST = 16
"""Greatest number of glides that get a figure."""


def find(context: Context) -> Iterator[Figure]:
    """Yield a figure for each note of the voice that begins away from its key."""
    glide_s, rate = context.patch.voice.glide_ms / 1000.0, context.rate
    notes = [note for note in context.trace.run.notes if note.glide_from_st != 0.0]
    origin = context.trace.run.origin
    for note in notes[:MOST]:
        begins, ends = (origin + note.on) / rate, (origin + note.off) / rate
        key, way = note.note.key, -note.glide_from_st
        path = f"from {note_name(key - way)} to {note_name(key)}, {_semitones(way)}"
        left = way * (1.0 - (ends - begins) / glide_s)
        late = begins + glide_s > ends
        short = f"not there by note-off, {_semitones(abs(left))} short"
        arrives = short if late else f"there at {time_text(begins + glide_s)}"
        yield Figure(
            "pitch",
            f"glide at {time_text(begins)}",
            glide_s,
            "s",
            "A straight line in semitones from where the note before stood, in the same time over any distance.",
            "Glide",
            words=f"{path} in {time_text(glide_s)}, {arrives}",
        )


def _semitones(value: float) -> str:
    return in_words(float(f"{value:.3g}"), "st")
