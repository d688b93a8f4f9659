"""The performance: which notes are played, for how long, and what the player's hands do meanwhile."""

from typing import Annotated, Any

from pydantic import AfterValidator, Field, model_validator
from pydantic_core import PydanticCustomError

from jorvik.core.limits import MAX_NOTES, MAX_POINTS, MAX_SECONDS
from jorvik.core.modules.base import Strict, more_than_nothing, param, refusal
from jorvik.core.signals import CONTROL_RANGES, lane_kind
from jorvik.core.units.tempo import Tempo


def check_lane_name(name: str) -> str:
    """Return the kind of a control lane by its name, a key of CONTROL_RANGES."""
    kind = lane_kind(name)
    if not kind:
        wanted = f"lanes named pitch_bend, mod_wheel, pressure or macro:<id>, not {name}"
        raise refusal(wanted)
    return kind


def check_lane(name: str, points: list[list[float]], limits: tuple[float, float], most: int = MAX_POINTS) -> None:
    """Refuse a lane of no point or too many, one that goes back in time, and values out of its range."""
    before = 0.0
    if not 1 <= len(points) <= most:
        raise PydanticCustomError("lane", f"1 to {most} points on the lane {name}")
    for index, point in enumerate(points):
        if len(point) != 2 or point[0] < before:
            raise PydanticCustomError("lane", f"point {index} of {name} as [time, value], not before the last one")
        if not limits[0] <= point[1] <= limits[1]:
            raise PydanticCustomError("lane", f"point {index} of {name} within {limits[0]:g} to {limits[1]:g}")
        before = point[0]


def check_controls(lanes: dict[str, list[list[float]]]) -> dict[str, list[list[float]]]:
    """Refuse lanes that no hand plays, and points that are not sound."""
    for name, points in lanes.items():
        check_lane(name, points, CONTROL_RANGES[check_lane_name(name)])
    return lanes


Controls = Annotated[dict[str, list[list[float]]], AfterValidator(check_controls)]
"""Points of each control lane, by its name: a time, in seconds or in quarter notes, and a value."""


class Note(Strict):
    """One key held for a time."""

    key: float = param(60.0, "key", 0.0, 127.0, "MIDI note number; fractions lie between keys.")
    velocity: float = param(96.0, "velocity", 0.0, 127.0, "How hard it is struck.")
    start_s: float = param(0.0, "s", 0.0, MAX_SECONDS, "When it begins.")
    length_s: Annotated[float, more_than_nothing(f"longer than 0 s, and {MAX_SECONDS:g} s at most")] = param(
        1.0, "s", 0.0, MAX_SECONDS, "How long it is held."
    )


class Performance(Strict):
    """Notes at a tempo, control lanes, and the tail after the last note-off."""

    tempo_bpm: float = param(120.0, "bpm", 10.0, 999.0, "Quarter notes a minute.")
    beats_per_bar: int = Field(4, ge=1, le=32, description="Quarter notes in a bar.")
    notes: list[Note] = Field(
        default_factory=lambda: [Note()], min_length=1, max_length=MAX_NOTES, description="The notes, in any order."
    )
    tail_s: float = param(0.5, "s", 0.0, MAX_SECONDS, "What is traced after the last note-off.")
    seed: int = Field(1, ge=0, le=2**53, description="What all random numbers come from.")
    controls: Controls = Field(
        default_factory=dict, description="Control lanes: [seconds, value] points, straight between, held outside."
    )

    @model_validator(mode="after")
    def _not_too_long(self) -> "Performance":
        if self.seconds > MAX_SECONDS:
            wanted = f"a run of {MAX_SECONDS:g} s at most, the tail included (this one has {self.seconds:g} s)"
            raise refusal(wanted)
        return self

    @property
    def seconds(self) -> float:
        """How long the run lasts."""
        return max(note.start_s + note.length_s for note in self.notes) + self.tail_s

    @property
    def test(self) -> "Performance":
        """The patch's own performance, where a phrase is played in its place."""
        return self

    @property
    def tempo(self) -> Tempo:
        """Tempo and bar."""
        return Tempo(self.tempo_bpm, self.beats_per_bar)

    def with_note(self, tail_s: float | None = None, **fields: Any) -> "Performance":
        """Return this performance at another test note, or with another tail, checked.

        Of several notes ``key`` moves all, so that the first listed has it and the others stay as far from it as they
        are; ``velocity`` and ``length_s`` are set for each.
        """
        given = {name: value for name, value in fields.items() if value is not None}
        apart = given.pop("key") - self.notes[0].key if "key" in given else 0.0
        notes = [{**note.model_dump(), "key": note.key + apart, **given} for note in self.notes]
        tail = self.tail_s if tail_s is None else tail_s
        return Performance.model_validate({**self.model_dump(), "notes": notes, "tail_s": tail})
