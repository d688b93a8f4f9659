"""An instrument under the hand: notes, lanes and edits come in at any time, sound goes out block by block."""

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, Final, TypeVar

import numpy as np

from jorvik.core.document.patch import Patch
from jorvik.core.document.phrase import Phrase, check_phrase
from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE, MAX_PHRASE_NOTES
from jorvik.core.live.beat import Beat, clicks
from jorvik.core.live.hands import Hands, Write
from jorvik.core.live.voices import HELD, LiveVoice, Prepared, Score, struck
from jorvik.core.problems import Problem, shown
from jorvik.core.voice.effects import SENDS
from jorvik.core.voice.limiter import Limited, LiveLimiter
from jorvik.core.voice.output import LiveOutput

BLOCK: Final = 512
"""Samples at a time: what comes in takes effect with the next."""

BLOCKS: Final = ((0, BLOCK), (6, 2 * BLOCK), (12, 4 * BLOCK))
"""From so many voices on, so many samples at a time: much of what a voice takes is the same for any length."""

LONGEST_BLOCK: Final = BLOCKS[-1][1]

MOST_VOICES: Final = 16
"""Voices that sound at once; the one that was struck first makes room."""

EDITED_OVER: Final = 2 * BLOCK
"""In so many samples one voice passes to an edit, one in each block at least: to make it ready takes a while, and it is
played twice."""

T = TypeVar("T")


@dataclass
class PlayedNote:
    """A note as it was played: the samples at which it took effect."""

    number: int
    key: float
    velocity: float
    on: int
    off: int = HELD


@dataclass
class Log:
    """What was played since somebody looked: to the sample at which it took effect."""

    on: list[tuple[int, float, float, int]] = field(default_factory=list)
    """A note's number, key, velocity and first sample."""
    off: list[tuple[int, int]] = field(default_factory=list)
    """A note's number, and the sample at which it ended."""
    lanes: dict[str, list[list[float]]] = field(default_factory=dict)
    """Samples and values, straight between them."""
    edits: list[int] = field(default_factory=list)
    """The first samples of blocks with which voices began to pass to an edit; notes from there on are as it says."""


