"""Requests for what changed between two documents."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from jorvik.core.changes.documents import changes
from jorvik.core.changes.fields import Change
from jorvik.core.changes.figures import FigureChange, figure_changes
from jorvik.core.document.patch import check_patch
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.scheduler import TheScheduler, as_json
from jorvik.web.services.workers import Cancel, Tell

router = APIRouter()


class ChangesRequest(Form):
    """Two documents of one kind."""

    before: Document
    after: Document
    figures: bool = False
    """Whether to work out what the change comes to, which of patches takes some notes played."""


class Changes(Form):
    """What is another in the second than in the first."""

    changes: list[Change]
    figures: list[FigureChange]


@router.post("/changes", response_model=Changes)
async def post_changes(request: Request, form: ChangesRequest, scheduler: TheScheduler) -> Response:
    """Return what changed from one document to another, in words, and of patches in figures."""
    return await as_json(scheduler.make(request, "judgement", _changes, form))


def _changes(form: ChangesRequest, cancelled: Cancel, _: Tell) -> bytes:
    told = changes(form.before, form.after)
    figures = []
    if form.figures and told and form.after.get("format") == "jorvik-patch":
        figures = figure_changes(check_patch(form.before), check_patch(form.after), cancelled)
    return Changes(changes=told, figures=figures).model_dump_json().encode()
