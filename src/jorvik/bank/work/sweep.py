"""A sweep of one control: where it starts to do something, stops, turns thin or harsh."""

from collections.abc import Callable
from typing import Final

from jorvik.bank.pieces import Piece
from jorvik.bank.work import Made
from jorvik.bank.works import WorkFacts
from jorvik.core.analysis.useful_range import MARKS, useful_range

FACTS: Final = WorkFacts(
    "Sweep",
    "where a control starts, stops, turns thin or harsh",
    4,
    axes=("key", "velocity"),
    options=("of", "steps"),
    repeats="steps",
    piece_s=1.0,
    row_s=0.06,
)


def make(piece: Piece, cancelled: Callable[[], bool]) -> Made:
    """Return the marks of a sweep, each None where there is none, and its sentences."""
    key, velocity = piece.at.get("key"), piece.at.get("velocity")
    of, steps = str(piece.options["of"]), int(piece.options["steps"])
    found = useful_range(piece.performed(), of, steps=steps, key=key, velocity=velocity, cancelled=cancelled)
    facts = found.facts()
    loud = [step.loudness_lufs for step in found.steps]
    bright = [step.centroid_hz for step in found.steps]
    useful = facts["useful"] or (None, None)
    return Made(
        {
            "of": of,
            "unit": facts["unit"],
            **{name: facts[name] for name in MARKS},
            "useful_low": useful[0],
            "useful_high": useful[1],
            "jumps": len(facts["jumps"]),
            "loudest_lufs": round(max(loud), 2),
            "quietest_lufs": round(min(loud), 2),
            "brightest_hz": round(max(bright), 1),
            "sentences": facts["sentences"],
        }
    )
