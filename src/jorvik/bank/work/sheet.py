"""The sheet of a patch, to be printed."""

from collections.abc import Callable
from typing import Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.works import WorkFacts
from jorvik.core.document.card import check_card
from jorvik.formats.pdf import pdf_bytes
from jorvik.formats.printed import card_part, printed_html, printed_svg

FACTS: Final = WorkFacts(
    "Sheets",
    "a page to print each",
    6,
    axes=("phrase",),
    options=("ending", "paper", "card"),
    piece_s=1.5,
    row_s=0.01,
    piece_bytes=150_000.0,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return the sheet as PDF, HTML, or a drawing of its staves."""
    patch, ending = piece.performed(), piece.options["ending"]
    if ending == "svg":
        data = printed_svg(patch, cancelled=cancelled).encode()
    else:
        more = [card_part(patch, check_card(piece.options["card"]))] if piece.options["card"] else []
        page = printed_html(patch, "jorvik", piece.options["paper"], more, cancelled)
        data = pdf_bytes(page) if ending == "pdf" else page.encode()
    return Made({"bytes": len(data)}, {f"{piece.stem}.{ending}": data})
