"""A phrase in a loop while a hand plays over it: its hits, and its own notes and lanes where they are wanted."""

from collections.abc import Iterator

import numpy as np

from jorvik.core.document.phrase import Phrase, PhraseNote, check_phrase
from jorvik.core.dsp.kernels import Floats
from jorvik.core.phrases.takes import turn_samples
from jorvik.core.voice.hits import LASTS_S, hits_sound


class Beat:
    """A phrase from a sample on, its bars in a loop: to be heard, and to be listened to."""

    def __init__(self, phrase: Phrase, rate: int, begins: int, plays: bool = False, ends: int | None = None) -> None:
        """``plays`` lets its own notes and lanes be played too; from the sample ``ends`` on it rests."""
        self.phrase, self.rate, self.begins, self.plays, self.ends = phrase, rate, begins, plays, ends
        self.length = turn_samples(phrase, rate)
        """Samples of one turn."""
        self._lanes = {
            name: tuple(np.array(points, dtype=np.float64).T) for name, points in phrase.controls.items() if plays
        }
        whole = hits_sound(phrase, rate, self.length + round(LASTS_S * rate))
        self._first = whole[: self.length]
        # What still rings at the end of a turn rings into the next.
        self._next = self._first.copy()
        for at in range(self.length, len(whole), self.length):
            ringing = whole[at : at + self.length]
            self._next[: len(ringing)] += ringing

    def turns(self, first: int) -> tuple[int, ...]:
        """Return the samples at which the turn that a sample lies in begins, and the one after it."""
        turn = self.turn(first)
        return self.begins + turn * self.length, self.begins + (turn + 1) * self.length

    def turn(self, first: int) -> int:
        """Return the number of the turn that a sample lies in; the first one's before it begins."""
        return max(0, (first - self.begins) // self.length)

    def notes(self, first: int, length: int) -> Iterator[tuple[int, int, PhraseNote]]:
        """Yield the notes that begin in a stretch: where each does, where it ends, and what it is."""
        if not self.plays or first + length <= self.begins:
            return
        beat = self.phrase.beat_s * self.rate
        for turn in range(self.turn(first), self.turn(first + length) + 1):
            for note in self.phrase.played:
                at = round(note.at * beat)
                on = self.begins + turn * self.length + at
                if first <= on < first + length and at < self.length:
                    yield on, max(on + 1, on + round((note.at + note.length) * beat) - at), note

    def lane(self, name: str, at: int) -> float | None:
        """Return where a lane of its own stands at a sample; None where it plays none."""
        if name not in self._lanes or at < self.begins:
            return None
        times, values = self._lanes[name]
        place = (at - self.begins) % self.length / (self.phrase.beat_s * self.rate)
        return float(np.interp(place, times, values))

    def block(self, first: int, length: int) -> Floats:
        """Return how a stretch of it sounds, shape (frames, 2)."""
        at = np.arange(first, first + length) - self.begins
        sound = np.where((at < self.length)[:, None], self._first[at % self.length], self._next[at % self.length])
        sound[at < 0] = 0.0
        if self.ends is not None:
            sound[at >= self.ends - self.begins] = 0.0
        return np.asarray(sound)


def clicks(beats_per_bar: int, tempo_bpm: float) -> Phrase:
    """Return a bar of ticks, one a quarter note, the first of them the loudest: to count by."""
    strikes = [{"at": at, "strength": 0.5 if at else 1.0} for at in range(beats_per_bar)]
    return check_phrase(
        {
            "format": "jorvik-phrase",
            "version": 1,
            "tempo_bpm": tempo_bpm,
            "beats_per_bar": beats_per_bar,
            "bars": 1,
            "hits": [{"id": "click", "sound": "tick", "level": 0.7, "strikes": strikes}],
        }
    )
