"""Messages of a session; ``docs/protocol.md`` has an example of each."""

from typing import Annotated, Final, Literal

from pydantic import Field, TypeAdapter

from jorvik.core.document.operations import MAX_OPERATIONS, Keys, Operation
from jorvik.core.limits import DEFAULT_RATE, MAX_PHRASE_NOTES, MAX_RATE, MIN_RATE
from jorvik.web.forms.common import MOST_S, Document, Form, Packed, Sheet, VoiceView
from jorvik.web.forms.judging import Judgement

Number = Annotated[int, Field(ge=0, le=2**53 - 1)]
"""A revision or a request: counted by the window, upwards."""

Rate = Annotated[int, Field(ge=MIN_RATE, le=MAX_RATE)]


class Performed(Form):
    """A phrase and the number of the voice on the sheet, or the test note."""

    phrase: Document | None = None
    voice: Annotated[int, Field(ge=0, lt=MAX_PHRASE_NOTES)] = 0


class Opened(Form):
    """The document of a session, in which operations are addressed."""

    patch: Document
    performed: Performed


class View(Form):
    """The part of the sheet that the window shows."""

    columns: Annotated[int, Field(ge=1, le=8000)]
    velocities: Annotated[list[float], Field(max_length=16, default_factory=list)]
    """Velocities at which the lanes are shown as well."""
    asked: Annotated[list[str], Field(max_length=64, default_factory=list)]
    """Destinations to be shown although nothing moves them."""
    from_s: Annotated[float, Field(ge=0, le=MOST_S)] = 0.0
    to_s: Annotated[float | None, Field(gt=0, le=MOST_S)] = None


class OpenMessage(Form):
    """The window opens a patch, or opens it again after the connection was lost."""

    type: Literal["open"]
    revision: Number
    document: Opened
    keys: Annotated[Keys, Field(default_factory=dict)]
    rate: Rate = DEFAULT_RATE


class EditMessage(Form):
    """The window has edited the document."""

    type: Literal["edit"]
    revision: Number
    operations: Annotated[list[Operation], Field(max_length=MAX_OPERATIONS)]
    rate: Rate = DEFAULT_RATE
    """Sample rate of the sheet; coarse during a drag."""


class ViewMessage(Form):
    """The window shows another part of the sheet."""

    type: Literal["view"]
    view: View
    rate: Rate = DEFAULT_RATE


class JudgeMessage(Form):
    """The window wants a judgement of the same document again."""

    type: Literal["judge"]


class LiveMessage(Form):
    """The window begins or stops to play live: sound comes before judgement then."""

    type: Literal["live"]
    is_live: bool


class HearMessage(Form):
    """The window wants to hear the document, with another note where one is given."""

    type: Literal["hear"]
    request: Number
    velocity: float | None = None
    key: float | None = None
    length_s: float | None = None


class StopMessage(Form):
    """The window no longer wants a sound that it asked for."""

    type: Literal["stop"]
    request: Number


FromWindow = Annotated[
    OpenMessage | EditMessage | ViewMessage | JudgeMessage | LiveMessage | HearMessage | StopMessage,
    Field(discriminator="type"),
]


class SheetMessage(Form):
    """The sheet of a revision; a binary message."""

    type: Literal["sheet"] = "sheet"
    revision: int
    sheet: Sheet


class VoicesMessage(Form):
    """The other voices of the phrase, behind the sheet; a binary message."""

    type: Literal["voices"] = "voices"
    revision: int
    voices: list[VoiceView]


class JudgedMessage(Form):
    """Figures and findings of a revision."""

    type: Literal["judged"] = "judged"
    revision: int
    judgement: Judgement


class SoundMessage(Form):
    """The sound of a request as a WAV file; a binary message."""

    type: Literal["sound"] = "sound"
    request: int
    limited_db: float
    loudness_lufs: float
    centroid_hz: float
    wav: Packed


class RefusedMessage(Form):
    """The document of a revision is not valid; the sentence says what is wrong."""

    type: Literal["refused"] = "refused"
    revision: int
    sentence: str


Subject = Literal["message", "sheet", "voices", "judgement", "sound"]


class FailedMessage(Form):
    """Something could not be done; the session goes on."""

    type: Literal["failed"] = "failed"
    of: Subject
    sentence: str
    request: int | None = None
    """The request, where a sound failed."""


class LostMessage(Form):
    """The server has lost the document; the window opens it again."""

    type: Literal["lost"] = "lost"


ToWindow = Annotated[
    SheetMessage | VoicesMessage | JudgedMessage | SoundMessage | RefusedMessage | FailedMessage | LostMessage,
    Field(discriminator="type"),
]

FROM_WINDOW: Final[TypeAdapter[FromWindow]] = TypeAdapter(FromWindow)
TO_WINDOW: Final[TypeAdapter[ToWindow]] = TypeAdapter(ToWindow)
