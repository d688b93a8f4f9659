"""The take document, version 1: what a hand played, to the sample, and the patch that it was played on.

Times are in samples, counted from the beginning of what was played: so that it can be rendered as it was heard, what
came before a take, and may still sound in it, stays with it.
"""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from jorvik.core.document.checked import checked_document
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.performance import check_lane, check_lane_name
from jorvik.core.document.phrase import Phrase
from jorvik.core.limits import (
    DEFAULT_RATE,
    MAX_GESTURE_POINTS,
    MAX_NAME,
    MAX_PHRASE_NOTES,
    MAX_PHRASE_SECONDS,
    MAX_RATE,
    MAX_TEXT,
    MIN_RATE,
)
from jorvik.core.modules.base import PlainText, Strict, param, refusal
from jorvik.core.problems import Problem
from jorvik.core.signals import CONTROL_RANGES

Sample = Annotated[int, Field(ge=0, le=2**50)]


class TakenNote(Strict):
    """A key as it was played: the samples at which it took effect."""

    key: float = param(60.0, "key", 0.0, 127.0, "MIDI note number.")
    velocity: float = param(96.0, "velocity", 0.0, 127.0, "How hard it was struck.")
    on: Sample
    off: Sample


class KeptPatch(Strict):
    """The kept patch that was played, and which of its states."""

    patch: Annotated[PlainText, Field(max_length=64)]
    sequence: Annotated[int, Field(ge=1, le=2**53)]


class Take(Strict):
    """What was played by hand."""

    format: Literal["jorvik-take"]
    version: Literal[1]
    name: str = Field("As it was played", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Annotated[PlainText, Field(max_length=MAX_NAME)]] = Field(default_factory=list, max_length=64)
    rate: Annotated[int, Field(ge=MIN_RATE, le=MAX_RATE)] = DEFAULT_RATE
    begins: Sample | None = Field(None, description="Its first sample; left out, the bar of its first note.")
    ends: Sample = Field(description="The sample after its last.")
    tempo_bpm: float = param(96.0, "bpm", 10.0, 999.0, "Quarter notes a minute.")
    beats_per_bar: int = param(4, "count", 1, 32, "Quarter notes in a bar.")
    bars_from: Sample = Field(0, description="The sample from which bars are counted, and the phrase beside it runs.")
    over: Phrase | None = Field(None, description="The phrase that it was played over, its bars in a loop.")
    patch: dict[str, Any] = Field(description="The patch as it was when the take ended.")
    of: KeptPatch | None = Field(None, description="Where that patch is kept.")
    edits: Annotated[int, Field(ge=0, le=2**31, description="How often the patch was edited while it was played.")] = 0
    phrase: Annotated[PlainText, Field(max_length=64, description="Where the phrase is kept that was made of it.")] = ""
    played: list[TakenNote] = Field(default_factory=list, max_length=MAX_PHRASE_NOTES)
    lanes: dict[str, list[list[float]]] = Field(
        default_factory=dict, description="Control lanes as they came: [sample, value] points, straight between."
    )

    @model_validator(mode="after")
    def _sound(self) -> "Take":
        for name, points in self.lanes.items():
            check_lane(name, points, CONTROL_RANGES[check_lane_name(name)], MAX_GESTURE_POINTS)
        for index, note in enumerate(self.played):
            if note.off <= note.on:
                wanted = f"note {index + 1} to end after it begins"
                raise refusal(wanted)
        if self.begins is None and not self.inside:
            raise refusal("a note, or where the take begins")
        length = self.ends - self.start
        if length <= 0:
            wanted = "a take that ends after it begins"
            raise refusal(wanted)
        if length > MAX_PHRASE_SECONDS * self.rate:
            wanted = f"a take of {MAX_PHRASE_SECONDS:g} s at most (this one has {length / self.rate:.4g} s)"
            raise refusal(wanted)
        return self

    @property
    def beat(self) -> float:
        """Samples of a quarter note."""
        return 60.0 / self.tempo_bpm * self.rate

    @property
    def inside(self) -> list[TakenNote]:
        """Its own notes, in the order in which they were struck, without those of before it."""
        since = self.begins if self.begins is not None else max(0, self.ends - round(MAX_PHRASE_SECONDS * self.rate))
        return sorted((note for note in self.played if since <= note.on < self.ends), key=lambda note: note.on)

    @property
    def start(self) -> int:
        """Its first sample."""
        if self.begins is not None:
            return self.begins
        bar, first = self.beat * self.beats_per_bar, self.inside[0].on
        counted = self.bars_from if first >= self.bars_from else 0
        return counted + round((first - counted) // bar * bar)

    @property
    def played_patch(self) -> Patch:
        """The patch that it was played on."""
        return check_patch(self.patch)

    def document(self) -> dict[str, Any]:
        """Return it as the document that it was read from: only what was said, none of the defaults."""
        return self.model_dump(mode="json", exclude_unset=True)


def check_take(document: object) -> Take:
    """Return the take in a document already read from JSON.

    Raises Problem with the path, what was found and what would do.

    >>> note = {"key": 60, "velocity": 96, "on": 96_000, "off": 120_000}
    >>> patch = {"format": "jorvik-patch", "version": 1}
    >>> head = {"format": "jorvik-take", "version": 1, "patch": patch, "tempo_bpm": 120}
    >>> check_take({**head, "ends": 144_000, "played": [note]}).start
    96000
    """
    take = checked_document(Take, document, "jorvik-take")
    try:
        check_patch(take.patch)
    except Problem as problem:
        raise Problem(f"patch, {problem.place}", problem.found, problem.wanted) from None
    return take
