"""The patch document, version 1: strict, immutable, and the one form in which a patch is kept and passed on."""

import json
import math
from collections.abc import Collection, Mapping
from functools import cached_property
from typing import Annotated, Any, Final, Literal, NoReturn

from pydantic import Field, ValidationError, field_validator, model_validator

from jorvik.core.document.checked import checked_document
from jorvik.core.document.destinations import UNBOUNDED, VOICE, Destination, of_parameter
from jorvik.core.document.performance import Performance
from jorvik.core.document.phrase import Phrase, PhrasePerformance
from jorvik.core.document.soundness import CHECKS, check_lanes
from jorvik.core.document.voice_settings import DriveSettings, Effects, FilterSettings, Oscillators
from jorvik.core.limits import (
    MAX_BEND,
    MAX_DOCUMENT_BYTES,
    MAX_MODULES,
    MAX_NAME,
    MAX_ROUTES,
    MAX_TEXT,
    MAX_UPDATE,
)
from jorvik.core.modules import KINDS, AnyModule
from jorvik.core.modules.base import Identifier, Module, PlainText, Reach, Signal, Strict, check_text, param, refusal
from jorvik.core.problems import Problem, from_validation, shown
from jorvik.core.signals import PERFORMANCE_SIGNALS, SWINGING, hit_of, hit_signal

Mode = Literal["add", "scale", "range"]
Polarity = Literal["as_is", "unipolar", "bipolar"]

_DEEPEST: Final = 8
"""Modules one behind the other through which the range of a signal is followed."""


class Route(Strict):
    """One sentence of a patch: what moves what, and how far."""

    id: Identifier
    source: str = Field(description="The id of a module, or a performance signal.")
    destination: str = Field(description="A voice destination, <module id>.<parameter>, or route:<id>.amount.")
    amount: float = Field(0.0, description="How far, in the destination's modulation unit; 0..1 for scale.")
    amount_unit: Literal["Hz"] | None = Field(
        None, description="Hz adds so many hertz after what moves in octaves; left out, the destination's own unit."
    )
    mode: Mode = Field("add", description="Add to the base, scale the result, or take the base over a range.")
    polarity: Polarity = Field("as_is", description="The source as it is, moved to 0..1, or moved to -1..1.")
    bend: float = param(0.0, "bend", -MAX_BEND, MAX_BEND, "Bends the source, keeping its sign.")
    via: str | None = Field(None, description="A signal that scales the source.")
    via_depth: float = param(1.0, "ratio", 0.0, 1.0, "How much of the scaling is done.")
    low: float | None = Field(None, description="For range: the base where the source is 0.")
    high: float | None = Field(None, description="For range: the base where the source is 1.")
    resolution: Literal["smooth", "7bit", "14bit"] = Field(
        "smooth", description="In how many steps it arrives: as a controller of 128 or 16384 values would send it."
    )
    update_every: int = Field(1, ge=1, le=MAX_UPDATE, description="It arrives anew each so many samples.")
    enabled: bool = Field(True, description="A route that is off is as if it were not there.")

    @property
    def in_hertz(self) -> bool:
        """Whether it adds hertz, after the octave law."""
        return self.amount_unit == "Hz"

    @property
    def adds(self) -> bool:
        """Whether it adds in the destination's own modulation unit."""
        return self.mode == "add" and not self.in_hertz

    @field_validator("amount", "low", "high")
    @classmethod
    def _bounded(cls, value: float | None) -> float | None:
        if value is not None and abs(value) > UNBOUNDED:
            raise refusal(f"within {-UNBOUNDED:g} to {UNBOUNDED:g}")
        return value


class Voice(Strict):
    """How notes take the voice, what stands still, and what makes the sound."""

    mode: Literal["poly", "mono", "legato"] = "poly"
    glide_ms: float = param(0.0, "ms", 0.0, 60_000.0, "Time of the glide to a new key, whatever the distance.")
    bend_range_st: float = param(2.0, "st", 0.0, 60.0, "Semitones at the end of the bend wheel.")
    base: dict[str, float] = Field(default_factory=dict, description="The set value of each destination.")
    signal: str | None = Field(None, description="The module whose signal is heard as sound, by signal_level.")
    oscillators: Oscillators = Field(default_factory=Oscillators)
    filter: FilterSettings = Field(default_factory=FilterSettings)
    filter2: FilterSettings = Field(default_factory=FilterSettings)
    drive: DriveSettings = Field(default_factory=DriveSettings)
    effects: Effects = Field(default_factory=Effects)

    @field_validator("base")
    @classmethod
    def _known(cls, base: dict[str, float]) -> dict[str, float]:
        for name, value in base.items():
            if name not in VOICE:
                wanted = f"made of destinations of the voice; {shown(check_text(name))} is none"
                raise refusal(wanted)
            at = VOICE[name]
            if not at.low <= value <= at.high:
                wanted = f"within {at.low:g} to {at.high:g} {at.unit} for {name} ({value:g} was given)"
                raise refusal(wanted)
        return base


