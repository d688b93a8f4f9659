"""What is published of the core: the JSON Schema of a patch, and the catalogue of what there is to work with."""

from collections.abc import Mapping
from typing import Any, Final, Literal, get_args

from pydantic import BaseModel

from jorvik.core.document.destinations import MOVED_IN, VOICE, Part, first_amount
from jorvik.core.document.pattern import Pattern
from jorvik.core.document.phrase import Hit, Phrase, PhraseNote, Strike
from jorvik.core.document.voice_settings import (
    ChorusSettings,
    DelaySettings,
    DriveSettings,
    FilterSettings,
    NoiseSettings,
    OscillatorSettings,
    ReverbSettings,
    SubSettings,
)
from jorvik.core.dsp.wavetables import FORMULAS
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Across, Law, Module, Strict, field_facts
from jorvik.core.signals import CONTROL_RANGES, PERFORMANCE_SIGNALS
from jorvik.core.units.scales import SCALES


def document_schema(document: type[BaseModel]) -> dict[str, Any]:
    """Return the JSON Schema of a kind of document, version 1."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **document.model_json_schema()}


class FieldFacts(BaseModel):
    """One field of a module kind, as forms and documentation show it."""

    name: str
    role: str
    help: str
    default: Any
    unit: str = ""
    low: float | None = None
    high: float | None = None
    law: Law = "sum"
    movable: bool = False
    at_stage: bool = False
    note_values: bool = False
    first_amount: float = 0.0
    """What a new route on it begins with."""
    choices: list[Any] = []
    only_for: dict[str, list[str]] = {}
    """Values of another field with which this one has a meaning, by its name."""
    across: Across = ""
    """The axis that points run along."""
    with_points: bool = False
    """True where it is set beside the points that are drawn."""


class KindFacts(BaseModel):
    """One module kind."""

    kind: str
    title: str
    role: Literal["source", "processor", "control"]
    help: str
    fields: list[FieldFacts]
    lane: str
    """Prefix of the control lane that plays one; empty where none does."""


class SectionFacts(BaseModel):
    """A part of the voice that is chosen and that nothing moves."""

    path: list[str]
    title: str
    help: str
    fields: list[FieldFacts]


class DestinationFacts(BaseModel):
    """One voice destination."""

    name: str
    title: str
    unit: str
    amount_unit: str
    low: float
    high: float
    base: float
    law: Law
    part: Part
    first_amount: float
    first_mode: Literal["add", "scale"]
    reads_as: Literal["value", "note", "level"]
    """The way a lane shows it: a value, a note from the key, or a level in dB."""
    takes_hertz: bool
    """Whether a route may add hertz to it."""
    help: str


class Catalogue(BaseModel):
    """Everything that a patch can be made of."""

    kinds: list[KindFacts]
    destinations: list[DestinationFacts]
    signals: dict[str, str]
    tables: dict[str, str]
    scales: dict[str, list[int]]
    sections: list[SectionFacts]
    controls: dict[str, list[float]]
    """Least and greatest value of each control lane; ``macro`` stands for every macro's."""
    phrase: dict[str, list[FieldFacts]]
    """The fields of a phrase's parts, and of a pattern that one is made to."""


SECTIONS: Final[tuple[tuple[str, str, type[Strict]], ...]] = (
    ("oscillators.osc1", "Oscillator 1", OscillatorSettings),
    ("oscillators.osc2", "Oscillator 2", OscillatorSettings),
    ("oscillators.sub", "Sub", SubSettings),
    ("oscillators.noise", "Noise", NoiseSettings),
    ("filter", "Filter 1", FilterSettings),
    ("filter2", "Filter 2", FilterSettings),
    ("drive", "Drive", DriveSettings),
    ("effects.delay", "Delay", DelaySettings),
    ("effects.chorus", "Chorus", ChorusSettings),
    ("effects.reverb", "Reverb", ReverbSettings),
)
"""Where each part of the voice stands in a patch, and what it is called."""

SECTION_TITLES: Final = {path: title for path, title, _ in SECTIONS}


PHRASE_PARTS: Final[Mapping[str, type[Strict]]] = {
    "phrase": Phrase,
    "note": PhraseNote,
    "hit": Hit,
    "strike": Strike,
    "pattern": Pattern,
}


def catalogue() -> Catalogue:
    """Return the catalogue, gathered from the kinds' own files and the tables."""
    return Catalogue(
        kinds=[_kind(name, kind) for name, kind in KINDS.items()],
        destinations=[
            DestinationFacts(
                name=at.name,
                title=at.title,
                unit=at.unit,
                amount_unit=at.amount_unit,
                low=at.low,
                high=at.high,
                base=at.base,
                law=at.law,
                part=at.part,
                first_amount=at.first_amount,
                first_mode=at.first_mode,
                reads_as=at.reads_as,
                takes_hertz=at.takes_hertz,
                help=at.help,
            )
            for at in VOICE.values()
        ],
        signals=dict(PERFORMANCE_SIGNALS),
        scales={name: list(degrees) for name, degrees in SCALES.items()},
        sections=[
            SectionFacts(path=path.split("."), title=title, help=(of.__doc__ or "").strip(), fields=_fields(of))
            for path, title, of in SECTIONS
        ],
        controls={name: list(ends) for name, ends in CONTROL_RANGES.items()},
        phrase={name: _fields(of) for name, of in PHRASE_PARTS.items()},
        tables={name: (formula.__doc__ or "").strip() for name, formula in FORMULAS.items()},
    )


def _kind(name: str, kind: type[Module]) -> KindFacts:
    help_text = (kind.__doc__ or "").strip()
    lane = kind.control[1] if kind.control else ""
    return KindFacts(kind=name, title=kind.title, role=kind.role, help=help_text, fields=_fields(kind), lane=lane)


def _fields(of: type[Strict]) -> list[FieldFacts]:
    fields = []
    for name, field in of.model_fields.items():
        facts = field_facts(field)
        if "role" not in facts:
            continue
        choices = get_args(field.annotation) if facts["role"] == "choice" else ()
        fields.append(
            FieldFacts(
                name=name,
                role=facts["role"],
                help=field.description or "",
                default=field.get_default(call_default_factory=True, validated_data={}),
                unit=facts.get("unit", ""),
                low=facts.get("minimum"),
                high=facts.get("maximum"),
                law=facts.get("law", "sum"),
                movable=bool(facts.get("movable")),
                at_stage=bool(facts.get("at_stage")),
                first_amount=first_amount(MOVED_IN[facts.get("law", "sum")] or facts.get("unit", "")),
                note_values="str" in str(field.annotation) and facts["role"] == "number",
                choices=[choice for choice in choices if not isinstance(choice, type)],
                only_for={name: list(values) for name, values in facts.get("only_for", {}).items()},
                across=facts.get("across", ""),
                with_points=bool(facts.get("with_points")),
            )
        )
    return fields
