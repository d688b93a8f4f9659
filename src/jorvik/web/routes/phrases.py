"""Requests that make phrases and change them: typed, to a pattern, from a MIDI file or a beat, as a MIDI file."""

from typing import Annotated, Literal

from fastapi import APIRouter, Request, Response
from pydantic import Field

from jorvik.core.document.card import check_card
from jorvik.core.document.patch import check_patch, read_document
from jorvik.core.document.pattern import Pattern
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.limits import MAX_NAME, MAX_PHRASE_NOTES, MAX_POINTS, MAX_TEXT
from jorvik.core.machine.controllers import LANE_RATE, controllers
from jorvik.core.modules.base import PlainText
from jorvik.core.phrases.changes import changed, repeated
from jorvik.core.phrases.drawn import with_curve_of, with_lane_of
from jorvik.core.phrases.gesture import Turn, pulled, scaled, smoothed, thinned, thinned_to, turns
from jorvik.core.phrases.patterns import with_pattern
from jorvik.core.phrases.simplifying import scaled_records, with_simplified_lane
from jorvik.core.phrases.typed import typed_notes
from jorvik.core.problems import Problem, shown
from jorvik.core.signals import CONTROL_RANGES
from jorvik.core.units.values import parse_value
from jorvik.web.forms.common import Base64, Document, FileText, Form
from jorvik.web.services.scheduler import TheScheduler
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter(prefix="/phrase")


class TypedRow(Form):
    """A phrase whose notes are typed as a row."""

    phrase: Document
    text: Annotated[PlainText, Field(max_length=MAX_TEXT)]


class MakeRequest(Form):
    """A phrase whose notes are made to a pattern."""

    phrase: Document
    pattern: Pattern


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
    data: Base64
    name: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class PhraseMade(Form):
    """A phrase, and what was left out or changed on the way to it."""

    phrase: Document
    remarks: list[str] = Field(default_factory=list)


class LaneRequest(Form):
    """A played lane of a phrase, to be read against the beat, thinned within a tolerance, or pulled to the beat."""

    phrase: Document
    lane: Annotated[PlainText, Field(max_length=MAX_NAME)]
    grid: Annotated[PlainText, Field(max_length=16)] = "1/8"
    within: Annotated[float, Field(ge=0, le=2)] | None = None
    """How far the thinned lane may lie from a point, in the lane's own unit."""
    smooth: Annotated[float, Field(ge=0, le=64)] = 0.0
    """Over how many quarter notes each moment becomes a mean."""
    scale: Annotated[float, Field(ge=-64, le=64)] = 1.0
    shift: Annotated[float, Field(ge=-2, le=2)] = 0.0
    pull: Annotated[float, Field(ge=0, le=1)] | None = None
    """By which share of its distance each turning point is moved to the grid."""


class CurveRequest(Form):
    """A lane of a phrase and a patch: to be a drawn curve of it, or to be played as ``curve`` of it goes."""

    phrase: Document
    lane: Annotated[PlainText, Field(max_length=MAX_NAME)]
    document: Document
    curve: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class CurveMade(Form):
    """A patch with a curve more."""

    document: Document


class LaneRead(Form):
    """A lane against the beat, and the phrase with it as it was asked for."""

    turns: list[Turn]
    """Times in quarter notes."""
    points_before: int
    points_after: int
    greatest_error: float
    error_at: float
    phrase: Document


class PhraseFile(Form):
    """A phrase to be written as a file, and lanes of a patch under it as controllers."""

    phrase: Document
    document: Document | None = None
    lanes: Annotated[dict[Annotated[int, Field(ge=0, le=119)], str], Field(max_length=16)] = Field(default_factory=dict)
    """By controller, a lane that something moves, or ``macro:<id>``."""
    fine: bool = False
    """In 14 bits instead of 7."""
    card: Document | None = None
    """A machine whose own controllers what moves goes out as."""


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
    return PhraseMade(phrase=with_pattern(check_phrase(form.phrase), form.pattern).document())


