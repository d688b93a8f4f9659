"""Documents in files of any kind that is known: Jorvik's own, a recorded sound as a recording, MIDI as a phrase."""

from collections.abc import Callable
from pathlib import PurePath
from typing import Any, Final

from jorvik.core.document.patch import read_document
from jorvik.core.limits import MAX_DOCUMENT_BYTES, MAX_NAME
from jorvik.core.problems import Problem, shown
from jorvik.formats.midi import MAX_FILE_BYTES as MAX_MIDI_BYTES
from jorvik.formats.midi import read_midi
from jorvik.formats.recordings import MAX_FILE_BYTES as MAX_SOUND_BYTES
from jorvik.formats.recordings import packed_recording

Document = dict[str, Any]


def _own(data: bytes, _: str) -> Document:
    return read_document(data)


def _recording(data: bytes, name: str) -> Document:
    return packed_recording(data, name)[0]


def _phrase(data: bytes, name: str) -> Document:
    return read_midi(data, name).phrase.document()


_READERS: Final[dict[str, tuple[Callable[[bytes, str], Document], int]]] = {
    ".json": (_own, MAX_DOCUMENT_BYTES),
    **dict.fromkeys((".mid", ".midi"), (_phrase, MAX_MIDI_BYTES)),
    **dict.fromkeys((".wav", ".flac", ".ogg", ".aiff", ".aif"), (_recording, MAX_SOUND_BYTES)),
}


def most_bytes(file_name: str) -> int | None:
    """Return how large a file may be, by the ending of its name; None where no reader knows the ending.

    >>> most_bytes("notes.txt") is None
    True
    """
    reader = _READERS.get(PurePath(file_name).suffix.lower())
    return None if reader is None else reader[1]


def document_in(data: bytes, file_name: str) -> Document:
    """Return the document in a file; an ending that is not known is taken for one of Jorvik's own.

    Raises Problem with what was found and what would do.
    """
    path = PurePath(file_name)
    read, most = _READERS.get(path.suffix.lower(), _READERS[".json"])
    if len(data) > most:
        raise Problem(shown(file_name), f"more than {most / 1e6:g} MB", "a smaller file")
    return read(data, path.stem[:MAX_NAME])
