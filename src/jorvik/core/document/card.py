"""The machine card, version 1: an instrument at hand, as its panel speaks: controls, scales, laws, steps, sources."""

from itertools import pairwise
from typing import Annotated, Final, Literal

from pydantic import Field, field_validator, model_validator

from jorvik.core.document.checked import checked_document
from jorvik.core.document.destinations import UNBOUNDED, VOICE
from jorvik.core.limits import MAX_NAME, MAX_TEXT
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Identifier, PlainText, Strict, field_facts, refusal

MAX_CONTROLS: Final = 256
MAX_CARD_SOURCES: Final = 32
MAX_LAW_POINTS: Final = 256

Bounded = Annotated[float, Field(ge=-UNBOUNDED, le=UNBOUNDED)]
Name = Annotated[PlainText, Field(max_length=MAX_NAME)]


class Control(Strict):
    """One control of a panel: what it is in Jorvik, its scale, and what its figures come to."""

    name: Identifier = Field(description="What the panel calls it.")
    sets: PlainText = Field(
        max_length=160, description="A destination of the voice, <source>.<parameter>, or <source> to <destination>."
    )
    low: Bounded = Field(0.0, description="The least figure of its scale.")
    high: Bounded = Field(10.0, description="The greatest figure of its scale.")
    law: Literal["linear", "logarithmic", "table"] = Field("linear", description="How its figures go to values.")
    from_value: Bounded = Field(0.0, description="What it is at its least figure, in Jorvik's unit.")
    to_value: Bounded = Field(1.0, description="What it is at its greatest figure.")
    table: list[Annotated[list[Bounded], Field(min_length=2, max_length=2)]] = Field(
        default_factory=list, max_length=MAX_LAW_POINTS, description="Measured points: [figure, value], by figure."
    )
    steps: int | None = Field(None, ge=2, le=65_536, description="How many positions it has; none where it is smooth.")
    positions: list[Name] = Field(default_factory=list, max_length=128, description="Names of its positions, in order.")
    shown: Literal["number", "clock", "names"] = Field("number", description="How its figures are read.")
    controller: int | None = Field(None, ge=0, le=127, description="Its MIDI controller, where it has one.")

    @model_validator(mode="after")
    def _sound(self) -> "Control":
        if not self.low < self.high:
            raise refusal(f"{self.name}: a scale from a lesser figure to a greater one")
        if self.law == "logarithmic" and (self.from_value <= 0.0 or self.to_value <= 0.0):
            raise refusal(f"{self.name}: values over 0 at both ends, as its law is logarithmic")
        if self.law != "table" and self.from_value == self.to_value:
            raise refusal(f"{self.name}: other values at its ends than one")
        if self.law == "table":
            _check_table(self.name, self.table)
        if self.shown == "names" and len(self.positions) < 2:
            raise refusal(f"{self.name}: the names of two positions at least")
        return self


def _check_table(name: str, table: list[list[float]]) -> None:
    """Refuse measured points that do not go one way: a value must have one figure."""
    if len(table) < 2:
        raise refusal(f"{name}: two measured points at least")
    for (figure, value), (after, later) in pairwise(table):
        if after <= figure:
            raise refusal(f"{name}: measured points by rising figure; {after:g} comes after {figure:g}")
        if (later - value) * (table[-1][1] - table[0][1]) <= 0.0:
            raise refusal(f"{name}: a law that goes one way; it turns at {figure:g}")


class CardSource(Strict):
    """One of the machine's own sources: what it is, what of it can be set, and what it may move."""

    name: Identifier
    kind: Identifier = Field(description="A kind of module.")
    choices: dict[Identifier, list[Name]] = Field(
        default_factory=dict, max_length=16, description="Of a choice that it has not in full: what it has."
    )
    controller: int | None = Field(None, ge=0, le=127, description="The MIDI controller that plays it, where one does.")
    moves: list[PlainText] = Field(
        default_factory=list, max_length=64, description="Destinations that it may move; any where there is none."
    )
    farthest: dict[PlainText, Annotated[float, Field(gt=0, le=UNBOUNDED)]] = Field(
        default_factory=dict,
        max_length=64,
        description="By a slot, how far it moves a destination at most, up and down, in what amounts are said in.",
    )

    @field_validator("kind")
    @classmethod
    def _known(cls, kind: str) -> str:
        if kind not in KINDS:
            raise refusal(f"a kind of module, as {', '.join(list(KINDS)[:3])}; {kind} is none")
        return kind


class MachineCard(Strict):
    """An instrument at hand."""

    format: Literal["jorvik-card"]
    version: Literal[1]
    name: str = Field("A machine", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Name] = Field(default_factory=list, max_length=64)
    controls: list[Control] = Field(default_factory=list, max_length=MAX_CONTROLS)
    sources: list[CardSource] = Field(default_factory=list, max_length=MAX_CARD_SOURCES)
    slots: int | None = Field(
        None, ge=0, le=256, description="How many routes it has; none where they are not counted."
    )
    scaled_by: list[PlainText] = Field(
        default_factory=list, max_length=16, description="Signals that may scale a route, such as velocity."
    )

    @model_validator(mode="after")
    def _names_apart(self) -> "MachineCard":
        for what, names in (("controls", [c.name for c in self.controls]), ("sources", [s.name for s in self.sources])):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise refusal(f"{what} of unlike names; two are {twice}")
        for source in self.sources:
            if (name := next((name for name in source.farthest if name not in VOICE), None)) is not None:
                raise refusal(f'{source.name}: a destination of the voice, as cutoff; "{name}" is none')
        for control in self.controls:
            if (wanted := _unknown(self, control)) is not None:
                raise refusal(f"{control.name}: {wanted}")
        return self

    @property
    def sources_by_name(self) -> dict[str, CardSource]:
        """Each source by its name."""
        return {source.name: source for source in self.sources}


def target_of(control: Control) -> tuple[str, str, str]:
    """Return what a control sets: a destination; a source and its parameter; or a source, and what it moves so far.

    >>> target_of(Control(name="Depth", sets="env to cutoff"))
    ('amount', 'env', 'cutoff')
    """
    source, moves, destination = control.sets.partition(" to ")
    if moves:
        return "amount", source, destination
    source, dot, parameter = control.sets.partition(".")
    return ("parameter", source, parameter) if dot else ("base", "", source)


def _unknown(card: MachineCard, control: Control) -> str | None:
    """Return what a control would have to set, where what it says is not there."""
    what, source, name = target_of(control)
    if what != "parameter" and name not in VOICE:
        return f'a destination of the voice, as cutoff; "{name}" is none'
    if what == "base":
        return None
    known = card.sources_by_name.get(source)
    if known is None:
        return f'one of the sources of the card; "{source}" is none'
    fields = KINDS[known.kind].model_fields
    if what == "parameter" and (
        name not in fields or field_facts(fields[name]).get("role") not in ("number", "choice")
    ):
        return f'a parameter that a number or a choice sets; {known.kind} has no such "{name}"'
    return None


def check_card(document: object) -> MachineCard:
    """Return the machine card in a document already read from JSON.

    Raises Problem with the path, what was found and what would do.
    """
    return checked_document(MachineCard, document, "jorvik-card")
