"""Requests for what is printed."""

from typing import Annotated, Literal

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from jorvik.core.document.card import check_card
from jorvik.core.document.phrase import check_phrase
from jorvik.core.problems import Problem
from jorvik.formats.page import Paper
from jorvik.formats.pdf import pdf_bytes
from jorvik.formats.print_phrase import phrase_svg, printed_phrase
from jorvik.formats.printed import Units, card_part, printed_html, printed_svg
from jorvik.web.forms.common import Document, Play
from jorvik.web.services.files import file_stem
from jorvik.web.services.rendered import with_test_note
from jorvik.web.services.scheduler import TheScheduler
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter(prefix="/paper")


class PaperRequest(Play):
    """The sheet of a patch, of a patch under a phrase, or of the phrase alone."""

    phrase_alone: bool = False
    units: Annotated[Units, Field(description="What figures are said in.")] = "jorvik"
    paper: Paper = "A4"
    card: Document | None = None
    """A machine whose figures stand on it too."""


_KINDS = {"html": "text/html; charset=utf-8", "svg": "image/svg+xml", "pdf": "application/pdf"}


@router.post("/sheet.{ending}", response_class=Response)
async def post_sheet(
    request: Request, ending: Literal["html", "svg", "pdf"], form: PaperRequest, scheduler: TheScheduler
) -> Response:
    """Return the sheet as a page that stands alone, as a drawing of its staves, or as a PDF."""
    data: bytes = await scheduler.make(request, "judgement", _sheet, form, ending)
    name = f"{file_stem(str(form.document.get('name', 'sheet')))}.{ending}"
    return Response(data, media_type=_KINDS[ending], headers={"Content-Disposition": f'inline; filename="{name}"'})


def _sheet(form: PaperRequest, ending: str, cancelled: Cancel, _: Tell) -> bytes:
    if form.phrase_alone:
        if form.phrase is None:
            raise Problem("phrase", "none", "the phrase that is to be printed")
        phrase = check_phrase(form.phrase)
        page = phrase_svg(phrase) if ending == "svg" else printed_phrase(phrase, form.paper)
        return pdf_bytes(page) if ending == "pdf" else page.encode()
    patch = with_test_note(form)
    if ending == "svg":
        return printed_svg(patch, form.units, cancelled).encode()
    more = [] if form.card is None else [card_part(patch, check_card(form.card))]
    page = printed_html(patch, form.units, form.paper, more, cancelled)
    return pdf_bytes(page) if ending == "pdf" else page.encode()
