"""The sheet of a patch, to be printed."""

from collections.abc import Callable

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.core.document.card import check_card
from jorvik.formats.pdf import pdf_bytes
from jorvik.formats.printed import card_part, printed_html, printed_svg


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
