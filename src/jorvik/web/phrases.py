"""Requests that make phrases and change them: typed, to a pattern, from a MIDI file or a beat, as a MIDI file."""

import base64
import binascii
from typing import Annotated, Literal

from fastapi import APIRouter, Response
from pydantic import Field

from jorvik.core.document.patch import read_document
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.limits import MAX_NAME, MAX_PHRASE_NOTES, MAX_TEXT
from jorvik.core.modules.base import PlainText
from jorvik.core.phrases.changes import changed, repeated
from jorvik.core.phrases.maker import Making, made
from jorvik.core.phrases.typed import typed_notes
from jorvik.core.problems import Problem
from jorvik.web.forms import Document, FileText, Form

router = APIRouter(prefix="/phrase")

Velocity = Annotated[float, Field(ge=0, le=127)]
PATTERNS = Literal["up", "down", "up and down", "as played", "random", "strokes", "long and short", "registers"]


class TypedRow(Form):
    """A phrase whose notes are typed as a row."""

    phrase: Document
    text: Annotated[PlainText, Field(max_length=MAX_TEXT)]


class MakeRequest(Form):
    """A phrase whose notes are made to a pattern."""

    phrase: Document
    pattern: PATTERNS = "up"
    chord: Annotated[list[Annotated[float, Field(ge=0, le=127)]], Field(min_length=1, max_length=12)]
    rate: Annotated[str, Field(max_length=16)] = "1/16"
    octaves: int = 1
    gate: float = 0.8
    swing: float = 0.5
    velocities: Annotated[
        list[Annotated[float, Field(ge=0, le=127)]], Field(min_length=1, max_length=64, default=[96.0])
    ]
    strokes: int = 5
    steps: int = 8
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1


class ChangeRequest(Form):
    """A phrase to be changed as a whole, or some of its notes."""

    phrase: Document
    notes: Annotated[list[int], Field(max_length=MAX_PHRASE_NOTES)] | None = None
    repeat: Annotated[int, Field(ge=1, le=64)] = 1
    shift: float = 0.0
    transpose: float = 0.0
    stretch: Annotated[float, Field(gt=0, le=16)] = 1.0
    human_seed: Annotated[int, Field(ge=0, le=2**31)] | None = None


class ReadRequest(Form):
    """A MIDI file or a recorded beat, base64, to be read as a phrase."""

    what: Literal["midi", "beat"]
    data: str
    name: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class PhraseMade(Form):
    """A phrase, and what was left out or changed on the way to it."""

    phrase: Document
    remarks: list[str] = Field(default_factory=list)


class PhraseFile(Form):
    """A phrase to be written as a file."""

    phrase: Document


@router.post("/read", response_model=None, responses={200: {"model": Phrase}})
def post_read_phrase(file: FileText) -> Document:
    """Return the phrase document in a file's text, checked."""
    return check_phrase(read_document(file.text)).document()


@router.post("/typed")
def post_typed(form: TypedRow) -> PhraseMade:
    """Return a phrase with the notes of a typed row."""
    phrase = check_phrase(form.phrase)
    notes = typed_notes(form.text, beats_per_bar=phrase.beats_per_bar)
    return PhraseMade(phrase=check_phrase({**form.phrase, "played": notes}).document())


@router.post("/make")
def post_make(form: MakeRequest) -> PhraseMade:
    """Return a phrase with notes made to a pattern over its bars."""
    phrase = check_phrase(form.phrase)
    making = Making(
        form.pattern,
        form.chord,
        form.rate,
        min(phrase.bars, 64),
        form.octaves,
        form.gate,
        form.swing,
        form.velocities,
        form.strokes,
        form.steps,
        form.seed,
        phrase.tempo_bpm,
        phrase.beats_per_bar,
    )
    return PhraseMade(phrase=check_phrase({**form.phrase, "played": made(making).document()["played"]}).document())


@router.post("/change")
def post_change(form: ChangeRequest) -> PhraseMade:
    """Return a phrase repeated, or with notes moved, transposed, stretched or played by a human hand."""
    phrase = changed(check_phrase(form.phrase), form.notes, form.shift, form.transpose, form.stretch, form.human_seed)
    return PhraseMade(phrase=(repeated(phrase, form.repeat) if form.repeat > 1 else phrase).document())


@router.post("/from-file")
def post_from_file(form: ReadRequest) -> PhraseMade:
    """Return the phrase in a MIDI file, or the strokes of a recorded beat."""
    try:
        data = base64.b64decode(form.data, validate=True)
    except (binascii.Error, ValueError):
        raise Problem("data", "no base64", "a file in base64") from None
    if form.what == "midi":
        from jorvik.formats.midi import read_midi

        midi = read_midi(data, form.name)
        return PhraseMade(phrase=midi.phrase.document(), remarks=midi.remarks)
    from jorvik.formats.beat import read_beat

    beat = read_beat(data, form.name)
    return PhraseMade(phrase=beat.phrase.document(), remarks=beat.remarks)


@router.post("/file.mid", response_class=Response, responses={200: {"content": {"audio/midi": {}}}})
def post_midi(form: PhraseFile) -> Response:
    """Return a phrase as a MIDI file."""
    from jorvik.formats.midi import midi_bytes

    return Response(midi_bytes(check_phrase(form.phrase)), media_type="audio/midi")
