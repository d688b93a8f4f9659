"""Matching as a job: a recording is measured, and a patch is brought near to it."""

import base64
import io
import json
from typing import Annotated, Any, Final, Literal

import numpy as np
import soundfile
from pydantic import Field

from jorvik.core.analysis.matching import Matched, matched
from jorvik.core.analysis.recording import Recorded, recorded
from jorvik.core.document.patch import check_patch
from jorvik.core.document.recording import check_recording
from jorvik.core.limits import DEFAULT_RATE, MAX_NAME
from jorvik.core.measure.sound import loudness
from jorvik.core.modules.base import PlainText
from jorvik.core.voice.render import render
from jorvik.formats.recordings import RecordedFile, read_recorded
from jorvik.store.jobs import Made
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.files import file_stem
from jorvik.web.services.workers import Cancel, Tell

MAX_DATA: Final = 8_600_000
"""Letters of a file in base64: 6.4 MB, what a request may carry."""
_LEAD_S = 0.02
_READ = 0.3
"""The share of the work that is done once the recording is read."""


class MatchJob(Form):
    """A recording, and the patch that is brought near to it, or a new one where none is given."""

    kind: Literal["match"]
    recording: Document
    document: Document | None = None
    patch: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""
    sequence: int = 0
    note_off_s: Annotated[float, Field(gt=0, le=30)] | None = None
    """When it is let go, from the recording's beginning, in place of what is found."""


def match_title(form: MatchJob) -> str:
    """Return what a match is called in a list."""
    return f"Match with {check_recording(form.recording).name}"


def match_about(form: MatchJob) -> dict[str, Any]:
    """Return whose a match is, before it is done."""
    return {
        "patch": form.patch,
        "sequence": form.sequence,
        "recording": check_recording(form.recording).name,
        "new": form.document is None,
    }


def made_match(form: MatchJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return what was found, the patch, how far it is, and the recording from its note-on on, to be heard beside it."""
    recording = check_recording(form.recording)
    read = read_recorded(recording.data)
    found = recorded(read.samples, read.rate, form.note_off_s, read.remarks)
    tell((_READ, _so_far(found)))
    patch = None if form.document is None else check_patch(form.document)
    near = matched(found, patch, cancelled, lambda share: tell((_READ + (1 - _READ) * share, _so_far(found))))
    named = near.patch.document()
    if patch is None:
        named["name"] = recording.name
    answer = {
        "name": recording.name,
        "found": _facts(found),
        "fit": {**near.facts(), "lanes": _lanes(near)},
        "document": named,
        **_heard(read, found, near),
    }
    return Made(
        json.dumps(answer).encode(), "application/json", f"{file_stem(recording.name)}-match.json", match_about(form)
    )


def _so_far(found: Recorded) -> bytes:
    return json.dumps({"found": _facts(found)}).encode()


def _facts(found: Recorded) -> dict[str, Any]:
    return {**found.facts(), "sentences": found.sentences}


def _lanes(near: Matched) -> dict[str, list[float | None]]:
    """Return the lanes of the patch's own sound, from note-on on."""
    assert near.lanes is not None
    lanes = near.lanes
    return {
        name: [round(float(value), 2) if np.isfinite(value) else None for value in lane]
        for name, lane in (
            ("level_db", lanes.level_db),
            ("pitch_hz", lanes.pitch_hz),
            ("brightness_hz", lanes.brightness_hz),
        )
    }


def _heard(read: RecordedFile, found: Recorded, near: Matched) -> dict[str, Any]:
    """Return the recording from a little before its note-on, as a WAV file in base64, and how loud both are."""
    from scipy.signal import resample_poly

    begin = max(0, round((found.note_on_s - _LEAD_S) * read.rate))
    sound = np.repeat(read.samples[begin:], 3 - read.samples.shape[1], axis=1)[:, :2]
    common = int(np.gcd(read.rate, DEFAULT_RATE))
    sound = resample_poly(sound, DEFAULT_RATE // common, read.rate // common, axis=0)
    sound = sound / max(1.0, float(np.abs(sound).max()))
    buffer = io.BytesIO()
    soundfile.write(buffer, sound, DEFAULT_RATE, format="WAV", subtype="PCM_16")
    own = render(near.patch, DEFAULT_RATE).samples
    return {
        "sound": base64.b64encode(buffer.getvalue()).decode(),
        "loudness_lufs": round(loudness(sound, DEFAULT_RATE), 2),
        "own_loudness_lufs": round(loudness(own, DEFAULT_RATE), 2),
    }
