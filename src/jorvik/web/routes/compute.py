"""Requests that compute and need no store: values, traces, sound, the catalogue."""

from typing import Any

import anyio.to_thread
from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import TypeAdapter

from jorvik.core.document.patch import Patch, parse_patch
from jorvik.core.document.schema import Catalogue, catalogue, document_schema
from jorvik.core.engine.run import Run
from jorvik.core.problems import Problem, shown
from jorvik.core.units.tempo import Tempo
from jorvik.core.units.values import UNITS, parse_value
from jorvik.formats.table import csv_lines
from jorvik.web.forms.common import (
    Document,
    FileText,
    Play,
    Sheet,
    SheetRequest,
    Typed,
    Understood,
    VoicesRequest,
    VoiceView,
)
from jorvik.web.services.rendered import voice_of, with_test_note
from jorvik.web.services.row_caches import RowCaches
from jorvik.web.services.scheduler import TheScheduler, WorkKind, as_json
from jorvik.web.services.sheet import sheet, voices_beside
from jorvik.web.services.weight import is_heavy_run
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()
_row_caches = RowCaches()
"""Of the process that works."""


@router.get("/catalogue")
def get_catalogue() -> Catalogue:
    """Return everything that a patch can be made of."""
    return catalogue()


@router.get("/schema")
def get_schema() -> dict[str, Any]:
    """Return the JSON Schema of the patch document."""
    return document_schema(Patch)


@router.post("/value")
def post_value(typed: Typed) -> Understood:
    """Return what was typed, in the unit asked for."""
    if typed.unit not in UNITS:
        raise Problem("unit", shown(typed.unit), f"one of {', '.join(UNITS)}")
    tempo = Tempo(typed.tempo_bpm, typed.beats_per_bar)
    value = parse_value(
        typed.text,
        typed.unit,
        typed.place,
        bare=typed.bare,
        low=typed.low,
        high=typed.high,
        note_values=typed.note_values,
        tempo=tempo,
        present=typed.present,
    )
    return Understood(value=value.value)


@router.post("/read", response_model=None, responses={200: {"model": Patch}})
async def post_read(file: FileText) -> Document:
    """Return the patch document in a file's text, checked."""
    patch = await anyio.to_thread.run_sync(parse_patch, file.text)
    return patch.document()


@router.post("/sheet", response_model=Sheet)
async def post_sheet(request: Request, form: SheetRequest, scheduler: TheScheduler) -> Response:
    """Return the note sheet of a patch."""
    lane: WorkKind = "heavy" if is_heavy_run(form.document, 1 + len(form.velocities), form.phrase) else "sheet"
    return await as_json(scheduler.make(request, lane, _sheet, form))


def _sheet(form: SheetRequest, cancelled: Cancel, _: Tell) -> bytes:
    stretch = form.from_s, form.to_s
    patch = with_test_note(form)
    made = sheet(
        patch,
        form.rate,
        form.columns,
        form.velocities,
        _row_caches,
        cancelled,
        stretch,
        form.asked,
        voice_of(form, patch),
    )
    return made.model_dump_json().encode()


@router.post("/voices", response_model=list[VoiceView])
async def post_voices(request: Request, form: VoicesRequest, scheduler: TheScheduler) -> Response:
    """Return the lanes of the other voices of a phrase, to be seen behind one."""
    return await as_json(scheduler.make(request, "judgement", _voices, form))


def _voices(form: VoicesRequest, cancelled: Cancel, _: Tell) -> bytes:
    patch = with_test_note(form)
    found = voices_beside(patch, form.rate, form.columns, voice_of(form, patch), cancelled, (form.from_s, form.to_s))
    return TypeAdapter(list[VoiceView]).dump_json(found)


@router.post("/trace.csv", response_class=StreamingResponse)
async def post_trace(request: Request, form: Play, scheduler: TheScheduler) -> StreamingResponse:
    """Return the trace at every sample, with each route's contribution, as CSV."""
    return await scheduler.stream(request, "heavy", _csv, form, media_type="text/csv")


def _csv(form: Play, cancelled: Cancel, tell: Tell) -> None:
    patch = with_test_note(form)
    for lines in csv_lines(Run(patch, form.rate, voice_of(form, patch)), contributions=True, cancelled=cancelled):
        tell(lines)
