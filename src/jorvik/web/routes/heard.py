"""Requests about what is heard of a patch, beside what was set."""

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from jorvik.core.analysis.heard import QUIETEST_DB, heard
from jorvik.core.analysis.sound_lanes import HOP_S
from jorvik.core.dsp.kernels import Floats
from jorvik.web.forms.common import Form, Play
from jorvik.web.services.rendered import voice_of, with_test_note
from jorvik.web.services.scheduler import TheScheduler, as_json
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()


class HeardRequest(Play):
    """A patch, and how far under its loudest moment it is not heard any more."""

    threshold_db: Annotated[float, Field(ge=-100, le=-6)] = QUIETEST_DB


class HeardFigure(Form):
    """A figure of what is heard."""

    of: str
    """The lane that it is about: level, pitch or brightness."""
    name: str
    value: float | None
    unit: str


class HeardLanes(Form):
    """Level, pitch and brightness as they are heard, a value every ``hop_s`` from the first sample on."""

    hop_s: float
    on_s: float
    key: float
    level: list[float | None]
    """In dB."""
    pitch: list[float | None]
    """In semitones from the key."""
    brightness: list[float | None]
    """In hertz."""
    figures: list[HeardFigure]


@router.post("/heard", response_model=HeardLanes)
async def post_heard(request: Request, form: HeardRequest, scheduler: TheScheduler) -> Response:
    """Return what is heard of the voice that is looked at."""
    return await as_json(scheduler.make(request, "judgement", _heard, form))


def _heard(form: HeardRequest, cancelled: Cancel, _: Tell) -> bytes:
    patch = with_test_note(form)
    found = heard(patch, voice_of(form, patch), form.threshold_db, cancelled)
    vibrato, click = found.vibrato, found.click
    figures = [HeardFigure(of="level", name="inaudible after", value=found.inaudible_after_s, unit="s")]
    if vibrato is not None:
        figures += [
            HeardFigure(of="pitch", name="vibrato heard after", value=vibrato.after_s, unit="s"),
            HeardFigure(of="pitch", name="its rate", value=vibrato.rate_hz, unit="Hz"),
            HeardFigure(of="pitch", name="its depth", value=vibrato.depth_cents, unit="cents"),
        ]
    if click is not None:
        figures += [
            HeardFigure(of="brightness", name="click", value=click.octaves, unit="oct"),
            HeardFigure(of="brightness", name="half gone after", value=click.lasts_s, unit="s"),
        ]
    lanes = HeardLanes(
        hop_s=HOP_S,
        on_s=found.on_s,
        key=found.key,
        level=_listed(found.lanes.level_db, 2),
        pitch=_listed(found.pitch_st, 3),
        brightness=_listed(found.lanes.brightness_hz, 1),
        figures=figures,
    )
    return lanes.model_dump_json().encode()


def _listed(lane: Floats, digits: int) -> list[float | None]:
    return [round(float(value), digits) if np.isfinite(value) else None for value in lane]
