"""Requests about takes: as phrases that can be edited, and joined from the best bars of several."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from jorvik.core.document.take import check_take
from jorvik.core.limits import MAX_BARS
from jorvik.core.phrases.takes import joined, phrase_of
from jorvik.web.forms.common import Document, Form
from jorvik.web.routes.phrases import PhraseMade

router = APIRouter(prefix="/take")

MOST_JOINED = 16


class TakeRequest(Form):
    """A take to be made into a phrase."""

    take: Document


class JoinRequest(Form):
    """Takes of one tempo, and for each bar which of them it comes from."""

    takes: Annotated[list[Document], Field(min_length=1, max_length=MOST_JOINED)]
    bars: Annotated[list[int], Field(min_length=1, max_length=MAX_BARS)]


@router.post("/phrase")
def post_phrase_of(form: TakeRequest) -> PhraseMade:
    """Return a take as a phrase: its own notes and lanes, and the hits that it was played over."""
    return PhraseMade(phrase=phrase_of(check_take(form.take)).document())


@router.post("/join")
def post_join(form: JoinRequest) -> PhraseMade:
    """Return a phrase whose bars come each from one of several takes."""
    return PhraseMade(phrase=joined([check_take(take) for take in form.takes], form.bars).document())
