"""The recording document, version 1: one recorded note, kept to be matched."""

import base64
import binascii
from typing import Annotated, Final, Literal

from pydantic import Field, field_validator
from pydantic_core import PydanticCustomError

from jorvik.core.document.checked import checked_document
from jorvik.core.limits import MAX_DOCUMENT_BYTES, MAX_NAME, MAX_TEXT
from jorvik.core.modules.base import PlainText, Strict

MAX_SOUND: Final = MAX_DOCUMENT_BYTES - 100_000
"""Letters of its sound in base64."""


class RecordedNote(Strict):
    """A recorded note: its sound as FLAC, trimmed, 30 s at most."""

    format: Literal["jorvik-recording"]
    version: Literal[1]
    name: str = Field("A recording", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Annotated[PlainText, Field(max_length=MAX_NAME)]] = Field(default_factory=list, max_length=64)
    sound: str = Field(max_length=MAX_SOUND, description="A FLAC file, in base64.")
    seconds: float = Field(ge=0.0, le=31.0, description="How long it lasts.")

    @field_validator("sound")
    @classmethod
    def _base64(cls, sound: str) -> str:
        try:
            base64.b64decode(sound, validate=True)
        except (binascii.Error, ValueError):
            raise PydanticCustomError("sound", "base64") from None
        return sound

    @property
    def data(self) -> bytes:
        """Its sound, as the file that it is."""
        return base64.b64decode(self.sound)


def check_recording(document: object) -> RecordedNote:
    """Return the recording in a document already read from JSON.

    Raises Problem with the path, what was found and what would do.
    """
    return checked_document(RecordedNote, document, "jorvik-recording")
