"""Requests that work something out and hand back a changed document."""

from collections.abc import Callable

from fastapi import APIRouter, Request
from fastapi.responses import StreamingResponse

from jorvik.core.assist import routes
from jorvik.core.assist.changeable import Changeable, changeable
from jorvik.core.assist.sentence import route_from
from jorvik.core.assist.wishes import checked, solve, wished_for
from jorvik.core.measure.context import Context
from jorvik.core.patch import check_patch
from jorvik.core.problems import Problem
from jorvik.core.readings import with_reading
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
from jorvik.web.work import computed, told

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


@router.post("/reading")
async def post_reading(request: Request, wish: ReadingWish) -> Changed:
    """Return a document in which a figure comes to a wished value."""

    def work(cancelled: Callable[[], bool]) -> Changed:
        of = Context(check_patch(wish.document), cancelled=cancelled)
        return Changed(document=with_reading(of, wish.kind, wish.about, wish.name, wish.value).document())

    return await computed(request, work)


@router.post("/changeable")
def post_changeable(wish: ChangeableWish) -> list[Changeable]:
    """Return what may be changed for wishes of a lane, and whether it is when nothing is chosen."""
    patch = check_patch(wish.document)
    return changeable(patch, wished_for(patch, wish.lane), wish.wishes)


@router.post("/solve", responses={200: {"model": SolveLine}})
async def post_solve(wish: SolveWish) -> StreamingResponse:
    """Tell how many tries were made, at last the document that meets wishes best: a line of JSON each."""
    patch = check_patch(wish.document)
    checked(patch, wish.lane, wish.wishes, wish.changing)

    def work(cancelled: Callable[[], bool], tell: Callable[[SolveLine], None]) -> None:
        def progress(tries: int) -> None:
            tell(SolveLine(tries=tries))

        try:
            solved = solve(patch, wish.lane, wish.wishes, wish.changing, cancelled, progress)
        except InterruptedError:
            return
        except Problem as problem:
            tell(SolveLine(refused=str(problem)))
            return
        tell(SolveLine(answer=Answer(document=solved.patch.document(), changes=solved.changes, met=solved.met)))

    return told(work)
