"""Sounds made lately: playing, looking and measuring ask for the same one again and again."""

import hashlib
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from cachetools import LRUCache

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.measure.sound import loudness, spectral_centroid
from jorvik.core.voice.render import Sound, render
from jorvik.web.forms.common import Play

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


def voice_of(form: Play, patch: Patch) -> int:
    """Return which voice of a patch is looked at: of one voice for all notes the only one."""
    return min(form.voice, len(patch.performance.notes) - 1) if patch.voice.mode == "poly" else 0


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

    def heard(self, form: Play, cancelled: Callable[[], bool]) -> Heard:
        """Return the sound of a patch, made now or before."""
        about = {k: v for k, v in form.document.items() if k not in _NOT_HEARD}
        how = [form.velocity, form.key, form.length_s, form.rate, form.phrase, form.with_hits]
        text = json.dumps([about, *how], separators=(",", ":"))
        key = hashlib.sha256(text.encode()).hexdigest()
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        sound = render(with_test_note(form), form.rate, cancelled, with_hits=form.with_hits)
        made = Heard(sound, loudness(sound.samples, sound.rate), spectral_centroid(sound.samples, sound.rate))
        with self._lock:
            if made.sound.samples.nbytes <= MOST_BYTES:
                self._kept[key] = made
        return made