@router.post("/change")
def post_change(form: ChangeRequest) -> PhraseMade:
    """Return a phrase repeated, or with notes moved, transposed, stretched or played by a human hand."""
    phrase = changed(check_phrase(form.phrase), form.notes, form.shift, form.transpose, form.stretch, form.human_seed)
    return PhraseMade(phrase=(repeated(phrase, form.repeat) if form.repeat > 1 else phrase).document())


@router.post("/lane")
def post_lane(form: LaneRequest) -> LaneRead:
    """Return where a lane turns, and the phrase with that lane thinned or pulled."""
    phrase = check_phrase(form.phrase)
    if form.lane not in phrase.controls:
        raise Problem("the lane", shown(form.lane), f"one that is played: {', '.join(phrase.controls) or 'none is'}")
    grid = float(parse_value(form.grid, "beats", "the grid", tempo=phrase.tempo).value)
    made = thinned(phrase.controls[form.lane], form.within or 0.0, keep_turns=True)
    if form.within is not None:
        phrase = with_simplified_lane(phrase, form.lane, form.within)
    points = phrase.controls[form.lane]
    if form.smooth > 0.0:
        points = thinned_to(smoothed(points, form.smooth), MAX_POINTS).points
    if (form.scale, form.shift) != (1.0, 0.0):
        points = scaled(points, form.scale, form.shift, *CONTROL_RANGES[form.lane.split(":")[0]])
    if form.pull is not None:
        points = pulled(points, grid, form.pull, phrase.beats)
    records = scaled_records(phrase, form.lane, form.scale)
    lanes = {**phrase.controls, form.lane: points}
    changed_phrase = check_phrase({**form.phrase, "controls": lanes, "simplified": records})
    return LaneRead(
        turns=turns(points, grid),
        points_before=made.points_before,
        points_after=made.points_after,
        greatest_error=made.greatest_error,
        error_at=made.at,
        phrase=changed_phrase.document(),
    )


@router.post("/to-curve")
def post_to_curve(form: CurveRequest) -> CurveMade:
    """Return the patch with a drawn curve that goes as a played lane does."""
    made = with_curve_of(check_patch(form.document), check_phrase(form.phrase), form.lane)
    return CurveMade(document=made.document())


@router.post("/from-curve")
def post_from_curve(form: CurveRequest) -> PhraseMade:
    """Return the phrase with a lane that goes as a drawn curve of the patch does."""
    made = with_lane_of(check_patch(form.document), check_phrase(form.phrase), form.lane, form.curve)
    return PhraseMade(phrase=made.document())


@router.post("/from-file")
def post_from_file(form: ReadRequest) -> PhraseMade:
    """Return the phrase in a MIDI file, or the strokes of a recorded beat."""
    if form.what == "midi":
        from jorvik.formats.midi import read_midi

        midi = read_midi(form.data, form.name)
        return PhraseMade(phrase=midi.phrase.document(), remarks=midi.remarks)
    from jorvik.formats.beat import read_beat

    beat = read_beat(form.data, form.name)
    return PhraseMade(phrase=beat.phrase.document(), remarks=beat.remarks)


@router.post("/file.mid", response_class=Response, responses={200: {"content": {"audio/midi": {}}}})
async def post_midi(request: Request, form: PhraseFile, scheduler: TheScheduler) -> Response:
    """Return a phrase as a MIDI file."""
    return Response(await scheduler.make(request, "judgement", _midi, form), media_type="audio/midi")


def _midi(form: PhraseFile, _: Cancel, __: Tell) -> bytes:
    from jorvik.formats.midi import controlled, midi_bytes

    phrase = check_phrase(form.phrase)
    if not form.lanes and form.card is None:
        return midi_bytes(phrase)
    if form.document is None:
        raise Problem("the lanes", "no patch", "sent with the patch whose lanes they are")
    patch = check_patch(form.document).under(phrase)
    lanes = controlled(patch, form.lanes)
    if form.card is not None:
        lanes |= {number: (own, LANE_RATE) for number, own in controllers(patch, check_card(form.card)).items()}
    return midi_bytes(phrase, lanes, form.fine)
