"""What a task, an answer to it, and its marks are."""

from typing import Annotated, Any, Literal

from pydantic import Field

from jorvik.core.limits import MAX_GESTURE_POINTS, MAX_TEXT
from jorvik.core.modules.base import PlainText, Strict
from jorvik.core.practice.tolerance import Tolerance

KindName = Literal["read", "hear", "work_out", "find", "make", "play"]
LEVELS = 3

Verdict = Literal["right", "nearly", "wrong"]


class Question(Strict):
    """One thing that is asked for."""

    name: str
    asks: str
    unit: str = ""
    """What is typed, in which unit; nothing for a choice."""
    choices: list[str] = Field(default_factory=list)


class Instead(Strict):
    """Another task of the same level."""

    kind: KindName
    seed: int


class Task(Strict):
    """A task, without its answer: made again from its kind, level and seed."""

    format: Literal["jorvik-task"] = "jorvik-task"
    version: Literal[1] = 1
    kind: KindName
    level: Annotated[int, Field(ge=1, le=LEVELS)] = 1
    seed: Annotated[int, Field(ge=0, le=2**53)] = 0
    title: str = ""
    asks: str = ""
    patch: dict[str, Any] | None = None
    """What it is about: to be opened and explored."""
    shown: list[str] = Field(default_factory=list)
    """The destinations whose curves are shown."""
    heard: bool = False
    """Whether the patch is heard, and what it is set to is not shown."""
    options: list[dict[str, Any]] = Field(default_factory=list)
    """Patches whose curves are to be chosen among."""
    questions: list[Question] = Field(default_factory=list)
    target: dict[str, Any] | None = None
    """The patch whose curves are to be reached; what it is set to is not shown."""
    by_ear: bool = False
    """Whether the sound of that patch is to be reached, and its curves are not shown."""
    instead: Instead | None = None
    """Of a task that is heard: one that is seen, for who does not hear well."""
    velocities: list[float] = Field(default_factory=list)
    """At which velocities the curves are shown and compared; none for the patch's own."""
    strokes: list[float] = Field(default_factory=list)
    """Moments in seconds on which a played lane is to turn."""
    tempo_bpm: float = 96.0
    about: str = ""
    """Where the help has more: a rule or a figure."""


class TaskAnswer(Strict):
    """What somebody answers, as far as the task asks for it."""

    values: dict[str, float | Annotated[PlainText, Field(max_length=MAX_TEXT)]] = Field(
        default_factory=dict, max_length=16
    )
    patch: dict[str, Any] | None = None
    lane: list[Annotated[list[float], Field(min_length=2, max_length=2)]] = Field(
        default_factory=list, max_length=MAX_GESTURE_POINTS
    )


class MarkedPart(Strict):
    """One thing that was asked for, and how near the answer is."""

    name: str
    given: str
    wanted: str
    distance: float | None
    """In just-noticeable differences; None where nothing was said."""
    verdict: Verdict
    why: str
    stave: str = ""
    """Where it is seen on the sheet."""
    at_s: float | None = None


class Marked(Strict):
    """What an answer is worth."""

    marks: float
    """From 0 to 1."""
    verdict: Verdict
    parts: list[MarkedPart]
    worked: list[str]
    """How the answer is come to, a sentence each."""
    patch: dict[str, Any] | None = None
    """The right answer, where it is a patch: shown as a ghost."""
    lane: list[list[float]] = Field(default_factory=list)


class Made(Strict):
    """A task with its answer."""

    task: Task
    answer: TaskAnswer
    tolerances: dict[str, Tolerance] = Field(default_factory=dict)
    worked: list[str] = Field(default_factory=list)
    places: dict[str, tuple[str, float | None]] = Field(default_factory=dict)
    """Of each question its stave, and when it is seen there."""
    fewest: int = 0
    """Of a patch to be made: the changes that do it."""
    rule: str = ""
    """Of a patch with something wrong: what it is."""
