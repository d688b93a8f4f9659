"""Tasks of sessions: the documents of a process and what is computed from them.

A session's document stays in the process that the session is pinned to. There an edit is applied, checked and traced.
Judgement and sound run in other processes, which are handed the checked patch.
"""

import pickle
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, NamedTuple

from pydantic import ValidationError

from jorvik.core.document.operations import Draft, apply
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem, from_validation
from jorvik.core.units.noticed import Ear
from jorvik.formats.wav import Depth, wav_bytes
from jorvik.web.forms.common import Document
from jorvik.web.forms.session import (
    EditMessage,
    HearMessage,
    Opened,
    OpenMessage,
    SheetMessage,
    SoundMessage,
    View,
    VoicesMessage,
)
from jorvik.web.services.judging import judgement
from jorvik.web.services.packing import Chunks
from jorvik.web.services.rendered import Heard, SoundOptions, rendered, voice_of
from jorvik.web.services.row_caches import RowCaches
from jorvik.web.services.sheet import sheet, voices_beside
from jorvik.web.services.weight import is_heavy_run, is_heavy_sound
from jorvik.web.services.workers import Cancel, Tell


@dataclass(frozen=True)
class Handed:
    """A checked document, as it is handed from one process to another."""

    draft: Draft
    """The document of the patch with its internal ids."""
    phrase: Document | None
    patch: Patch
    """Under its phrase."""
    voice: int


class Hand(NamedTuple):
    """A pickled :class:`Handed`, and whether its sound takes long to compute."""

    data: bytes
    is_heavy: bool


class Answer(NamedTuple):
    """The answer to the changes of a session."""

    frame: bytes = b""
    """The sheet as a binary message; empty where there is none yet."""
    heavy: bytes = b""
    """A pickled :class:`Handed` where another process computes the sheet."""
    has_voices: bool = False
    """True where other voices of a phrase are drawn behind the sheet."""


class _Session:
    """The document of one session."""

    def __init__(self) -> None:
        self.draft = Draft({})
        self.revision = 0
        self._handed: Handed | None = None

    def change(self, change: OpenMessage | EditMessage) -> None:
        """Apply a change; the document may be invalid until the next one."""
        self._handed = None
        self.revision = change.revision
        if isinstance(change, OpenMessage):
            self.draft = Draft(change.document.model_dump(exclude_unset=True), change.keys)
        else:
            self.draft = apply(self.draft, change.operations)

    @property
    def handed(self) -> Handed:
        """The checked document. Raises Problem where it is not valid."""
        if self._handed is None:
            try:
                opened = Opened.model_validate(self.draft.document)
            except ValidationError as error:
                raise from_validation(error, ()) from None
            patch, phrase = check_patch(opened.patch), opened.performed.phrase
            if phrase is not None:
                patch = patch.under(check_phrase(phrase))
            draft = Draft(opened.patch, self.draft.keys.get("in", {}).get("patch", {}))
            self._handed = Handed(draft, phrase, patch, voice_of(opened.performed, patch))
        return self._handed


_DEPTH: Final[Depth] = "24"
_sessions: Final[dict[str, _Session]] = {}
"""The sessions of this process."""

_row_caches: Final = RowCaches()
"""The row caches of this process."""

Changes = Sequence[OpenMessage | EditMessage]


def change(name: str, changes: Changes, view: View | None, rate: int, cancelled: Cancel, _: Tell) -> Answer | None:
    """Apply changes to the document of a session and trace it.

    Returns
    -------
    Answer or None
        None where this process does not have the document, or where an edit does not go with it: the window has to
        open it again.

    Raises
    ------
    Problem
        Where the document is not valid. The changes are applied all the same: the next one may make it valid.
    Cancelled
        Where the sheet is not wanted any more; the changes are applied.
    """
    session = _changed(name, changes)
    if session is None:
        return None
    handed = session.handed
    if view is None:
        return Answer()
    has_voices = handed.phrase is not None and handed.patch.voice.mode == "poly"
    if is_heavy_run(handed.draft.document, 1 + len(view.velocities), handed.phrase):
        return Answer(heavy=pickle.dumps(handed), has_voices=has_voices)
    return Answer(_sheet(handed, session.revision, view, rate, cancelled), has_voices=has_voices)


