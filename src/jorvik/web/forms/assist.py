"""What goes in and out over HTTP where something is worked out."""

from typing import Annotated, Literal

from pydantic import Field

from jorvik.core.helpers.changeable import Target
from jorvik.core.helpers.targets import Met
from jorvik.web.forms.common import Document, Form, Play
from jorvik.web.forms.judging import Place


class PolarityRequest(Form):
    """A route to get another polarity, its curve kept or its figures as they were typed."""

    document: Document
    route: str
    polarity: Literal["as_is", "unipolar", "bipolar"]
    keep: bool = True


class RouteRequest(Form):
    """A route to become a range or an amount, or its amount one of hertz or octaves."""

    document: Document
    route: str
    to: Literal["range", "amount", "hertz", "octaves"]


class MacroRequest(Form):
    """A macro of a patch."""

    document: Document
    macro: str


class MacroSetRequest(MacroRequest):
    """A macro at one of its places, and what destinations are to be there."""

    place: float
    values: dict[str, float]


class SentenceRequest(Form):
    """A route said as a sentence."""

    document: Document
    text: Annotated[str, Field(max_length=300)]
    as_second: bool = False
    """Add a route beside the one that is there between the two."""


class Changed(Form):
    """A document after a change, and the route that it is about."""

    document: Document
    route: str = ""
    before: str = ""
    """The sentence of that route as it was, where the patch had it already."""


class FigureRequest(Form):
    """A figure of a patch that shall come to another value."""

    document: Document
    kind: str
    about: Place
    name: str
    value: float


class SolveRequest(Play):
    """Targets for a lane."""

    lane: str
    targets: Annotated[list[Target], Field(max_length=16)]
    changing: Annotated[list[str], Field(max_length=64)] | None = None
    """The names of what may change; what is usual where none are given."""


class ChangeableRequest(Play):
    """A lane, and what is wanted of it."""

    lane: str
    targets: Annotated[list[Target], Field(max_length=16)]


class Answer(Form):
    """A document that comes as near to the targets as can be, what changed, and what was met."""

    document: Document
    changes: list[str]
    met: list[Met]


class SolveLine(Form):
    """What is told while targets are worked out: a count of tries, then the answer, or why there is none."""

    tries: int | None = None
    answer: Answer | None = None
    refused: str | None = None
