"""The phrase document, version 1: notes, hits and played lanes at a tempo, to be put under any patch.

Times are in quarter notes.
"""

from typing import Annotated, Any, Final, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from jorvik.core.document.checked import checked_document
from jorvik.core.document.performance import Controls, Note, Performance
from jorvik.core.limits import (
    MAX_BARS,
    MAX_GESTURE_POINTS,
    MAX_HITS,
    MAX_NAME,
    MAX_PHRASE_NOTES,
    MAX_PHRASE_SECONDS,
    MAX_STRIKES,
    MAX_TEXT,
)
from jorvik.core.modules.base import Identifier, PlainText, Strict, choice, more_than_nothing, param
from jorvik.core.problems import shown
from jorvik.core.units.tempo import Tempo

MOST_QUARTERS: Final = MAX_PHRASE_SECONDS * 999.0 / 60.0
"""A phrase of the longest time at the fastest tempo."""

HitSound = Literal["thud", "snap", "tick", "none"]
"""What a hit can sound like: stand-ins that are heard with the patch and never measured with it."""

Length = Annotated[float, more_than_nothing("longer than 0 quarter notes")]


class PhraseNote(Strict):
    """One key held for a time, in quarter notes."""

    key: float = param(60.0, "key", 0.0, 127.0, "MIDI note number; fractions lie between keys.")
    velocity: float = param(96.0, "velocity", 0.0, 127.0, "How hard it is struck.")
    at: float = param(0.0, "beats", 0.0, MOST_QUARTERS, "When it begins.")
    length: Length = param(1.0, "beats", 0.0, MOST_QUARTERS, "How long it is held.")


class Strike(Strict):
    """One stroke of a hit."""

    at: float = param(0.0, "beats", 0.0, MOST_QUARTERS, "When it falls.")
    strength: float = param(1.0, "ratio", 0.0, 1.0, "How hard it is.")
    length: Length = param(0.125, "beats", 0.0, MOST_QUARTERS, "For how long its signal stands at that strength.")


class Hit(Strict):
    """A track of strokes that a patch can listen to, as ``hit:<id>`` and ``hit:<id>:trigger``."""

    id: Identifier
    sound: HitSound = choice("thud", "What it sounds like, heard with the patch.")
    level: float = param(0.8, "ratio", 0.0, 1.0, "How loud it is heard with the patch.")
    strikes: list[Strike] = Field(default_factory=list, description="Its strokes, in any order.")


class Simplified(Strict):
    """The record of how a lane was simplified, against the points that were recorded."""

    points_before: int = param(1, "count", 1, MAX_GESTURE_POINTS, "How many points were recorded.")
    points_after: int = param(1, "count", 1, MAX_GESTURE_POINTS, "How many points were left.")
    greatest_error: float = param(
        0.0, "ratio", 0.0, 4.0, "The lines pass no recorded point further off than this, in the lane's own unit."
    )


