"""Requests that work something out and hand back a changed document."""

from collections.abc import Callable

from fastapi import APIRouter, Request

from jorvik.core.assist import routes
from jorvik.core.assist.sentence import route_from
from jorvik.core.assist.wishes import solve
from jorvik.core.engine.run import Cancelled
from jorvik.core.measure.closed_forms import ring, ring_from
from jorvik.core.patch import check_patch
from jorvik.web.forms import (
    Answer,
    Changed,
    MacroEndWish,
    PolarityWish,
    RingSaid,
    RingWish,
    RouteWish,
    SentenceWish,
    SolveWish,
)
from jorvik.web.work import computed

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


@router.post("/ring")
def post_ring(wish: RingWish) -> RingSaid:
    """Return how a control filter rings, or the settings that ring as wished."""
    hz, q = wish.frequency_hz, wish.q
    if wish.rings_for_s is not None:
        hz, q = ring_from(wish.frequency_hz, wish.rings_for_s)
    return RingSaid(frequency_hz=hz, q=q, ring=ring(hz, q))


@router.post("/solve")
async def post_solve(request: Request, wish: SolveWish) -> Answer:
    """Return the document that meets wishes for a lane best."""

    def work(cancelled: Callable[[], bool]) -> Answer:
        try:
            solved = solve(check_patch(wish.document), wish.lane, wish.wishes, cancelled)
        except InterruptedError:
            raise Cancelled from None
        return Answer(document=solved.patch.document(), changes=solved.changes, met=solved.met)

    return await computed(request, work)
