"""What goes in and out over HTTP. The screen's types are generated from these."""

import base64
import uuid
from datetime import datetime
from typing import Annotated, Any, Final, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field
from pydantic_core import PydanticCustomError

from jorvik.core.document.operations import MAX_OPERATIONS, Operation
from jorvik.core.limits import (
    DEFAULT_RATE,
    MAX_NAME,
    MAX_PHRASE_NOTES,
    MAX_PHRASE_SECONDS,
    MAX_RATE,
    MAX_SECONDS,
    MIN_RATE,
)
from jorvik.core.measure.sound import Levels, Partial
from jorvik.core.modules.base import Handle, PlainText
from jorvik.formats.wav import Depth

Document = dict[str, Any]

MOST_S: Final = MAX_PHRASE_SECONDS + MAX_SECONDS
"""The latest moment that there is: a phrase, and a patch's tail."""


class Form(BaseModel):
    """What all forms share: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


def _decoded(value: object) -> object:
    if not isinstance(value, str):
        return value
    try:
        return base64.b64decode(value, validate=True)
    except ValueError:
        raise PydanticCustomError("base64", "a file in base64") from None


Base64 = Annotated[bytes, BeforeValidator(_decoded, json_schema_input_type=str)]
"""A file, as text in base64 on the way."""


class Refusal(Form):
    """What was wrong with a request, in one sentence and in its parts."""

    place: str
    found: str
    wanted: str
    sentence: str


class ConflictNotice(Form):
    """Another window changed the patch since this one read it."""

    sequence: int
    changed_at: datetime
    sentence: str


WriteId = Annotated[str, Field(min_length=8, max_length=64, pattern=r"^[0-9A-Za-z-]+$")]
"""The identity that a window gives a write, by which its repetition is known."""


class NewDocument(Form):
    """A patch to keep."""

    document: Document
    write: WriteId | None = None
    parent: uuid.UUID | None = None
    """What it is kept as a variant of."""
    reason: Annotated[str, Field(max_length=400)] = ""
    """Why it is kept beside that."""


class DraftForm(Form):
    """A draft to replace the one that was last seen with ``sequence``."""

    document: Document
    sequence: int
    write: WriteId | None = None


class EditForm(Form):
    """An edit of a draft that the window last saw with ``sequence``."""

    operations: Annotated[list[Operation], Field(min_length=1, max_length=MAX_OPERATIONS)]
    sequence: Annotated[int, Field(ge=0, le=2**31 - 1)]
    write: WriteId


class Save(Form):
    """A form to keep the present draft as a revision."""

    sequence: int
    reason: Annotated[PlainText, Field(max_length=200)] = "saved"
    write: WriteId | None = None


class FileText(Form):
    """The text of a patch file."""

    text: str


class Typed(Form):
    """A value as it was typed, and what it is for."""

    text: str
    unit: str
    place: str = "the value"
    bare: str = ""
    low: float | None = None
    high: float | None = None
    note_values: bool = False
    present: float | str | None = None
    tempo_bpm: Annotated[float, Field(gt=0, le=999)] = 120.0
    beats_per_bar: Annotated[int, Field(ge=1, le=32)] = 4


class Understood(Form):
    """The value, in the unit asked for; a note value stays as it was said."""

    value: float | str


class Play(Form):
    """A patch to be played at its test note, with another key, velocity or length where one is given."""

    document: Document
    velocity: float | None = None
    key: float | None = None
    length_s: float | None = None
    phrase: Document | None = None
    """A phrase to be played instead of the test note."""
    voice: Annotated[int, Field(ge=0, lt=MAX_PHRASE_NOTES)] = 0
    """Of a poly patch: the note of the phrase whose voice is looked at."""
    with_hits: bool = False
    """Whether the phrase's hits are heard."""
    rate: Annotated[int, Field(ge=MIN_RATE, le=MAX_RATE)] = DEFAULT_RATE


class SoundRequest(Play):
    """A patch to be rendered into a file of a kind."""

    depth: Depth = "24"
    mono: bool = False


class VoltageRequest(Play):
    """A signal or a lane to be written as control voltage."""

    name: str
    """``signal.<id>`` or ``lane.<name>``."""
    depth: Depth = "32f"
    volts: Annotated[float, Field(gt=0, le=10)] = 5.0
    """Volts of a normalised 1.0; pitch is always 1 V per octave."""


class LookRequest(Play):
    """A patch whose sound is looked at, at a moment."""

    at_s: Annotated[float, Field(ge=0, le=MOST_S)] = 0.0
    columns: Annotated[int, Field(ge=1, le=2000)] = 360


