"""What goes in and out over HTTP where something is worked out."""

from typing import Annotated, Literal

from pydantic import Field

from jorvik.core.helpers.changeable import Wish
from jorvik.core.helpers.wishes import Met
from jorvik.web.forms import Document, Form


class PolarityWish(Form):
    """A route to get another polarity, its curve kept or its figures as they were typed."""

    document: Document
    route: str
    polarity: Literal["as_is", "unipolar", "bipolar"]
    keep: bool = True


class RouteWish(Form):
    """A route to become a range, or an amount."""

    document: Document
    route: str
    to: Literal["range", "amount"]


class MacroEndWish(Form):
    """A macro at one of its ends, and what destinations are to be there."""

    document: Document
    macro: str
    full: bool
    values: dict[str, float]


class SentenceWish(Form):
    """A route said as a sentence."""

    document: Document
    text: Annotated[str, Field(max_length=300)]


class Changed(Form):
    """A document after a change, and the route that it is about."""

    document: Document
    route: str = ""


class ReadingWish(Form):
    """A figure of a patch that shall come to another value."""

    document: Document
    kind: str
    about: str
    name: str
    value: float


class SolveWish(Form):
    """Wishes for a lane."""

    document: Document
    lane: str
    wishes: Annotated[list[Wish], Field(max_length=16)]
    changing: Annotated[list[str], Field(max_length=64)] | None = None
    """The names of what may change; what is usual where none are given."""


class ChangeableWish(Form):
    """A lane, and what is wished of it."""

    document: Document
    lane: str
    wishes: Annotated[list[Wish], Field(max_length=16)]


class Answer(Form):
    """A document that comes as near to the wishes as can be, what changed, and what was met."""

    document: Document
    changes: list[str]
    met: list[Met]


class SolveLine(Form):
    """What is told while wishes are worked out: a count of tries, then the answer, or why there is none."""

    tries: int | None = None
    answer: Answer | None = None
    refused: str | None = None
