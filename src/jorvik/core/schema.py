"""What is published of the core: the JSON Schema of a patch, and the catalogue of what there is to work with."""

from typing import Any, Literal

from pydantic import BaseModel

from jorvik.core.destinations import VOICE
from jorvik.core.modules import KINDS
from jorvik.core.modules.base import Law, Module, field_facts
from jorvik.core.patch import Patch
from jorvik.core.signals import PERFORMANCE_SIGNALS
from jorvik.core.wavetables import FORMULAS


def patch_schema() -> dict[str, Any]:
    """Return the JSON Schema of the patch document, version 1."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Patch.model_json_schema()}


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
    choices: list[Any] = []


class KindFacts(BaseModel):
    """One module kind."""

    kind: str
    title: str
    role: Literal["source", "processor", "control"]
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


class Catalogue(BaseModel):
    """Everything that a patch can be made of."""

    kinds: list[KindFacts]
    destinations: list[DestinationFacts]
    signals: dict[str, str]
    tables: dict[str, str]


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
            )
            for at in VOICE.values()
        ],
        signals=dict(PERFORMANCE_SIGNALS),
        tables={name: (formula.__doc__ or "").strip() for name, formula in FORMULAS.items()},
    )


def _kind(name: str, kind: type[Module]) -> KindFacts:
    fields = []
    for field_name, field in kind.model_fields.items():
        facts = field_facts(field)
        if "role" not in facts:
            continue
        choices = kind.choices(field_name) if facts["role"] == "choice" else ()
        fields.append(
            FieldFacts(
                name=field_name,
                role=facts["role"],
                help=field.description or "",
                default=field.get_default(call_default_factory=True, validated_data={}),
                unit=facts.get("unit", ""),
                low=facts.get("minimum"),
                high=facts.get("maximum"),
                law=facts.get("law", "sum"),
                movable=bool(facts.get("movable")),
                at_stage=bool(facts.get("at_stage")),
                note_values="str" in str(field.annotation) and facts["role"] == "number",
                choices=[choice for choice in choices if not isinstance(choice, type)],
            )
        )
    return KindFacts(kind=name, title=kind.title, role=kind.role, help=(kind.__doc__ or "").strip(), fields=fields)
