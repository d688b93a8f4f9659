"""Sounds made lately: playing, looking and measuring ask for the same one again and again."""

import hashlib
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, NamedTuple

from cachetools import LRUCache

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.measure.sound import loudness, spectral_centroid
from jorvik.core.voice.render import Sound, render
from jorvik.web.forms.common import Document, Play
from jorvik.web.forms.session import Performed

_NOT_HEARD: Final = ("name", "notes", "tags", "set_aside", "useful_ranges")
"""Of a patch what makes no difference to its sound."""

MOST_BYTES: Final = 60_000_000
"""Of sounds that are kept: one of a minute, or thirty of two seconds; the ones longest not asked for go first."""


def with_test_note(form: Play) -> Patch:
    """Return the patch of a form, under its phrase where it has one, with the note that it asks for."""
    patch = check_patch(form.document)
    if form.phrase is not None:
        patch = patch.under(check_phrase(form.phrase))
    return patch.with_note(velocity=form.velocity, key=form.key, length_s=form.length_s)


def voice_of(form: Play | Performed, patch: Patch) -> int:
    """Return the number of the voice that is shown; 0 unless each note has its own."""
    return min(form.voice, len(patch.performance.notes) - 1) if patch.voice.mode == "poly" else 0


class SoundOptions(NamedTuple):
    """Note, phrase and rate of a sound; None leaves what the patch has."""

    velocity: float | None
    key: float | None
    length_s: float | None
    rate: int
    phrase: Document | None
    with_hits: bool


@dataclass(frozen=True)
class Heard:
    """A sound, how loud it is, and how sharp."""

    sound: Sound
    loudness_lufs: float
    centroid_hz: float


class Rendered:
    """The sounds of the last patches, by what they were made from."""

    def __init__(self) -> None:
        self._kept: LRUCache[str, Heard] = LRUCache(MOST_BYTES, getsizeof=lambda heard: heard.sound.samples.nbytes)
        self._lock = threading.Lock()

    def heard(
        self, document: Document, how: SoundOptions, played: Callable[[], Patch], cancelled: Callable[[], bool]
    ) -> Heard:
        """Return the sound of a patch, from the cache where it was made before.

        Parameters
        ----------
        document : dict
            The document of the patch; with ``how`` it says which sound is meant.
        how : SoundOptions
            Note, phrase and rate.
        played : callable
            Returns the patch with its note and phrase; called only where the sound is not in the cache.
        cancelled : callable
            Returns True where nobody waits any more.
        """
        about = {k: v for k, v in document.items() if k not in _NOT_HEARD}
        text = json.dumps([about, *how], separators=(",", ":"))
        key = hashlib.sha256(text.encode()).hexdigest()
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        sound = render(played(), how.rate, cancelled, with_hits=how.with_hits)
        made = Heard(sound, loudness(sound.samples, sound.rate), spectral_centroid(sound.samples, sound.rate))
        with self._lock:
            if made.sound.samples.nbytes <= MOST_BYTES:
                self._kept[key] = made
        return made


rendered: Final = Rendered()
"""The sounds of this process."""


def heard(form: Play, cancelled: Callable[[], bool]) -> Heard:
    """Return the sound that a form asks for."""
    how = SoundOptions(form.velocity, form.key, form.length_s, form.rate, form.phrase, form.with_hits)
    return rendered.heard(form.document, how, lambda: with_test_note(form), cancelled)
