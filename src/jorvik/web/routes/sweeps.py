"""Requests that move a control over a range."""

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field

from jorvik.core.analysis.swept import gliding, set_to, swept
from jorvik.core.document.patch import check_patch
from jorvik.web.forms.assist import Changed
from jorvik.web.forms.common import Document, Form
from jorvik.web.services.sweeps import Name, SweepFields

router = APIRouter(prefix="/sweep")


class GlideRequest(SweepFields):
    """One long note, over which something goes from one value to the other."""

    low: float
    high: float
    seconds: Annotated[float, Field(ge=0.5, le=20)] = 6.0


class AtRequest(Form):
    """A patch in which something is set to a value."""

    document: Document
    of: Name
    value: float


@router.post("/glide")
def post_glide(form: GlideRequest) -> Changed:
    """Return a patch whose one long note is swept from one value to the other."""
    patch = check_patch(form.document)
    return Changed(document=gliding(patch, swept(patch, form.of), form.low, form.high, form.seconds).document())


@router.post("/at")
def post_at(form: AtRequest) -> Changed:
    """Return a patch with what was swept set to a value."""
    patch = check_patch(form.document)
    return Changed(document=set_to(patch, swept(patch, form.of), form.value).document())