RENAMED_RULES: Final = {"cancelling_movers": "cancelling_routes"}
"""What rules were called in patches kept before, and what they are called now."""


class Aside(Strict):
    """A finding that is set aside, and why."""

    finding: str = Field(max_length=200, description="The rule and what it was about.")
    reason: str = Field("", max_length=MAX_NAME * 4, description="Why it is meant.")

    @field_validator("finding")
    @classmethod
    def _as_it_is_called_now(cls, value: str) -> str:
        rule, colon, about = value.partition(":")
        return RENAMED_RULES.get(rule, rule) + colon + about


class UsefulEnds(Strict):
    """Between which values something is useful: as a sweep found it, or as it was set by ear."""

    low: float
    high: float

    @model_validator(mode="after")
    def _the_right_way_round(self) -> "UsefulEnds":
        if not -UNBOUNDED <= self.low < self.high <= UNBOUNDED:
            wanted = f"from a lesser value to a greater one, within {-UNBOUNDED:g} to {UNBOUNDED:g}"
            raise refusal(wanted)
        return self


class Patch(Strict):
    """A patch: a performance to test it with, a voice, modules that make signals, and routes that move things."""

    format: Literal["jorvik-patch"]
    version: Literal[1]
    name: str = Field("Untitled", max_length=MAX_NAME)
    notes: str = Field("", max_length=MAX_TEXT)
    tags: list[Annotated[PlainText, Field(max_length=MAX_NAME)]] = Field(default_factory=list, max_length=64)
    performance: Performance = Field(default_factory=Performance)
    voice: Voice = Field(default_factory=Voice)
    modules: list[AnyModule] = Field(default_factory=list, max_length=MAX_MODULES)
    routes: list[Route] = Field(default_factory=list, max_length=MAX_ROUTES)
    set_aside: list[Aside] = Field(default_factory=list, max_length=128, description="Findings that are meant.")
    useful_ranges: dict[Annotated[PlainText, Field(max_length=160)], UsefulEnds] = Field(
        default_factory=dict, max_length=128, description="The useful range of a destination, a parameter or a macro."
    )

    @cached_property
    def modules_by_id(self) -> Mapping[str, Module]:
        """Each module by its id."""
        return {module.id: module for module in self.modules}

    def swings(self, signal: str) -> bool:
        """Return whether the range of a signal goes to both sides of 0."""
        if signal not in self.modules_by_id:
            return signal in SWINGING
        low, high = self._reach(signal, 0)
        return low < 0.0 < high

    def _reach(self, signal: str, depth: int) -> Reach:
        """Return the range of a signal by the kinds of the modules it is made of."""
        module = self.modules_by_id.get(signal)
        if module is None:
            return (-1.0, 1.0) if signal in SWINGING else (0.0, 1.0)
        if depth >= _DEEPEST:
            return module.span()
        inputs = [
            self._reach(value, depth + 1) if isinstance(value, str) else (float(value), float(value))
            for path, value in module.input_signals()
            if path == "input" or path.startswith("inputs")
        ]
        return module.reach(inputs) or module.span()

    @cached_property
    def routes_by_id(self) -> Mapping[str, Route]:
        """Each route by its id."""
        return {route.id: route for route in self.routes}

    def document(self) -> dict[str, Any]:
        """Return the patch as the document that it was read from: only what was said, none of the defaults."""
        document = self.model_dump(mode="json", exclude_unset=True, exclude={"performance"})
        if "performance" in self.model_fields_set:
            document["performance"] = self.performance.test.model_dump(mode="json", exclude_unset=True)
        return document

    @property
    def phrase(self) -> Phrase | None:
        """The phrase that it is played under, where it is."""
        return self.performance.phrase if isinstance(self.performance, PhrasePerformance) else None

    def under(self, phrase: Phrase | None) -> "Patch":
        """Return this patch played under a phrase, or at its own test note again.

        Raises Problem where the phrase plays a macro that this patch has not.
        """
        own = self.performance.test
        performance = own if phrase is None else PhrasePerformance.of(phrase, own)
        patch = self.model_copy(update={"performance": performance})
        if "performance" not in self.model_fields_set:
            patch.model_fields_set.discard("performance")
        check_lanes(patch, "the phrase's controls")
        return patch

    def with_document(self, document: object) -> "Patch":
        """Return the patch in a changed document, played under the same phrase.

        Raises Problem where it is not sound.
        """
        return check_patch(document).under(self.phrase)

    def with_note(self, tail_s: float | None = None, **fields: float | None) -> "Patch":
        """Return this patch at another test note, or with another tail: ``key``, ``velocity``, ``length_s``.

        Of several notes the key moves all, the others are set for each; see :meth:`Performance.with_note`.

        Raises Problem when one of them is out of its range.
        """
        try:
            performance = self.performance.with_note(tail_s, **fields)
        except ValidationError as error:
            raise from_validation(error, ()) from None
        return self.model_copy(update={"performance": performance})

    def with_note_at(self, voice: int, velocity: float | None = None, key: float | None = None) -> "Patch":
        """Return this patch with the note of a voice at another key, and all notes at a velocity.

        The other notes stay as far from it as they are. Raises Problem when one is out of its range.
        """
        notes = self.performance.notes
        first = None if key is None else notes[0].key + key - notes[min(voice, len(notes) - 1)].key
        return self.with_note(velocity=velocity, key=first)

    @property
    def live_routes(self) -> list[Route]:
        """The routes that are on."""
        return [route for route in self.routes if route.enabled]

    @property
    def signal_names(self) -> list[str]:
        """The names that an input may have: modules, performance signals, and the hits of the phrase."""
        return [*self.modules_by_id, *PERFORMANCE_SIGNALS, *self.hit_signals]

    def has_signal(self, name: Signal) -> bool:
        """Tell whether an input may read ``name``."""
        if not isinstance(name, str) or name in PERFORMANCE_SIGNALS or name in self.modules_by_id:
            return True
        return hit_of(name) is not None

    @property
    def hit_signals(self) -> list[str]:
        """The signals of the hits that are heard in its phrase, or listened to without being there."""
        heard = [
            hit_signal(hit.id, trigger)
            for hit in (self.phrase.hits if self.phrase else ())
            for trigger in (False, True)
        ]
        return list(dict.fromkeys([*heard, *self.hits_read]))

    @property
    def hits_read(self) -> list[str]:
        """The signals of hits that a source or a route reads."""
        named = [value for module in self.modules for _, value in module.input_signals()]
        named += [value for route in self.live_routes for value in (route.source, route.via) if value]
        return [name for name in named if isinstance(name, str) and hit_of(name) is not None]

    def destination(self, name: str) -> Destination | None:
        """Return what ``name`` stands for in this patch, or None."""
        if name in VOICE:
            return VOICE[name]
        head, _, tail = name.partition(".")
        if head.startswith("route:"):
            route = self.routes_by_id.get(head.removeprefix("route:"))
            return self._amount(route) if route and tail == "amount" else None
        module = self.modules_by_id.get(head)
        return of_parameter(module, tail) if module else None

    def _amount(self, route: Route) -> Destination:
        low, high = (0.0, 1.0) if route.mode == "scale" else (-UNBOUNDED, UNBOUNDED)
        unit = "ratio"
        if route.mode == "add" and not route.destination.startswith("route:"):
            moved = self.destination(route.destination)
            unit = "Hz" if route.in_hertz else moved.amount_unit if moved else "ratio"
        return Destination(f"route:{route.id}.amount", f"amount of {route.id}", unit, low, high, 0.0)

    def at_work(self, name: str) -> bool:
        """Tell whether a destination of the voice that is off at 0 can be anything else."""
        return self.base(VOICE[name]) != 0.0 or any(route.destination == name for route in self.live_routes)

    def _usual(self, destination: Destination) -> float:
        """Return the value of a destination of the voice that the patch leaves out."""
        if destination.follows:
            return self.base(VOICE[destination.follows])
        # Before it could be moved it stood among the settings of the sub oscillator.
        return self.voice.oscillators.sub.position if destination.name == "sub_position" else destination.base

    def follows(self, destination: Destination) -> bool:
        """Tell whether a destination goes where another goes, because nothing sets or moves it."""
        said = destination.name in self.voice.base
        moved = any(route.destination == destination.name for route in self.live_routes)
        return bool(destination.follows) and not said and not moved

    def base(self, destination: Destination) -> float:
        """Return the set value of a destination in this patch."""
        head, _, tail = destination.name.partition(".")
        if not tail:
            return self.voice.base.get(head, self._usual(destination))
        if head.startswith("route:"):
            return self.routes_by_id[head.removeprefix("route:")].amount
        return self.modules_by_id[head].slot_value(tail, self.performance.tempo)


