"""Requests that work something out and hand back a changed document."""

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse
from pydantic import TypeAdapter

from jorvik.core.changes.patches import route_sentence
from jorvik.core.document.patch import check_patch
from jorvik.core.figures import with_figure
from jorvik.core.helpers import routes
from jorvik.core.helpers.changeable import Changeable, changeable
from jorvik.core.helpers.macros import MacroRow, macro_set, macro_table
from jorvik.core.helpers.sentence import route_from
from jorvik.core.helpers.targets import aimed_at, checked, solve
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.web.forms.assist import (
    Answer,
    ChangeableRequest,
    Changed,
    FigureRequest,
    MacroRequest,
    MacroSetRequest,
    PolarityRequest,
    RouteRequest,
    SentenceRequest,
    SolveLine,
    SolveRequest,
)
from jorvik.web.services.rendered import voice_of, with_test_note
from jorvik.web.services.scheduler import TheScheduler, as_json
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter(prefix="/assist")


@router.post("/polarity")
def post_polarity(form: PolarityRequest) -> Changed:
    """Return a document with a route's polarity changed."""
    changed = routes.with_polarity(check_patch(form.document), form.route, form.polarity, form.keep)
    return Changed(document=changed.document(), route=form.route)


_WAYS = {
    "range": routes.to_range,
    "amount": routes.to_amount,
    "hertz": routes.to_hertz,
    "octaves": routes.to_octaves,
}


@router.post("/route")
def post_route(form: RouteRequest) -> Changed:
    """Return a document with a route said in another way, its result the same or as near as can be."""
    return Changed(document=_WAYS[form.to](check_patch(form.document), form.route).document(), route=form.route)


@router.post("/macro", response_model=list[MacroRow])
async def post_macro(request: Request, form: MacroRequest, scheduler: TheScheduler) -> Response:
    """Return what each destination of a macro is with it at 0, half and full."""
    return await as_json(scheduler.make(request, "sheet", _macro_rows, form))


def _macro_rows(form: MacroRequest, _: Cancel, __: Tell) -> bytes:
    return TypeAdapter(list[MacroRow]).dump_json(macro_table(check_patch(form.document), form.macro))


@router.post("/macro-set")
def post_macro_set(form: MacroSetRequest) -> Changed:
    """Return a document in which a macro at 0, half or full sets destinations to given values."""
    changed = macro_set(check_patch(form.document), form.macro, form.place, form.values)
    return Changed(document=changed.document())


@router.post("/sentence")
def post_sentence(form: SentenceRequest) -> Changed:
    """Return a document with the route that a sentence says."""
    patch = check_patch(form.document)
    changed, name = route_from(patch, form.text, as_second=form.as_second)
    there = patch.routes_by_id.get(name)
    return Changed(document=changed.document(), route=name, before=route_sentence(patch, there) if there else "")


@router.post("/figure", response_model=Changed)
async def post_figure(request: Request, form: FigureRequest, scheduler: TheScheduler) -> Response:
    """Return a document in which a figure comes to another value."""
    return await as_json(scheduler.make(request, "judgement", _with_figure, form))


def _with_figure(form: FigureRequest, cancelled: Cancel, _: Tell) -> bytes:
    of = Context(check_patch(form.document), cancelled=cancelled)
    changed = with_figure(of, form.kind, form.about.about, form.name, form.value)
    return Changed(document=changed.document()).model_dump_json().encode()


@router.post("/changeable")
def post_changeable(form: ChangeableRequest) -> list[Changeable]:
    """Return what may be changed for targets of a lane, and whether it is when nothing is chosen."""
    patch = with_test_note(form)
    return changeable(patch, aimed_at(patch, form.lane), form.targets)


@router.post("/solve", responses={200: {"model": SolveLine}})
async def post_solve(request: Request, form: SolveRequest, scheduler: TheScheduler) -> StreamingResponse:
    """Tell how many tries were made, at last the document that meets targets best: a line of JSON each."""
    return await scheduler.stream(request, "judgement", _solve, form, media_type="application/x-ndjson")


def _solve(form: SolveRequest, cancelled: Cancel, tell: Tell) -> None:
    patch = with_test_note(form)
    checked(patch, form.lane, form.targets, form.changing)

    def say(line: SolveLine) -> None:
        tell(line.model_dump_json() + "\n")

    try:
        solved = solve(
            patch,
            form.lane,
            form.targets,
            form.changing,
            cancelled,
            lambda tries: say(SolveLine(tries=tries)),
            voice_of(form, patch),
        )
    except InterruptedError:
        return
    except Problem as problem:
        say(SolveLine(refused=str(problem)))
        return
    say(SolveLine(answer=Answer(document=solved.patch.document(), changes=solved.changes, met=solved.met)))