class Phrase(Strict):
    """What is played: the note in its place."""

    format: Literal["jorvik-phrase"]
    version: Literal[1]
    name: str = Field("Untitled", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Annotated[PlainText, Field(max_length=MAX_NAME)]] = Field(default_factory=list, max_length=64)
    tempo_bpm: float = param(96.0, "bpm", 10.0, 999.0, "Quarter notes a minute.")
    beats_per_bar: int = param(4, "count", 1, 32, "Quarter notes in a bar.")
    bars: int = param(2, "count", 1, MAX_BARS, "How many bars it has.")
    played: list[PhraseNote] = Field(
        default_factory=list, max_length=MAX_PHRASE_NOTES, description="The notes, in any order; none is the test note."
    )
    hits: list[Hit] = Field(default_factory=list, max_length=MAX_HITS, description="Tracks of strokes.")
    controls: Controls = Field(
        default_factory=dict, description="Control lanes: [beats, value] points, straight between, held outside."
    )
    simplified: dict[str, Simplified] = Field(
        default_factory=dict,
        description="For each control lane that was simplified, the points before and after and the greatest error.",
    )

    @model_validator(mode="after")
    def _within_limits(self) -> "Phrase":
        ids = [hit.id for hit in self.hits]
        if len(set(ids)) < len(ids):
            twice = next(name for name in ids if ids.count(name) > 1)
            raise _refusal("id", f"hit tracks of unlike ids; two are {shown(twice)}")
        if missing := next((name for name in self.simplified if name not in self.controls), None):
            raise _refusal("lane", f"records of lanes that the phrase has; it has no lane {shown(missing)}")
        if (count := sum(len(hit.strikes) for hit in self.hits)) > MAX_STRIKES:
            raise _refusal("range", f"{MAX_STRIKES} strikes at most, not {count}")
        if self.seconds > MAX_PHRASE_SECONDS:
            raise _refusal("range", f"a phrase of {MAX_PHRASE_SECONDS:g} s at most (this one has {self.seconds:.4g} s)")
        return self

    @property
    def tempo(self) -> Tempo:
        """Tempo and bar."""
        return Tempo(self.tempo_bpm, self.beats_per_bar)

    @property
    def beat_s(self) -> float:
        """Seconds of a quarter note."""
        return 60.0 / self.tempo_bpm

    @property
    def beats(self) -> float:
        """From 0 to the last note-off, strike or end of the last bar, in quarter notes."""
        notes = (note.at + note.length for note in self.played)
        strikes = (strike.at + strike.length for hit in self.hits for strike in hit.strikes)
        return max([float(self.bars * self.beats_per_bar), *notes, *strikes])

    @property
    def seconds(self) -> float:
        """The same in seconds."""
        return self.beats * self.beat_s

    def document(self) -> dict[str, Any]:
        """Return it as the document that it was read from: only what was said, none of the defaults."""
        return self.model_dump(mode="json", exclude_unset=True)


def _refusal(kind: str, sentence: str) -> PydanticCustomError:
    return PydanticCustomError(kind, "{wanted}", {"wanted": sentence})


class PhrasePerformance(Performance):
    """The performance that a phrase gives: its tempo, notes, hits and lanes in the place of the patch's own.

    The tail, the seed and, where the phrase has no notes, the notes are those of the patch's test note.
    """

    phrase: Phrase
    own: Performance
    """The patch's own."""

    @classmethod
    def of(cls, phrase: Phrase, test: Performance) -> "PhrasePerformance":
        """Return what a phrase gives under a patch whose own performance is ``test``."""
        beat = phrase.beat_s
        notes = [
            Note.model_construct(
                key=note.key, velocity=note.velocity, start_s=note.at * beat, length_s=note.length * beat
            )
            for note in phrase.played
        ]
        controls = {name: [[at * beat, value] for at, value in points] for name, points in phrase.controls.items()}
        return cls.model_construct(
            tempo_bpm=phrase.tempo_bpm,
            beats_per_bar=phrase.beats_per_bar,
            notes=notes or test.notes,
            tail_s=test.tail_s,
            seed=test.seed,
            controls=controls,
            phrase=phrase,
            own=test,
        )

    @property
    def test(self) -> Performance:
        """The patch's own performance, in whose place the phrase is played."""
        return self.own

    @property
    def seconds(self) -> float:
        """How long the run lasts."""
        ends = max(note.start_s + note.length_s for note in self.notes)
        return max(ends, self.phrase.seconds) + self.tail_s

    def with_note(self, tail_s: float | None = None, **fields: Any) -> Performance:
        """Return it transposed so that the first note has another key, struck as hard throughout, or with a tail.

        How long each note is held is the phrase's own.
        """
        test = self.own.with_note(tail_s, **fields)
        changed: dict[str, Any] = {}
        if fields.get("velocity") is not None:
            changed["velocity"] = fields["velocity"]
        apart = 0.0 if fields.get("key") is None else float(fields["key"]) - self.notes[0].key
        played = [
            note.model_copy(update={"key": min(max(note.key + apart, 0.0), 127.0), **changed})
            for note in self.phrase.played
        ]
        return PhrasePerformance.of(self.phrase.model_copy(update={"played": played}), test)


def check_phrase(document: object) -> Phrase:
    """Return the phrase in a document already read from JSON.

    Raises Problem with the path, what was found and what would do.

    >>> check_phrase({"format": "jorvik-phrase", "version": 1}).seconds
    5.0
    """
    return checked_document(Phrase, document, "jorvik-phrase")
