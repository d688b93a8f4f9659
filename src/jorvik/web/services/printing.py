"""Printing: takes, or a patch under a phrase, to WAV files; with several at one loudness, and what they are made of."""

import io
import json
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator

from jorvik.core.document.patch import Patch, check_patch
from jorvik.core.document.phrase import check_phrase
from jorvik.core.document.take import check_take
from jorvik.core.engine.notes import voice_count
from jorvik.core.limits import DEFAULT_RATE, MAX_NAME, MAX_PHRASE_SECONDS
from jorvik.core.measure.sound import level_gains, loudness
from jorvik.core.modules.base import PlainText
from jorvik.core.phrases.takes import performed
from jorvik.core.problems import Problem
from jorvik.core.voice.render import Sound, render
from jorvik.formats.wav import RATES, Depth, wav_bytes
from jorvik.store.jobs import Made
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.files import file_stem
from jorvik.web.services.workers import Cancel, Tell

MOST_PRINTED = 16
MOST_VOICES = 64
"""Files of single voices that one print writes at most."""

_EDGE_S = 0.002
"""Over which a stretch that is cut out comes up and goes down."""

Part = Literal["wet", "dry", "voices"]


class Printed(Form):
    """A take, or a patch under a phrase or at its test note."""

    name: Annotated[PlainText, Field(max_length=MAX_NAME)]
    take: Document | None = None
    document: Document | None = None
    phrase: Document | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> "Printed":
        if (self.take is None) == (self.document is None):
            raise ValueError("a take or a patch, and not both")
        return self


class PrintJob(Form):
    """What is printed, and how."""

    kind: Literal["print"]
    printed: Annotated[list[Printed], Field(min_length=1, max_length=MOST_PRINTED)]
    parts: Annotated[list[Part], Field(min_length=1, max_length=3)]
    with_hits: bool = False
    matched: bool = False
    """Whether all are brought down to the loudness of the quietest; their parts go with them."""
    from_s: Annotated[float, Field(ge=0, le=MAX_PHRASE_SECONDS)] = 0.0
    to_s: Annotated[float, Field(gt=0, le=2 * MAX_PHRASE_SECONDS)] | None = None
    depth: Depth = "24"
    rate: int = DEFAULT_RATE
    """Of what is no take: takes have their own."""


def print_title(form: PrintJob) -> str:
    """Return what a print is called in a list."""
    first, *more = form.printed
    return f"Print of {first.name}" + (f" and {len(more)} more" if more else "")


def printed_files(form: PrintJob, cancelled: Cancel, tell: Tell) -> Made:
    """Return one WAV, or a zip of several with the documents that they are made of.

    Raises Problem where one of them does not fit, or comes to no finite number.
    """
    if form.rate not in RATES:
        raise Problem("rate", f"{form.rate} Hz", f"one of {', '.join(str(rate) for rate in RATES)} Hz")
    stems = _stems([one.name for one in form.printed])
    files: dict[str, dict[str, Sound]] = {}
    facts: dict[str, Any] = {}
    documents: dict[str, bytes] = {}
    levels: dict[str, float] = {}
    for number, (stem, one) in enumerate(zip(stems, form.printed, strict=True)):
        patch, first, rate = _performance(one, form.rate)
        heard = _cut(render(patch, rate, cancelled, with_hits=form.with_hits), first, form)
        levels[stem] = loudness(heard.samples, heard.rate)
        files[stem] = {stem: heard} if "wet" in form.parts else {}
        for name, sound in _apart(patch, rate, form, cancelled):
            files[stem][f"{stem}-{name}"] = _cut(sound, first, form)
        documents |= _documents(stem, one)
        tell((number + 1) / len(form.printed))
    gains = level_gains(list(levels.values())) if form.matched else [0.0] * len(levels)
    for (stem, level), gain in zip(levels.items(), gains, strict=True):
        facts[stem] = {"loudness_lufs": round(level + gain, 2), "gain_db": round(gain, 2)}
        for name, sound in files[stem].items():
            files[stem][name] = replace(sound, samples=sound.samples * 10.0 ** (gain / 20.0))
    made = {f"{name}.wav": wav_bytes(sound, form.depth) for each in files.values() for name, sound in each.items()}
    if len(made) == 1:
        [(name, data)] = made.items()
        return Made(data, "audio/wav", name, {"printed": facts})
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        for name, data in {**made, **documents}.items():
            archive.writestr(name, data)
    return Made(buffer.getvalue(), "application/zip", f"{stems[0]}.zip", {"printed": facts, "files": len(made)})


def _performance(one: Printed, rate: int) -> tuple[Patch, int, int]:
    """Return what is rendered, from which sample on it is written, and at which rate."""
    if one.take is not None:
        take = check_take(one.take)
        return *performed(take), take.rate
    patch = check_patch(one.document)
    return (patch if one.phrase is None else patch.under(check_phrase(one.phrase))), 0, rate


def _apart(patch: Patch, rate: int, form: PrintJob, cancelled: Cancel) -> Iterator[tuple[str, Sound]]:
    if "dry" in form.parts:
        yield "dry", render(patch, rate, cancelled, wet=False)
    if "voices" in form.parts:
        if (count := voice_count(patch)) > MOST_VOICES:
            raise Problem("the voices", f"{count}", f"{MOST_VOICES} at most, to be written each to a file")
        for number in range(count):
            yield f"voice-{number + 1:02}", render(patch, rate, cancelled, wet=False, only=number)


def _cut(sound: Sound, first: int, form: PrintJob) -> Sound:
    """Return the stretch of a sound that is wanted, counted from a sample on, without a jump at either end."""
    begin = first + round(form.from_s * sound.rate)
    end = None if form.to_s is None else first + round(form.to_s * sound.rate)
    samples = sound.samples[begin:end].copy()
    if len(samples) < 2:
        raise Problem("the stretch", f"from {form.from_s:g} s", f"within the {len(sound.samples) / sound.rate:.4g} s")
    edge = min(round(_EDGE_S * sound.rate), len(samples) // 2)
    rise = np.linspace(0.0, 1.0, edge)[:, None]
    if begin > first:
        samples[:edge] *= rise
    if end is not None and end < len(sound.samples):
        samples[-edge:] *= rise[::-1]
    return replace(sound, samples=samples)


def _stems(names: list[str]) -> list[str]:
    """Return a file name for each, none of them twice."""
    found: list[str] = []
    for name in names:
        stem, number = file_stem(name), 2
        while (tried := stem if number == 2 and stem not in found else f"{stem}-{number}") in found:
            number += 1
        found.append(tried)
    return found


def _documents(stem: str, one: Printed) -> dict[str, bytes]:
    kinds = {"take": one.take, "patch": one.document, "phrase": one.phrase}
    return {f"{stem}.{kind}.json": json.dumps(d, indent=2).encode() for kind, d in kinds.items() if d is not None}
