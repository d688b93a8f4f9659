"""How notes take voices: which note holds a voice, from when to when, and where its glide begins."""

from collections.abc import Sequence
from dataclasses import dataclass

from jorvik.core.document.patch import Patch
from jorvik.core.document.performance import Note
from jorvik.core.dsp.randomness import note_random, stream


@dataclass(frozen=True)
class VoiceNote:
    """A note on the voice: from sample ``on`` its key, velocity and random number are the voice's."""

    number: int
    note: Note
    on: int
    off: int
    """The sample at which the gate falls, or at which the next note takes the voice over."""
    taken_over: bool
    restarts: bool
    glide_from_st: float
    """Semitones from the new key at which the glide begins."""
    random: float


def run_length(patch: Patch, rate: int) -> int:
    """Return the number of samples of a run: round((last note-off + tail) x rate)."""
    return round(patch.performance.seconds * rate)


def voice_count(patch: Patch) -> int:
    """Return how many voices play: one for each note for poly, one otherwise."""
    return len(patch.performance.notes) if patch.voice.mode == "poly" else 1


def voice_notes(patch: Patch, rate: int, voice: int) -> list[VoiceNote]:
    """Return the notes of a voice, in time: one note for poly, all of them otherwise."""
    notes = patch.performance.notes
    seed = stream(patch.performance.seed, "note_random")
    if patch.voice.mode == "poly":
        return [_held(voice, notes[voice], rate, note_random(seed, voice))]
    in_time = sorted(range(len(notes)), key=lambda i: (notes[i].start_s, i))
    return one_voice(patch, [_held(i, notes[i], rate, note_random(seed, i)) for i in in_time], rate)


def voices(patch: Patch, rate: int) -> list[list[VoiceNote]]:
    """Return the notes of each voice."""
    return [voice_notes(patch, rate, voice) for voice in range(voice_count(patch))]


def window(patch: Patch, rate: int, notes: Sequence[VoiceNote], whole: int) -> tuple[int, int]:
    """Return the first sample of the run of a voice that plays some notes, and how many it has.

    Under a phrase each note of a poly patch is run from its note-on to its note-off and the tail; else every voice is
    run from the first sample to the last, ``whole`` samples.
    """
    if patch.phrase is None or patch.voice.mode != "poly":
        return 0, whole
    [held] = notes
    return held.on, min(held.off + round(patch.performance.tail_s * rate), whole) - held.on


def windows(patch: Patch, rate: int) -> list[tuple[int, int]]:
    """Return the window of each voice; see :func:`window`."""
    whole = run_length(patch, rate)
    return [window(patch, rate, notes, whole) for notes in voices(patch, rate)]


def _held(number: int, note: Note, rate: int, random: float) -> VoiceNote:
    on, off = round(note.start_s * rate), round((note.start_s + note.length_s) * rate)
    return VoiceNote(number, note, on, off, taken_over=False, restarts=True, glide_from_st=0.0, random=random)


def one_voice(patch: Patch, notes: Sequence[VoiceNote], rate: int) -> list[VoiceNote]:
    """Let each note take the voice over from the one before, gliding from wherever its pitch is then."""
    played: list[VoiceNote] = []
    glide = patch.voice.glide_ms / 1000.0
    for i, held in enumerate(notes):
        following = notes[i + 1].on if i + 1 < len(notes) else None
        taken = following is not None and following <= held.off
        begins = 0.0
        overlaps = False
        if played:
            before = played[-1]
            overlaps = notes[i - 1].off > held.on
            begins = before.note.key + _glide_at(before, held.on, glide, rate) - held.note.key
        played.append(
            VoiceNote(
                held.number,
                held.note,
                held.on,
                following if taken and following is not None else held.off,
                taken,
                restarts=not (patch.voice.mode == "legato" and overlaps),
                glide_from_st=begins if glide > 0.0 else 0.0,
                random=held.random,
            )
        )
    return played


def _glide_at(held: VoiceNote, sample: int, glide_s: float, rate: int) -> float:
    t = (sample - held.on) / rate
    return held.glide_from_st * (1.0 - t / glide_s) if t < glide_s else 0.0
