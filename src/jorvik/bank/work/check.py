"""What the rules find in a patch at a note, and how loud it is."""

from collections.abc import Callable
from typing import Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.work.measure import sound_figures
from jorvik.bank.works import WorkFacts
from jorvik.core.findings import check
from jorvik.core.voice.render import render

FACTS: Final = WorkFacts(
    "Check",
    "what the rules find in each, and how loud it is",
    1,
    axes=("key", "velocity", "length_s", "seed", "phrase"),
    piece_s=0.5,
    row_s=0.03,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return how many findings there are of each gravity, and each; what is set aside is counted apart."""
    patch = piece.performed()
    aside = {meant.finding for meant in patch.set_aside}
    found = check(patch, cancelled=cancelled)
    told = [finding for finding in found if finding.key not in aside]
    count = {f"{gravity}s": sum(f.severity == gravity for f in told) for gravity in ("fault", "caution", "note")}
    listed = [{name: getattr(f, name) for name in ("rule", "severity", "sentence", "key")} for f in told]
    rules = sorted({finding.rule for finding in told})
    loud = sound_figures(render(patch, cancelled=cancelled))
    return Made({**count, "meant": len(found) - len(told), "rules": rules, "findings": listed, **loud})
