"""Requests that work something out and hand back a changed document."""

from fastapi import APIRouter, Request
from fastapi.responses import Response, StreamingResponse

from jorvik.core.document.patch import check_patch
from jorvik.core.figures import with_reading
from jorvik.core.helpers import routes
from jorvik.core.helpers.changeable import Changeable, changeable
from jorvik.core.helpers.sentence import route_from
from jorvik.core.helpers.wishes import checked, solve, wished_for
from jorvik.core.measure.context import Context
from jorvik.core.problems import Problem
from jorvik.web.assist_forms import (
    Answer,
    ChangeableWish,
    Changed,
    MacroEndWish,
    PolarityWish,
    ReadingWish,
    RouteWish,
    SentenceWish,
    SolveLine,
    SolveWish,
)
from jorvik.web.scheduler import TheScheduler, as_json
from jorvik.web.workers import Cancel, Tell

router = APIRouter(prefix="/assist")


@router.post("/polarity")
def post_polarity(wish: PolarityWish) -> Changed:
    """Return a document with a route's polarity changed."""
    changed = routes.with_polarity(check_patch(wish.document), wish.route, wish.polarity, wish.keep)
    return Changed(document=changed.document(), route=wish.route)


@router.post("/route")
def post_route(wish: RouteWish) -> Changed:
    """Return a document with a route turned into a range, or back into an amount, with the same result."""
    work = routes.to_range if wish.to == "range" else routes.to_amount
    return Changed(document=work(check_patch(wish.document), wish.route).document(), route=wish.route)


@router.post("/macro-end")
def post_macro_end(wish: MacroEndWish) -> Changed:
    """Return a document in which a macro at one of its ends sets destinations to given values."""
    changed = routes.macro_end(check_patch(wish.document), wish.macro, wish.full, wish.values)
    return Changed(document=changed.document())


@router.post("/sentence")
def post_sentence(wish: SentenceWish) -> Changed:
    """Return a document with the route that a sentence says."""
    changed, name = route_from(check_patch(wish.document), wish.text)
    return Changed(document=changed.document(), route=name)


@router.post("/reading", response_model=Changed)
async def post_reading(request: Request, wish: ReadingWish, scheduler: TheScheduler) -> Response:
    """Return a document in which a figure comes to a wished value."""
    return await as_json(scheduler.make(request, "judgement", _with_reading, wish))


def _with_reading(wish: ReadingWish, cancelled: Cancel, _: Tell) -> bytes:
    of = Context(check_patch(wish.document), cancelled=cancelled)
    changed = with_reading(of, wish.kind, wish.about, wish.name, wish.value)
    return Changed(document=changed.document()).model_dump_json().encode()


@router.post("/changeable")
def post_changeable(wish: ChangeableWish) -> list[Changeable]:
    """Return what may be changed for wishes of a lane, and whether it is when nothing is chosen."""
    patch = check_patch(wish.document)
    return changeable(patch, wished_for(patch, wish.lane), wish.wishes)


@router.post("/solve", responses={200: {"model": SolveLine}})
async def post_solve(request: Request, wish: SolveWish, scheduler: TheScheduler) -> StreamingResponse:
    """Tell how many tries were made, at last the document that meets wishes best: a line of JSON each."""
    return await scheduler.stream(request, "judgement", _solve, wish, media_type="application/x-ndjson")


def _solve(wish: SolveWish, cancelled: Cancel, tell: Tell) -> None:
    patch = check_patch(wish.document)
    checked(patch, wish.lane, wish.wishes, wish.changing)

    def say(line: SolveLine) -> None:
        tell(line.model_dump_json() + "\n")

    try:
        solved = solve(
            patch, wish.lane, wish.wishes, wish.changing, cancelled, lambda tries: say(SolveLine(tries=tries))
        )
    except InterruptedError:
        return
    except Problem as problem:
        say(SolveLine(refused=str(problem)))
        return
    say(SolveLine(answer=Answer(document=solved.patch.document(), changes=solved.changes, met=solved.met)))
