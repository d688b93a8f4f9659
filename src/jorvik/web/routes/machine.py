"""Requests about machine cards: a patch in a machine's figures, and back."""

from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import Field

from jorvik.core.document.card import MAX_CONTROLS, check_card
from jorvik.core.document.patch import check_patch
from jorvik.core.limits import MAX_MODULES, MAX_NAME
from jorvik.core.machine.from_panel import from_panel
from jorvik.core.machine.missing import missing
from jorvik.core.machine.on_card import PanelRow, on_card
from jorvik.core.modules.base import PlainText
from jorvik.web.forms.common import Document, Form

router = APIRouter(prefix="/card")

Name = Annotated[PlainText, Field(max_length=MAX_NAME)]


class OnCardRequest(Form):
    """A patch, the card it is put on, and which source each module is given to where the user says so."""

    document: Document
    card: Document
    assigned: Annotated[dict[Name, Name], Field(max_length=MAX_MODULES)] = Field(default_factory=dict)


class PatchOnCard(Form):
    """A patch as a machine can make it."""

    rows: list[PanelRow]
    cannot: list[str]
    assigned: dict[str, str]
    patch: Document
    missing: list[str]
    """What the card itself leaves unsaid."""


class PanelRequest(Form):
    """What a panel says, control by control."""

    card: Document
    figures: Annotated[dict[Name, Name], Field(max_length=MAX_CONTROLS)]


class PanelPatch(Form):
    """The patch that a panel makes."""

    document: dict[str, Any]


@router.post("/patch")
def post_on_card(form: OnCardRequest) -> PatchOnCard:
    """Return where each control is to stand for a patch, what cannot be had, and what the machine would make of it."""
    card = check_card(form.card)
    found = on_card(check_patch(form.document), card, form.assigned)
    return PatchOnCard(
        rows=found.rows,
        cannot=found.cannot,
        assigned=found.assigned,
        patch=found.patch.document(),
        missing=missing(card),
    )


@router.post("/panel")
def post_panel(form: PanelRequest) -> PanelPatch:
    """Return the patch that a panel makes as it stands."""
    return PanelPatch(document=from_panel(check_card(form.card), form.figures).document())