def parse_patch(text: str | bytes) -> Patch:
    """Return the patch in a JSON text.

    Raises Problem with the place, what was found and what would do.
    """
    return check_patch(parsed_json(text))


def read_document(text: str | bytes) -> dict[str, Any]:
    """Return the document in a JSON text, of whatever kind.

    Raises Problem with the place, what was found and what would do.
    """
    found = parsed_json(text)
    if not isinstance(found, dict):
        raise Problem("the file", shown(found), "a document in JSON, as Jorvik saves it")
    return found


def parsed_json(text: str | bytes) -> object:
    """Return what a JSON text says, as documents are read: no key twice, no number that is none.

    Raises Problem with the place, what was found and what would do.
    """
    size = len(text)
    if size > MAX_DOCUMENT_BYTES:
        raise Problem("the file", f"{size / 1e6:.3g} MB", f"a patch of {MAX_DOCUMENT_BYTES / 1e6:g} MB at most")

    def refuse_constant(name: str) -> NoReturn:
        raise Problem("the file", f"the number {name}", "made of finite numbers")

    def finite(digits: str) -> float:
        value = float(digits)
        return value if math.isfinite(value) else refuse_constant(digits)

    hooks: dict[str, Any] = {"parse_constant": refuse_constant, "parse_float": finite}
    try:
        return json.loads(text, object_pairs_hook=_no_key_twice, **hooks)
    except UnicodeDecodeError as error:
        raise Problem("the file", f"bytes that are no text at {error.start}", "JSON in UTF-8") from None
    except json.JSONDecodeError as error:
        found = f"no JSON at line {error.lineno}, column {error.colno}"
        raise Problem("the file", found, "a patch document in JSON, as Jorvik saves it") from None
    except RecursionError:
        raise Problem("the file", "lists within lists without end", "a patch document") from None
    except ValueError as error:
        if isinstance(error, Problem):
            raise
        raise Problem("the file", "a number of thousands of digits", "made of numbers that can be read") from None


