"""Requests about recordings to be matched."""

import base64
from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from jorvik.core.limits import MAX_NAME
from jorvik.core.modules.base import PlainText
from jorvik.core.problems import Problem
from jorvik.formats.recordings import packed_recording
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.matching import MAX_DATA

router = APIRouter(prefix="/match")


class RecordingFile(Form):
    """A file with the recording of a note, in base64."""

    data: Annotated[str, Field(max_length=MAX_DATA)]
    name: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""


class RecordingPacked(Form):
    """A recording as it is kept, and what is to be said of it."""

    document: Document
    remarks: list[str]


@router.post("/recording")
def post_recording(form: RecordingFile) -> RecordingPacked:
    """Return the recording in a file as a document, trimmed to what is heard."""
    try:
        data = base64.b64decode(form.data, validate=True)
    except ValueError:
        raise Problem("the recording", "no base64", "a file in base64") from None
    document, remarks = packed_recording(data, form.name)
    return RecordingPacked(document=document, remarks=remarks)
