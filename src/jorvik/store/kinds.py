"""What kinds of document are kept: a line each. Drafts, revisions, conflicts, trash and search are the same for all."""

import hashlib
import json
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Final

from pydantic import BaseModel

from jorvik.core.document.card import MachineCard, check_card
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.document.recording import RecordedNote, check_recording
from jorvik.core.document.take import Take, check_take
from jorvik.core.practice.progress import Practice, check_practice
from jorvik.core.problems import Problem, shown

Document = dict[str, Any]


@dataclass(frozen=True)
class Labels:
    """What a document is found by."""

    name: str
    tags: tuple[str, ...] = ()
    words: str = ""
    """Everything in it that a search looks through, in small letters; its name where this is empty."""
    keys: tuple[float, float] | None = None
    """The lowest and the highest key that it is tested with."""


@dataclass(frozen=True)
class Kind:
    """A kind of document."""

    name: str
    """What it is called in a sentence."""
    plural: str
    """What its requests begin with."""
    title: str
    """Its name in the library."""
    model: type[BaseModel]
    """The model that its JSON Schema is made from."""
    check: Callable[[Document], Labels]
    """Returns what a document is found by; raises Problem for one that is not sound."""
    is_listed: bool = True
    """True where the library lists it."""


def _patch(document: Document) -> Labels:
    patch = check_patch(document)
    inside = [f"{module.id} {module.kind} source:{module.kind}" for module in patch.modules]
    moved = [f"moves:{route.destination}" for route in patch.routes]
    keys = [note.key for note in patch.performance.notes]
    words = _words([patch.name, *patch.tags, patch.notes, *inside, *dict.fromkeys(moved)])
    return Labels(patch.name, tuple(patch.tags), words, (min(keys), max(keys)))


def _phrase(document: Document) -> Labels:
    phrase = check_phrase(document)
    inside = [hit.id for hit in phrase.hits]
    return Labels(phrase.name, tuple(phrase.tags), _words([phrase.name, *phrase.tags, phrase.notes, *inside]))


def _take(document: Document) -> Labels:
    take = check_take(document)
    patch = take.played_patch
    of = [take.of.patch] if take.of is not None else []
    return Labels(take.name, tuple(take.tags), _words([take.name, *take.tags, take.notes, patch.name, *of]))


def _recording(document: Document) -> Labels:
    recording = check_recording(document)
    return Labels(recording.name, tuple(recording.tags), _words([recording.name, *recording.tags, recording.notes]))


def content_hash(document: Document) -> str:
    """Return what tells whether two documents do the same, whatever they are called and whatever is said of them.

    >>> content_hash({"name": "A", "bars": 2}) == content_hash({"bars": 2, "name": "B", "tags": ["x"]})
    True
    """
    said = {name: value for name, value in document.items() if name not in ("name", "notes", "tags")}
    text = json.dumps(said, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def _card(document: Document) -> Labels:
    card = check_card(document)
    inside = [*(control.name for control in card.controls), *(source.name for source in card.sources)]
    return Labels(card.name, tuple(card.tags), _words([card.name, *card.tags, card.notes, *inside]))


def _practice(document: Document) -> Labels:
    practice = check_practice(document)
    return Labels(practice.name, tuple(practice.tags), practice.name.lower())


def _words(texts: Iterable[str]) -> str:
    return " ".join(" ".join(texts).split()).lower()


KINDS: Final = (
    PATCHES := Kind("patch", "patches", "patch", Patch, _patch),
    PHRASES := Kind("phrase", "phrases", "phrase", Phrase, _phrase),
    TAKES := Kind("take", "takes", "take", Take, _take),
    RECORDINGS := Kind("recording", "recordings", "recording", RecordedNote, _recording),
    CARDS := Kind("card", "cards", "machine card", MachineCard, _card),
    PRACTICES := Kind("practice", "practices", "practice", Practice, _practice, is_listed=False),
)
"""Every kind that there is."""

FORMATS: Final = {f"jorvik-{kind.name}": kind for kind in KINDS}
"""The same by the format that a document names."""


def check_kept(document: Document) -> Labels:
    """Return the labels of a document of any kind that is kept.

    Raises Problem for any other document, and for one that is not sound.
    """
    kind = FORMATS.get(str(document.get("format")))
    if kind is None:
        raise Problem("format", shown(document.get("format")), f"one of {', '.join(FORMATS)}")
    return kind.check(document)