class LivePlayer:
    """One patch, played. It makes a block whenever it is asked for one; between two, it is told what the hand does.

    >>> from jorvik.core.document.patch import check_patch
    >>> player = LivePlayer(check_patch({"format": "jorvik-patch", "version": 1}))
    >>> player.note_on(60, 96)
    0
    >>> player.block().samples.shape
    (512, 2)
    """

    def __init__(self, patch: Patch, rate: int = DEFAULT_RATE) -> None:
        """Begin in silence. Raises Problem where the patch does not fit."""
        self.rate = rate
        self.now = 0
        """The sample with which the next block begins."""
        self.played: deque[PlayedNote] = deque(maxlen=MAX_PHRASE_NOTES)
        """The last notes, as many as a phrase may have."""
        self.troubles: list[Problem] = []
        """What has come to no finite number since somebody looked."""
        self._number = 0
        self._hands = Hands(BLOCK)
        self._voices: list[LiveVoice] = []
        self._waiting: list[LiveVoice] = []
        """Those that have yet to pass to the last edit."""
        self._limiter = LiveLimiter(rate)
        self._score: Score | None = None
        self._own = patch
        self._log = Log()
        self._count: Beat | None = None
        """The clicks that are heard, and listened to by nobody."""
        self._beat: Beat | None = None
        self._beat_before: Beat | None = None
        self._falls_silent = False
        self._of = Prepared(self._ready(patch), rate, LONGEST_BLOCK)
        if self._of.common is None:
            # One voice for all notes runs from the first sample on, whenever it is struck.
            self._voices.append(LiveVoice(self._of, struck(self.patch, 0, 60.0, 96.0, HELD)))
        self._output = LiveOutput(self.patch, rate, BLOCK)
        self._output_before: LiveOutput | None = None
        """What is faded out over the next block, where the effects are others."""

    @property
    def write(self) -> Write:
        """How a hand writes over lanes that the phrase beside it plays."""
        return self._hands.write

    @write.setter
    def write(self, write: Write) -> None:
        self._hands.write = write

    @property
    def delay(self) -> int:
        """By how many samples what leaves is later than what was made."""
        return self._limiter.delay

    def edit(self, patch: Patch) -> None:
        """Play another patch: where it has the same parts at once, else from the next note on.

        What goes on at once is faded over the next block from how it was; what does not ends as it began.
        """
        self.adopt(patch, self.prepared(patch)())

    def prepared(self, patch: Patch) -> Callable[[], Prepared]:
        """Return what makes a patch ready to be adopted, which may be done beside what plays."""
        ready = self._ready(patch)
        return lambda: Prepared(ready, self.rate, LONGEST_BLOCK)

    def adopt(self, patch: Patch, prepared: Prepared) -> None:
        """Go on with a patch that was made ready, as :meth:`edit` says."""
        # One that another follows before a block was made is heard by nobody.
        if patch is not self._own and self.now not in self._log.edits[-1:]:
            self._log.edits.append(self.now)
        before, self._of = self._of, prepared
        self._own, self._score = patch, None
        self._of.go_on_from(before)
        self._waiting = [voice for voice in self._voices if voice.of is before or voice in self._waiting]
        if before.patch.voice.effects != patch.voice.effects or before.sends != self._of.sends:
            self._output_before = self._output
            self._output = LiveOutput(self.patch, self.rate, BLOCK)

    def beat(self, phrase: Phrase | None, plays: bool = False, count_in: int = 0, counts_on: bool = False) -> int:
        """Play over the hits of a phrase, its bars in a loop, at its tempo; or over nothing. Return where it begins.

        ``plays`` lets its notes and lanes be played too; ``count_in`` is how many bars are counted before it, with
        clicks that go on where ``counts_on``. What listens to hits does so from the next note on.
        """
        self._beat_before = self._beat
        tempo = phrase.tempo if phrase is not None else self._own.performance.tempo
        begins = self.now + round(count_in * tempo.beats_per_bar * 60.0 / tempo.bpm * self.rate)
        self._beat = Beat(phrase, self.rate, begins, plays) if phrase is not None else None
        counted = clicks(tempo.beats_per_bar, tempo.bpm) if count_in or counts_on else None
        ends = None if counts_on else begins
        self._count = Beat(counted, self.rate, self.now, ends=ends) if counted is not None else None
        self.edit(self._own)
        return begins

    @property
    def over(self) -> Beat | None:
        """The phrase that is played over."""
        return self._beat

    @property
    def own(self) -> Patch:
        """The patch that is played, with its own performance."""
        return self._own

    @property
    def patch(self) -> Patch:
        """The patch that is played, with every control lane where it stands."""
        return self._of.patch

    def _ready(self, patch: Patch) -> Patch:
        """Return a patch whose control lanes can all be played, each from where it stands."""
        known = self._hands.of(patch)
        tempo = self._beat.phrase.tempo if self._beat else patch.performance.tempo
        phrase = {
            "format": "jorvik-phrase",
            "version": 1,
            "tempo_bpm": tempo.bpm,
            "beats_per_bar": tempo.beats_per_bar,
            "bars": self._beat.phrase.bars if self._beat else 1,
            "hits": self._beat.phrase.document().get("hits", []) if self._beat else [],
            "controls": {name: [[0.0, value]] for name, value in known.items()},
        }
        return patch.under(check_phrase(phrase))

    def note_on(self, key: float, velocity: float) -> int:
        """Strike a key, and return the sample from which it sounds. Raises Problem where there is no such key."""
        if not (0.0 <= key <= 127.0 and 1.0 <= velocity <= 127.0):
            raise Problem("the note", f"key {key:g} at velocity {velocity:g}", "a key of 0 to 127, at 1 to 127")
        if self._of.failed is not None:
            raise self._of.failed
        self._strike(key, velocity, self.now)
        return self.now

    def _strike(self, key: float, velocity: float, on: int, off: int = HELD) -> None:
        """Strike a key at the sample that is made next, to be let go at another."""
        self._let_go(key, on)
        note = PlayedNote(self._number, key, velocity, on)
        self._number += 1
        self.played.append(note)
        self._log.on.append((note.number, key, velocity, on))
        held = struck(self.patch, note.number, key, velocity, on)
        if self._of.common is None and self._voices and self._voices[-1].of is self._of:
            self._voices[-1].take_over(held)
        else:
            staying = [voice for voice in self._voices if not voice.is_leaving]
            if len(staying) >= MOST_VOICES:
                staying[0].leave(on)
            self._voices.append(LiveVoice(self._of, held))
        if off < HELD:
            self._end(note, off)

    def note_off(self, key: float) -> int:
        """Let a key go, where it is held, and return the sample from which it is: a block after its first, at least."""
        self._let_go(key, self.now, BLOCK)
        return self.now

    def _let_go(self, key: float, at: int, least: int = 1) -> None:
        for note in self.played:
            if note.key == key and note.off > at:
                self._end(note, max(at, note.on + least))

    def _end(self, note: PlayedNote, off: int) -> None:
        note.off = off
        self._log.off.append((note.number, off))
        for voice in self._voices:
            voice.release(note.number, off)

    def control(self, name: str, value: float | None) -> int:
        """Move a control lane to a value, straight over the next block, and return the sample from which it moves.

        None lets it go: a phrase that plays it beside the hand takes it up again. Raises Problem for a lane that the
        patch has not, or a value out of its range.
        """
        if name not in self.lanes:
            raise Problem("the lane", shown(name), f"one of {', '.join(self.lanes)}")
        self._hands.control(name, value, self.now, self._beat)
        return self.now

    def log(self) -> Log:
        """Return what was played since this was asked for last."""
        log, self._log = self._log, Log()
        log.lanes = self._hands.fresh()
        return log

    def go_on_from(self, other: "LivePlayer") -> None:
        """Begin with the lanes where another player has them."""
        self._hands = self._hands.begun_as(other._hands)
        self.edit(self._own)

    def panic(self) -> None:
        """Let every key go, stop the beat, and fall silent over the next block."""
        for key in {note.key for note in self.played if note.off == HELD}:
            self.note_off(key)
        self._falls_silent = True

    @property
    def lanes(self) -> dict[str, float]:
        """The control lanes that can be moved, and where each is now."""
        return {name: self._hands.values[name] for name in self.patch.performance.controls}

    @property
    def stood(self) -> list[tuple[int, dict[str, float]]]:
        """Where the destinations of the voice that was struck last stood in the last block, told every 512 samples."""
        return self._voices[-1].stood(BLOCK) if self._voices else []

    @property
    def is_silent(self) -> bool:
        """Whether nothing sounds."""
        return not self._voices and self._output.is_silent

    @property
    def block_length(self) -> int:
        """How many samples the next block has."""
        return max(length for voices, length in BLOCKS if len(self._voices) >= voices)

    def block(self) -> Limited:
        """Return the next block, limited and free of DC.

        A voice that comes to no finite number falls silent, and why is added to ``troubles``.
        """
        first, length = self.now, self.block_length
        if self._beat is not None:
            self._hands.follow(self.now, length, self._beat, self.lanes)
        self._pass_to_edit()
        # Each channel's samples lie together, as a voice makes them.
        made = {name: np.zeros((2, length)).T for name in ("dry", *SENDS)}
        # A note of the phrase beside it begins at its very sample: the block is made in pieces.
        due = list(self._beat.notes(first, length)) if self._beat is not None else []
        for begin, end in pairwise(sorted({first, *(on for on, _, _ in due), first + length})):
            for _, off, note in (one for one in due if one[0] == begin):
                self._tried(self._strike, note.key, note.velocity, begin, off)
            self._make(made, begin, end, first)
        self.now += length
        return self._limiter.block(self._mixed(made, first))

    def _make(self, made: dict[str, Floats], begin: int, end: int, first: int) -> None:
        """Add to a block that begins at ``first`` what sounds in a stretch of it."""
        score, length = self._present(), end - begin
        for of in {id(of): of for of in (self._of, *(voice.of for voice in self._voices))}.values():
            self._tried(of.advance, begin, length, score)
        for voice in list(self._voices):
            sounding = self._tried(_faded, voice, begin, length, score)
            for name, samples in (sounding or {"dry": _between(np.tile(voice.last, (length, 1)), 0.0)}).items():
                made[name][begin - first : end - first] += samples
            is_over = voice.closes and end - voice.delay >= voice.ends
            after = None if sounding is None else voice.next or (None if is_over else voice)
            place = self._voices.index(voice)
            self._voices[place : place + 1] = [] if after is None else [after]

    def _tried(self, act: Callable[..., T], *arguments: Any) -> T | None:
        """Return what an act returns; None where it comes to no finite number, which is told."""
        try:
            return act(*arguments)
        except Problem as problem:
            if problem not in self.troubles:
                self.troubles.append(problem)
            return None

    def _pass_to_edit(self) -> None:
        """Let voices that wait for it pass to the last edit; those that cannot end as they began."""
        waiting = [voice for voice in self._waiting if voice in self._voices]
        at_once = max(1, self.block_length // EDITED_OVER)
        for voice in waiting[:at_once]:
            voice.next = voice.edited(self._of)
            voice.closes |= voice.next is None
        self._waiting = waiting[at_once:]

    def _mixed(self, made: dict[str, Floats], first: int) -> Floats:
        """Return all voices with effects and beat, faded where any of these was changed."""
        out = self._output.block(made)
        if self._output_before is not None:
            out = _between(self._output_before.block(made), out)
        heard_at, length = first - self._of.plan.delay, len(out)
        if self._beat is not None:
            out = out + self._beat.block(heard_at, length)
        if self._beat_before is not None:
            out = out + _between(self._beat_before.block(heard_at, length), 0.0)
        if self._count is not None:
            out = out + self._count.block(heard_at, length)
        if self._falls_silent:
            out = _between(out, 0.0)
            self._voices, self._beat, self._count, self._falls_silent = [], None, None, False
            self._output = LiveOutput(self.patch, self.rate, BLOCK)
        self._output_before = self._beat_before = None
        return out

    def _present(self) -> Score:
        """Return what is played just now: of each lane the last points, since those before have been passed."""
        turns = self._beat.turns(self.now) if self._beat else ()
        present = self._hands.present(self.rate)
        if self._score is None or self._score.turns != turns or self._score.lanes is not present:
            self._score = Score(present, turns)
        return self._score


def _faded(voice: LiveVoice, first: int, length: int, score: Score) -> dict[str, Floats]:
    """Return a stretch of a voice, over which it passes to the one that goes on from it, where there is one."""
    made = voice.play(first, length, score)
    if voice.next is None:
        return made
    after, silence = voice.next.play(first, length, score), np.zeros((length, 2))
    return {name: _between(made.get(name, silence), after.get(name, silence)) for name in {*made, *after}}


def _between(before: Floats, after: Floats | float) -> Floats:
    """Return a stretch that begins as one and ends as another."""
    share = (np.arange(1, len(before) + 1) / len(before))[:, None]
    return np.asarray(before + (after - before) * share)
