"""A patch in the figures of a machine."""

import json
from collections.abc import Callable
from dataclasses import asdict
from typing import Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.works import WorkFacts
from jorvik.core.document.card import check_card
from jorvik.core.machine.on_card import on_card

FACTS: Final = WorkFacts(
    "On a machine",
    "where its controls stand, and what cannot be had",
    7,
    options=("card",),
    requires={"card": "the machine card that the patches are put on"},
    piece_bytes=8_000.0,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return how many controls are exact, what is off the most, what cannot be had; and all of it as a file."""
    card = check_card(piece.options["card"])
    found = on_card(piece.performed(), card)
    off = [row for row in found.rows if row.error_text != "exact" and row.error_unit]
    cents = [abs(row.error) for row in off if row.error_unit == "cents"]
    figures = {
        "machine": card.name,
        "controls": len(found.rows),
        "exact": sum(row.error_text == "exact" for row in found.rows),
        "worst_cents": round(max(cents, default=0.0), 3),
        "worst": [f"{row.control}: {row.error_text}" for row in off],
        "cannot": len(found.cannot),
        "cannot_said": found.cannot,
    }
    whole = {"controls": [asdict(row) for row in found.rows], "cannot": found.cannot, "assigned": found.assigned}
    return Made(figures, {f"{piece.stem}.json": json.dumps(whole, indent=2, ensure_ascii=False).encode()})