def _no_key_twice(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise Problem("the file", f"the key {shown(key)} twice in one object", "given once")
        found[key] = value
    return found


def check_patch(document: object) -> Patch:
    """Return the patch in a document already read from JSON.

    Raises Problem with the path, what was found and what would do.
    """
    patch = checked_document(Patch, document, "jorvik-patch", tuple(KINDS))
    for check in CHECKS:
        check(patch)
    return patch


def edited(
    patch: Patch,
    modules: Mapping[str, Mapping[str, Any]] | None = None,
    routes: Mapping[str, Mapping[str, Any]] | None = None,
    base: Mapping[str, float] | None = None,
    voice: Mapping[str, Any] | None = None,
    without_routes: tuple[str, ...] = (),
    more_routes: tuple[Mapping[str, Any], ...] = (),
    more_modules: tuple[Mapping[str, Any], ...] = (),
) -> Patch:
    """Return a patch with fields of modules, routes, the base and the voice changed, checked as a whole.

    Routes can be left out, routes and modules added.
    """
    document = patch.document()
    for module in document.get("modules", []):
        module.update((modules or {}).get(module["id"], {}))
    document["modules"] = [*document.get("modules", []), *more_modules]
    for route in document.get("routes", []):
        route.update((routes or {}).get(route["id"], {}))
    gone = {*without_routes, *(f"route:{name}.amount" for name in without_routes)}
    kept = [r for r in document.get("routes", []) if r["id"] not in gone and r["destination"] not in gone]
    document["routes"] = [*kept, *more_routes]
    if base:
        voice = {**(voice or {}), "base": {**document.get("voice", {}).get("base", {}), **base}}
    if voice:
        document["voice"] = {**document.get("voice", {}), **voice}
    return patch.with_document(document)


def fresh_id(wanted: str, taken: Collection[str]) -> str:
    """Return an id that is not taken: the wanted one, or that with a number after it.

    >>> fresh_id("ramp", ["gate", "ramp"])
    'ramp 2'
    """
    names = (wanted[:60], *(f"{wanted[:60]} {n}" for n in range(2, len(taken) + 3)))
    return next(name for name in names if name not in taken)