def hand(name: str, changes: Changes, _: Cancel, __: Tell) -> Hand | None:
    """Apply changes to the document of a session; return it for another process.

    None and Problem mean what they mean for :func:`change`.
    """
    session = _changed(name, changes)
    if session is None:
        return None
    handed = session.handed
    return Hand(pickle.dumps(handed), is_heavy_sound(handed.draft.document, handed.phrase))


def close(name: str, _: Cancel, __: Tell) -> None:
    """Forget the document of a session."""
    _sessions.pop(name, None)


def heavy_sheet(data: bytes, revision: int, view: View, rate: int, cancelled: Cancel, _: Tell) -> bytes:
    """Return the sheet of a document that was handed over, as a binary message."""
    return _sheet(_received(data), revision, view, rate, cancelled)


def voices(data: bytes, revision: int, view: View, rate: int, cancelled: Cancel, _: Tell) -> bytes:
    """Return the other voices of a phrase, as a binary message."""
    handed, chunks = _received(data), Chunks()
    span = view.from_s, view.to_s
    found = voices_beside(handed.patch, rate, view.columns, handed.voice, cancelled, span, chunks)
    return chunks.frame(VoicesMessage(revision=revision, voices=found).model_dump_json())


def judged(data: bytes, rate: int, ear: Ear, cancelled: Cancel, _: Tell) -> bytes:
    """Return the judgement of a document that was handed over, as JSON."""
    handed = _received(data)
    found = judgement(Context(handed.patch, rate, cancelled, handed.voice, ear), handed.draft)
    return found.model_dump_json().encode()


def sound(data: bytes, rate: int, message: HearMessage, cancelled: Cancel, _: Tell) -> bytes:
    """Return the sound of a document that was handed over, as a binary message."""
    heard = _heard(_received(data), rate, message, cancelled)
    chunks = Chunks()
    answer = SoundMessage(
        request=message.request,
        limited_db=heard.sound.limited_db,
        loudness_lufs=heard.loudness_lufs,
        centroid_hz=heard.centroid_hz,
        wav=chunks.add(wav_bytes(heard.sound, _DEPTH)),
    )
    return chunks.frame(answer.model_dump_json())


def prepare(data: bytes, rate: int, cancelled: Cancel, _: Tell) -> None:
    """Compute the sound of a document, so that it starts at once when it is played."""
    _heard(_received(data), rate, HearMessage(type="hear", request=0), cancelled)


def _changed(name: str, changes: Changes) -> _Session | None:
    """Return a session with changes applied; None where they cannot be."""
    for each in changes:
        if isinstance(each, OpenMessage):
            _sessions[name] = _Session()
        if name not in _sessions:
            return None
        try:
            _sessions[name].change(each)
        except Problem:
            del _sessions[name]
            return None
        except Exception:
            # No later edit goes with a document that is half changed.
            del _sessions[name]
            raise
    return _sessions.get(name)


def _received(data: bytes) -> Handed:
    handed: Handed = pickle.loads(data)  # noqa: S301 -- of another process of this server
    return handed


def _sheet(handed: Handed, revision: int, view: View, rate: int, cancelled: Cancel) -> bytes:
    chunks, span = Chunks(), (view.from_s, view.to_s)
    found = sheet(
        handed.patch,
        rate,
        view.columns,
        view.velocities,
        _row_caches,
        cancelled,
        span,
        view.asked,
        handed.voice,
        chunks,
    )
    return chunks.frame(SheetMessage(revision=revision, sheet=found).model_dump_json())


def _heard(handed: Handed, rate: int, note: HearMessage, cancelled: Cancel) -> Heard:
    how = SoundOptions(note.velocity, note.key, note.length_s, rate, handed.phrase, with_hits=True)

    def played() -> Patch:
        return handed.patch.with_note(velocity=note.velocity, key=note.key, length_s=note.length_s)

    return rendered.heard(handed.draft.document, how, played, cancelled)
