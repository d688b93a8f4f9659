"""Sweeps as jobs: the useful range of one control, and a map of two."""

import base64
import json
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from jorvik.core.analysis.listening import at_one_loudness, looped
from jorvik.core.analysis.range_map import STEPS as MAP_STEPS
from jorvik.core.analysis.range_map import range_map
from jorvik.core.analysis.swept import LEAST_STEPS, MOST_STEPS, swept
from jorvik.core.analysis.useful_range import STEPS, UsefulRange, useful_range
from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.dsp.kernels import Floats
from jorvik.core.limits import DEFAULT_RATE, MAX_NAME
from jorvik.core.modules.base import PlainText
from jorvik.store.jobs import Made
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.files import file_stem
from jorvik.web.services.workers import Cancel, Tell

MOST_NOTES = 9
MOST_MAP_STEPS = 24

Name = Annotated[PlainText, Field(min_length=1, max_length=160)]


class SweptNote(Form):
    """The note at which a sweep is heard."""

    key: Annotated[float, Field(ge=0, le=127)]
    velocity: Annotated[float, Field(ge=1, le=127)]


class SweepFields(Form):
    """What is swept in a patch, and from where to where; what the patch is in the store."""

    document: Document
    patch: Annotated[PlainText, Field(max_length=MAX_NAME)] = ""
    sequence: int = 0
    of: Name
    low: float | None = None
    high: float | None = None


class SweepJob(SweepFields):
    """The useful range of one control."""

    kind: Literal["sweep"]
    steps: Annotated[int, Field(ge=LEAST_STEPS, le=MOST_STEPS)] = STEPS
    keep_routes: bool = False
    notes: Annotated[list[SweptNote], Field(max_length=MOST_NOTES)] = Field(default_factory=list)
    """Where it is heard; the patch's own test note where none is given."""


class MapJob(SweepFields):
    """A map of two controls."""

    kind: Literal["map"]
    up: Name
    up_low: float | None = None
    up_high: float | None = None
    steps: Annotated[int, Field(ge=LEAST_STEPS, le=MOST_MAP_STEPS)] = MAP_STEPS


def sweep_title(form: SweepFields) -> str:
    """Return what a sweep is called in a list."""
    patch = check_patch(form.document)
    return f"Range of {swept(patch, form.of).title.lower()} in {patch.name}"


def sweep_about(form: SweepFields) -> dict[str, Any]:
    """Return what tells whose a sweep is, before it is done."""
    about = {"patch": form.patch, "sequence": form.sequence, "of": form.of}
    return {**about, "up": form.up} if isinstance(form, MapJob) else about


def made_sweep(form: SweepJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return the useful range at each note, and loops of the first one's steps to be heard."""
    patch = check_patch(form.document)
    loops: dict[int, Floats] = {}
    found: list[UsefulRange] = []
    given = [(note.key, note.velocity) for note in form.notes]
    notes: list[tuple[float | None, float | None]] = [*given] or [(None, None)]
    for number, (key, velocity) in enumerate(notes):

        def told(so_far: UsefulRange, share: float, number: int = number) -> None:
            tell(((number + share) / len(notes), _json(found, so_far)))

        def hear(index: int, held: Floats) -> None:
            loops[index] = looped(held)

        found.append(
            useful_range(
                patch,
                form.of,
                form.low,
                form.high,
                form.steps,
                key=key,
                velocity=velocity,
                keep_routes=form.keep_routes,
                cancelled=cancelled,
                tell=told,
                hear=hear if number == 0 else None,
            )
        )
    levels = [step.loudness_lufs for step in found[0].steps]
    matched = at_one_loudness([loops[index] for index in sorted(loops)], levels)
    data = _json(found, sounds={"rate": DEFAULT_RATE, "loops": [_packed(sound) for sound in matched]})
    facts = {**sweep_about(form), "useful": found[0].useful}
    return Made(data, "application/json", f"{_stem(patch, form.of)}.json", facts)


def made_map(form: MapJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return a map of two controls."""
    patch = check_patch(form.document)
    ends, up_ends = (form.low, form.high), (form.up_low, form.up_high)
    made = range_map(patch, form.of, form.up, form.steps, ends=ends, up_ends=up_ends, cancelled=cancelled, tell=tell)
    sides = [
        {"of": of.name, "title": of.title, "unit": of.unit, "log": of.log, "values": values}
        for of, values in ((made.across, made.across_values), (made.up, made.up_values))
    ]
    figures = {name: getattr(made, name).tolist() for name in ("centroid_hz", "loudness_lufs", "change_db")}
    data = json.dumps({"across": sides[0], "up": sides[1], **figures}).encode()
    return Made(data, "application/json", f"{_stem(patch, form.of)}-map.json", sweep_about(form))


def _stem(patch: Patch, of: str) -> str:
    return f"{file_stem(patch.name)}-{file_stem(of)}-range"


def _json(done: list[UsefulRange], now: UsefulRange | None = None, **more: Any) -> bytes:
    """Return the ranges of every note as JSON, and what is left for all of them."""
    ranges = [*done, now] if now is not None else done
    ends = [each.useful for each in ranges]
    holds = None
    if all(end is not None for end in ends):
        low, high = max(end[0] for end in ends if end), min(end[1] for end in ends if end)
        holds = (low, high) if low < high else None
    return json.dumps({"ranges": [each.facts() for each in ranges], "holds_for_all": holds, **more}).encode()


def _packed(sound: Floats) -> str:
    return base64.b64encode(np.round(sound * 32767).astype("<i2").tobytes()).decode()
