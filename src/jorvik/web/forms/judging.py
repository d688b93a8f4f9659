"""What goes in and out over HTTP of figures and judgements."""

from typing import Annotated, Literal

from pydantic import Field

from jorvik.core.document.operations import Operation
from jorvik.core.measure.differences import Difference
from jorvik.core.measure.lane import Measures
from jorvik.core.measure.patch import PatchMeasures
from jorvik.core.measure.sweep import By
from jorvik.web.forms.common import MOST_S, Document, Form, Play, Row


class Place(Form):
    """What a finding or a figure belongs to; the patch itself has no id."""

    what: Literal["patch", "source", "route", "stave"]
    id: str

    @classmethod
    def of(cls, about: str) -> "Place":
        """Return the place that core says in one word: ``signal.lfo``, ``route.r``, a stave's name, or nothing."""
        kind, _, name = about.partition(".")
        if kind in ("signal", "route"):
            return cls(what="source" if kind == "signal" else "route", id=name)
        return cls(what="stave" if about else "patch", id=about)

    @property
    def about(self) -> str:
        """The word of core for it."""
        return {"source": f"signal.{self.id}", "route": f"route.{self.id}"}.get(self.what, self.id)


class FindingView(Form):
    """Something worth knowing of a patch."""

    key: str
    rule: str
    severity: str
    sentence: str
    why: str
    about: Place
    from_s: float
    to_s: float
    fix: str = ""
    fixed: Document | None = None
    """The whole document with the fix; not in a session."""
    operations: list[Operation] | None = None
    """In a session: the operations that lead from the judged document to the fix."""
    set_aside: str | None = None


class FigureView(Form):
    """A figure in its place."""

    about: Place
    kind: str
    group: str
    name: str
    value: float
    unit: str
    said: str
    help: str
    settable: bool
    """Whether another value can be asked for."""


class Judgement(Form):
    """What is measured of a patch over its first note, and what was found."""

    measures: PatchMeasures
    figures: list[FigureView]
    findings: list[FindingView]


class CompareRequest(Play):
    """A patch played at a sweep of something, beside other patches, or under several phrases."""

    by: By = "velocity"
    steps: list[float] = Field(default_factory=list, max_length=128)
    others: list[Document] = Field(default_factory=list, max_length=15)
    phrases: list[Document | None] = Field(default_factory=list, max_length=15)
    """What the patch is played under in turn; nothing is its test note."""
    columns: Annotated[int, Field(ge=1, le=2000)] = 300


class ComparedStep(Form):
    """One step of a comparison: its lanes over the columns and their figures, and what it plays."""

    label: str
    performance: Document
    phrase: Document | None
    seconds: float
    lanes: dict[str, Row]
    measures: PatchMeasures


class Comparison(Form):
    """Every step of a comparison."""

    by: str
    titles: dict[str, str]
    units: dict[str, str]
    steps: list[ComparedStep]
    differences: list[Difference]
    """Settings in which patches that stand beside each other are unlike."""


class StepLevel(Form):
    """How a step of a comparison sounds, and by how much it is turned down so that all are as loud as the quietest."""

    loudness_lufs: float
    limited_db: float
    """The most that the limiter takes."""
    brightness_hz: float
    """The middle of its spectrum's power."""
    gain_db: float


class StretchRequest(Play):
    """A lane between two moments of the run."""

    lane: str
    from_s: Annotated[float, Field(ge=0, le=MOST_S)]
    to_s: Annotated[float, Field(ge=0, le=MOST_S)]


class ReachedRequest(Play):
    """A lane at other keys and velocities."""

    lane: str
    keys: Annotated[list[Annotated[float, Field(ge=0, le=127)]], Field(min_length=1, max_length=8)]
    velocities: Annotated[list[Annotated[float, Field(ge=0, le=127)]], Field(min_length=1, max_length=8)]


class Reached(Form):
    """What a lane comes to at a key and a velocity."""

    key: float
    velocity: float
    measures: Measures
