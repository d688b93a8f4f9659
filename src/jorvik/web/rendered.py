"""Sounds made lately: playing, looking and measuring ask for the same one again and again."""

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.measure.sound import loudness, sharpness
from jorvik.core.voice.render import Sound, render
from jorvik.web.forms import Play

MOST_BYTES: Final = 40_000_000
"""Of sounds that are kept, twenty of two seconds; the ones longest not asked for go first."""


def played(wish: Play) -> Patch:
    """Return the patch of a wish, with the note that it asks for."""
    return check_patch(wish.document).with_note(velocity=wish.velocity, key=wish.key, length_s=wish.length_s)


@dataclass(frozen=True)
class Heard:
    """A sound, how loud it is, and how sharp."""

    sound: Sound
    loudness_lufs: float
    sharpness_hz: float


class Rendered:
    """The sounds of the last patches, by what they were made from."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, Heard] = OrderedDict()
        self._lock = threading.Lock()

    def heard(self, wish: Play, cancelled: Callable[[], bool]) -> Heard:
        """Return the sound of a patch, made now or before."""
        about = {k: v for k, v in wish.document.items() if k not in ("name", "notes", "tags", "set_aside")}
        text = json.dumps([about, wish.velocity, wish.key, wish.length_s, wish.rate], separators=(",", ":"))
        key = hashlib.sha256(text.encode()).hexdigest()
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        sound = render(played(wish), wish.rate, cancelled)
        made = Heard(sound, loudness(sound.samples, sound.rate), sharpness(sound.samples, sound.rate))
        with self._lock:
            self._kept[key] = made
            while len(self._kept) > 1 and sum(h.sound.samples.nbytes for h in self._kept.values()) > MOST_BYTES:
                self._kept.popitem(last=False)
        return made