class SoundView(Form):
    """A look inside a sound. Rows are base64 of little-endian float32, the spectrogram of bytes, low rows first."""

    seconds: float
    levels: Levels
    limited_db: float
    least: str
    greatest: str
    spectrogram: str
    rows: int
    columns: int
    low_hz: float
    high_hz: float
    floor_db: float
    bands: list[str]
    level_deviation_db: list[float]
    spectrum_hz: str
    spectrum_db: str
    partials: list[Partial]
    centroid_hz: float


class HarmonicsRequest(Form):
    """Harmonics set by hand, or a table's at a position, to be seen at the test key."""

    document: Document
    harmonics: list[list[float]] | None = None
    table: str = ""
    position: Annotated[float, Field(ge=0, le=1)] = 0.0


class TableRequest(Form):
    """A wavetable to be written to a file."""

    document: Document
    table: str


class HarmonicRow(Form):
    """A harmonic at the test key."""

    number: int
    hz: float
    key: float
    db: float


class HarmonicsSeen(Form):
    """A frame: level and phase of each harmonic, what they are at the test key, and the wave they make."""

    harmonics: list[list[float]]
    rows: list[HarmonicRow]
    wave: str


Packed = str | int
"""An array: base64 or, in a binary message, the number of its chunk."""


class Row(Form):
    """One signal over the columns as float32; of one number where it does not move.

    Where ``least`` is empty, nothing in a column goes beyond the line from its first sample to the next column's.
    """

    first: Packed
    least: Packed = ""
    greatest: Packed = ""


class CyclesRequest(Form):
    """A WAV file, base64, and the length of its frames where it is known."""

    data: Base64
    frame_length: int | None = None


class RecordingRequest(Form):
    """A recorded sound as a file, base64: WAV, FLAC or OGG."""

    data: Base64
    name: Annotated[PlainText, Field(max_length=MAX_NAME)] = "recording"
    key: Annotated[float, Field(ge=0, le=127)] = 60.0


class RecordingRead(Form):
    """A recording as a patch carries it, how long it is, and what was left out."""

    recording: Document
    seconds: float
    remark: str


class CyclesRead(Form):
    """Cycles for a table of the patch's own."""

    cycles: str
    frames: int
    frame_length: int
    frames_in_file: int
    remark: str


class SheetRequest(Play):
    """A patch to be traced for the sheet, in so many columns; at further velocities, lanes only."""

    columns: Annotated[int, Field(ge=1, le=8000)] = 720
    velocities: Annotated[list[float], Field(max_length=16)] = []
    asked: Annotated[list[str], Field(max_length=64)] = []
    """Destinations to be shown though nothing moves them."""
    from_s: Annotated[float, Field(ge=0, le=MOST_S)] = 0.0
    to_s: Annotated[float | None, Field(gt=0, le=MOST_S)] = None


class VoicesRequest(Play):
    """A patch under a phrase whose other voices are to be seen behind one, in so many columns."""

    columns: Annotated[int, Field(ge=1, le=8000)] = 720
    from_s: Annotated[float, Field(ge=0, le=MOST_S)] = 0.0
    to_s: Annotated[float | None, Field(gt=0, le=MOST_S)] = None


class VoiceView(Form):
    """The lanes of one voice, over its window."""

    number: int
    begins_s: float
    ends_s: float
    columns: int
    lanes: dict[str, Row]


class SignalView(Form):
    """A source on the sheet."""

    row: Row
    summary: str
    low: float
    high: float
    swings: bool
    """True where its range by kind and settings goes to both sides of 0."""
    handles: list[Handle]


class LaneView(Form):
    """A destination on the sheet."""

    title: str
    unit: str
    amount_unit: str
    law: str
    reads_as: Literal["value", "note", "level"]
    low: float
    high: float
    set_value: float
    value: Row
    raw: Row | None = None
    """Before the clamp, where that is not the value."""
    base: Row
    contributions: dict[str, Row]
    least: float
    greatest: float
    clamped: float


class Overlay(Form):
    """The lanes at another velocity."""

    velocity: float
    lanes: dict[str, Row]


class NoteView(Form):
    """A note on the time axis."""

    on_s: float
    off_s: float
    key: float
    velocity: float
    number: int = 0
    """Its place among the notes of the patch or the phrase."""


class Sheet(Form):
    """A whole note sheet."""

    rate: int
    seconds: float
    from_s: float
    to_s: float
    begins_s: float = 0.0
    """What is shown of a voice in a phrase begins at its note, and ends with its tail."""
    ends_s: float = 0.0
    columns: int
    starts_s: Packed
    notes: list[NoteView]
    signals: dict[str, SignalView]
    lanes: dict[str, LaneView]
    overlays: list[Overlay]


class Health(Form):
    """Whether the app and its store are up."""

    app: str
    instance: str
    store: bool
